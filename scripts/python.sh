#!/bin/sh
# Makes .venv and installs what the lock file names, with hashes checked.
set -eu
cd "$(dirname "$0")/.."
# PYTHON names another than the first on the path: one that every user of the machine may run.
python=${PYTHON:-python3}
if ! "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
  echo "Python 3.11 or newer is needed as $python." >&2
  exit 1
fi
if ! "$python" -m venv .venv 2>/dev/null; then
  sh scripts/debian.sh venv
  "$python" -m venv .venv
fi
log=$(mktemp)
echo "Installing Python packages into .venv, once…"
.venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.lock 2>"$log" || {
  tail -n 20 "$log" >&2
  echo "The Python packages could not be installed; the full log is $log." >&2
  exit 1
}
rm -f "$log"
