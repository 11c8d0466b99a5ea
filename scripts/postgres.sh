#!/bin/sh
# A PostgreSQL of our own, for tests and measures: postgres.sh start FOLDER prints its address; postgres.sh stop FOLDER.
# It listens on a socket in FOLDER and nowhere else; nothing of it outlives the folder.
set -eu
folder=$2
programs=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1)
if [ -z "$programs" ]; then
  echo "There is no PostgreSQL here: run scripts/debian.sh test." >&2
  exit 1
fi
# It does not run as root: Debian's package has a user for it.
as() {
  if [ "$(id -u)" = 0 ]; then
    setpriv --reuid=postgres --regid=postgres --init-groups "$@"
  else
    "$@"
  fi
}
case "$1" in
  start)
    mkdir -p "$folder"
    if [ "$(id -u)" = 0 ]; then chown postgres "$folder"; fi
    cd "$folder"
    as "$programs/initdb" -D "$folder/data" -U wainwright -A trust -E UTF8 --locale=C.UTF-8 -N >"$folder.log" 2>&1
    # What is tested here may be lost with the machine's power; what is measured says so itself (WAINWRIGHT_FSYNC=on).
    sync=${WAINWRIGHT_FSYNC:-off}
    as "$programs/pg_ctl" -D "$folder/data" -w -s -l "$folder/server.log" \
      -o "-k $folder -c listen_addresses= -c fsync=$sync -c synchronous_commit=$sync -c full_page_writes=$sync -c max_connections=300 -c shared_buffers=512MB -c max_wal_size=4GB" start
    as "$programs/createdb" -h "$folder" -U wainwright wainwright
    echo "postgres://wainwright@/$folder/wainwright"
    ;;
  stop)
    cd /
    as "$programs/pg_ctl" -D "$folder/data" -m immediate -s stop || true
    rm -rf "$folder" "$folder.log"
    ;;
esac
