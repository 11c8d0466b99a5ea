#!/bin/sh
# The demo: database, demo world, worker and server, until Ctrl-C.
set -eu
cd "$(dirname "$0")/.."
port=${1:-8000}
export WAINWRIGHT_DEMO=1 WAINWRIGHT_ADDRESS="http://127.0.0.1:$port" OMP_THREAD_LIMIT=1
# Else each of the processes below compiles every module anew.
unset PYTHONDONTWRITEBYTECODE
python=.venv/bin/python
if ! $python -c "import socket; socket.create_server(('127.0.0.1', $port))" 2>/dev/null; then
  echo "Port $port is taken by another programme, or may not be used. make demo PORT=8001 takes another." >&2
  exit 1
fi
# The pages get ready while the world is loaded: they need the list of static files, which that writes first.
listed=${WAINWRIGHT_VAR:-var}/static/staticfiles.json
rm -f "$listed"
{
  until [ -f "$listed" ]; do sleep 0.2; done
  exec .venv/bin/gunicorn wainwright.wsgi --preload --bind "127.0.0.1:$port" --workers 2 --threads 4 --log-level warning
} &
pages=$!
trap 'kill $pages ${worker:-} ${door:-} 2>/dev/null' EXIT INT TERM
$python manage.py load_demo --from-nothing
# The pages first: the worker reads papers as soon as it runs, and would keep them waiting.
tries=0
until $python -c "import urllib.request as r; r.urlopen('http://127.0.0.1:$port/accounts/login/')" 2>/dev/null; do
  tries=$((tries + 1))
  kill -0 $pages 2>/dev/null && [ $tries -lt 60 ] || { echo "The pages do not answer at http://127.0.0.1:$port. What was printed above says why." >&2; exit 1; }
done
$python manage.py run_huey -w 4 -q >/dev/null 2>&1 &
worker=$!
$python manage.py mail_door >/dev/null 2>&1 &
door=$!
echo
echo "Wainwright runs at http://127.0.0.1:$port (Ctrl-C ends it)"
wait $pages
