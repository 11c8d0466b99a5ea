#!/bin/sh
# Every test on the suite's own day, core and apps and the demo on difficult days as well; warnings as errors.
# Ends with one line: N passed, N failed.
set -eu
cd "$(dirname "$0")/.."
export OMP_THREAD_LIMIT=1 PYTHONWARNINGS=error
if [ $# -gt 0 ]; then
  exec .venv/bin/python manage.py test --noinput "$@"
fi
exec .venv/bin/python manage.py test --noinput --days few
