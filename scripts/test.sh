#!/bin/sh
# Every test, warnings as errors. Ends with one line: N passed, N failed.
set -eu
cd "$(dirname "$0")/.."
export OMP_THREAD_LIMIT=1 PYTHONWARNINGS=error
exec .venv/bin/python manage.py test --noinput "$@"
