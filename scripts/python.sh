#!/bin/sh
# Makes .venv and installs what the lock file names, with hashes checked: python.sh [run | test].
# Named one of these, it has scripts/debian.sh see meanwhile to the Debian packages of it.
set -eu
cd "$(dirname "$0")/.."
# PYTHON names another than the first on the path: one that every user of the machine may run.
python=${PYTHON:-python3}
if ! "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
  echo "Python 3.11 or newer is needed as $python." >&2
  exit 1
fi
if ! "$python" -m venv .venv >/dev/null 2>&1; then
  sh scripts/debian.sh venv
  "$python" -m venv .venv
fi
python_here=.venv/bin/python
log=$(mktemp)
# One waits for the net, the other for the disk. What fails here is told by whoever asks for these packages next.
[ -z "${1:-}" ] || { sh scripts/debian.sh "$1" 2>/dev/null & }
pip="$python_here -m pip install --quiet --disable-pip-version-check --require-hashes"
echo "Installing Python packages into .venv, once…"
# The fast installer where it can be had: a tenth of the time. It asks the index that pip is set to.
index=$($python_here -m pip config get global.index-url 2>/dev/null || true)
export UV_DEFAULT_INDEX="${UV_DEFAULT_INDEX:-${PIP_INDEX_URL:-${index:-https://pypi.org/simple}}}"
# Whoever names a Python installs for users who may not write here: their modules are compiled now, not at their first use.
compile=""
[ -z "${PYTHON:-}" ] || compile="--compile-bytecode"
{ $pip -r requirements-installer.lock &&
  .venv/bin/uv pip install --quiet --system-certs $compile --python .venv/bin/python --require-hashes -r requirements.lock; } 2>"$log" || {
  echo "The fast installer did not succeed; pip does it, which takes a minute or two."
  $pip -r requirements.lock 2>"$log" || {
    tail -n 20 "$log" >&2
    echo "The Python packages could not be installed; the full log is $log." >&2
    exit 1
  }
}
rm -f "$log"
# Compiled once, while Debian's packages are still being put in place: the processes of a demo begin together, and each
# would compile all of it by itself. What cannot be found yet is compiled by whoever comes to it first.
if [ -z "$compile" ]; then
  scratch=$(mktemp -d)
  (
    unset PYTHONDONTWRITEBYTECODE
    export WAINWRIGHT_VAR="$scratch" WAINWRIGHT_DEMO=1 DJANGO_SETTINGS_MODULE=wainwright.settings
    .venv/bin/python -m compileall -q wainwright demo || true
    .venv/bin/python -c "import django; django.setup(); import demo.load, wainwright.urls, gunicorn.app.wsgiapp, holidays.countries, networkx, weasyprint" || true
    rm -rf "$scratch"
  ) >/dev/null 2>&1 &
fi
# What is asked of the towns of the world, made small once.
.venv/bin/python -m wainwright.formats.gazetteer
wait
