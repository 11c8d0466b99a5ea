#!/bin/sh
# Tests on a PostgreSQL of their own, which goes with them: on-postgres.sh [words of manage.py test].
set -eu
cd "$(dirname "$0")/.."
folder=$(mktemp -d /tmp/wainwright-pg-XXXXXX)
chmod 755 "$folder"
trap 'sh scripts/postgres.sh stop "$folder/pg"; rm -rf "$folder"' EXIT INT TERM
WAINWRIGHT_DATABASE=$(sh scripts/postgres.sh start "$folder/pg")
# How many queries a page takes is told for sessions that are kept beside the database, on either.
export WAINWRIGHT_DATABASE WAINWRIGHT_TEST_POSTGRES="$WAINWRIGHT_DATABASE" WAINWRIGHT_CACHE=files
export OMP_THREAD_LIMIT=1 PYTHONWARNINGS=error
.venv/bin/python manage.py test --noinput "$@"
