#!/bin/sh
# The demo: database, demo world, worker and server, until Ctrl-C.
set -eu
cd "$(dirname "$0")/.."
port=${1:-8000}
export WAINWRIGHT_DEMO=1 WAINWRIGHT_ADDRESS="http://127.0.0.1:$port" OMP_THREAD_LIMIT=1
python=.venv/bin/python
$python manage.py load_demo --from-nothing
$python manage.py run_huey -w 4 -q >/dev/null 2>&1 &
worker=$!
$python manage.py mail_door >/dev/null 2>&1 &
door=$!
trap 'kill $worker $door 2>/dev/null' EXIT INT TERM
echo
echo "Wainwright runs at http://127.0.0.1:$port (Ctrl-C ends it)"
.venv/bin/gunicorn wainwright.wsgi --bind "127.0.0.1:$port" --workers 2 --threads 4 --log-level warning
