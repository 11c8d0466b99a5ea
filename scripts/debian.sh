#!/bin/sh
# Installs the Debian packages that are missing: debian.sh run | test | venv
set -eu
case "$1" in
  venv) wanted="python3-venv" ;;
  run) wanted="tesseract-ocr tesseract-ocr-script-latn libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0" ;;
  test) wanted="tesseract-ocr tesseract-ocr-script-latn libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0 chromium chromium-driver postgresql redis-server systemd" ;;
esac
missing=""
for package in $wanted; do
  dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q "install ok installed" || missing="$missing $package"
done
[ -n "$missing" ] || exit 0
if ! command -v apt-get >/dev/null 2>&1; then
  echo "Please install by hand, this is no Debian:$missing" >&2
  exit 0
fi
sudo=""
[ "$(id -u)" = 0 ] || sudo="sudo -n"
echo "Installing Debian packages:$missing"
log=$(mktemp)
if ! { $sudo apt-get update -qq && $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing; } >"$log" 2>&1; then
  tail -n 5 "$log" >&2
  echo "Could not install:$missing. As root: apt-get install$missing" >&2
  [ "$1" = run ] || exit 1
fi
rm -f "$log"
