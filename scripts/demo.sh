#!/bin/sh
# The demo: database, demo world, worker and server, until Ctrl-C.
set -eu
cd "$(dirname "$0")/.."
port=${1:-8000}
export WAINWRIGHT_DEMO=1 WAINWRIGHT_ADDRESS="http://127.0.0.1:$port" OMP_THREAD_LIMIT=1
python=.venv/bin/python
$python manage.py load_demo --from-nothing
# The pages first: the worker reads papers as soon as it runs, and would keep them waiting.
.venv/bin/gunicorn wainwright.wsgi --preload --bind "127.0.0.1:$port" --workers 2 --threads 4 --log-level warning &
pages=$!
trap 'kill $pages ${worker:-} ${door:-} 2>/dev/null' EXIT INT TERM
tries=0
until $python -c "import urllib.request as r; r.urlopen('http://127.0.0.1:$port/accounts/login/')" 2>/dev/null; do
  tries=$((tries + 1))
  kill -0 $pages 2>/dev/null && [ $tries -lt 60 ] || { echo "The pages do not answer at http://127.0.0.1:$port; is the port taken? make demo PORT=8001 takes another." >&2; exit 1; }
done
$python manage.py run_huey -w 4 -q >/dev/null 2>&1 &
worker=$!
$python manage.py mail_door >/dev/null 2>&1 &
door=$!
echo
echo "Wainwright runs at http://127.0.0.1:$port (Ctrl-C ends it)"
wait $pages
