#!/bin/sh
# Every test on every difficult day and on thirty drawn ones; the demo on sixty more. any-day.sh [SEED]
set -eu
cd "$(dirname "$0")/.."
export OMP_THREAD_LIMIT=1 PYTHONWARNINGS=error
WAINWRIGHT_SEED=${1:-$(od -An -N3 -tu4 /dev/urandom | tr -d ' ')}
export WAINWRIGHT_SEED
failed=0
.venv/bin/python manage.py test --noinput --days all --drawn 30 || failed=1
.venv/bin/python manage.py test --noinput --drawn 60 --only-days tests.apps.test_demo || failed=1
exit $failed
