#!/bin/sh
# Every test on the suite's own day, core and apps and the demo on difficult days as well, what the database decides on
# PostgreSQL too; warnings as errors. Ends with one line: N passed, N failed.
set -eu
cd "$(dirname "$0")/.."
export OMP_THREAD_LIMIT=1 PYTHONWARNINGS=error
# Else each of the many processes compiles every module anew.
unset PYTHONDONTWRITEBYTECODE
if [ $# -gt 0 ]; then
  exec .venv/bin/python manage.py test --noinput "$@"
fi
reports=$(mktemp -d)
trap 'rm -rf "$reports"' EXIT
status=0
.venv/bin/python manage.py test --noinput --days few --report "$reports/sqlite.json" || status=$?
echo "What the database decides, on PostgreSQL:"
sh scripts/on-postgres.sh --both --report "$reports/postgres.json" tests.apps || status=$?
.venv/bin/python - "$reports" <<'PYTHON'
import json
import pathlib
import sys

runs = [json.loads(path.read_text()) for path in sorted(pathlib.Path(sys.argv[1]).iterdir())]
failed = [name for run in runs for name in run["failed"]]
print("\n".join(f"Failed: {name}" for name in failed))
print(f"{sum(run['run'] for run in runs) - len(failed)} passed, {len(failed)} failed", flush=True)
sys.exit(0 if len(runs) == 2 else 1)
PYTHON
exit "$status"
