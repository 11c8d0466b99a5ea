#!/bin/sh
# Rebuilds what the pages load: the style sheet, htmx, fonts, icons. The results are committed.
set -eu
cd "$(dirname "$0")/.."
dist=wainwright/web/static/web/dist
icons=wainwright/web/icons
mkdir -p "$dist/fonts" "$icons"
npx tailwindcss -i wainwright/web/styles/wainwright.css -o "$dist/wainwright.css" --minify
cp node_modules/htmx.org/dist/htmx.min.js "$dist/htmx.min.js"
for part in latin latin-ext; do
  cp "node_modules/@fontsource-variable/besley/files/besley-$part-wght-normal.woff2" "$dist/fonts/"
  cp "node_modules/@fontsource-variable/hanken-grotesk/files/hanken-grotesk-$part-wght-normal.woff2" "$dist/fonts/"
done
.venv/bin/python scripts/print_fonts.py "$dist/fonts" wainwright/trips/styles/fonts
for icon in bed plane train-front ship bus car-front car car-taxi-front footprints file-text image paperclip; do
  sed -e 's/<!--.*-->//' -e 's/class="[^"]*"/class="icon" aria-hidden="true"/' "node_modules/lucide-static/icons/$icon.svg" > "$icons/$icon.svg"
done
python3 scripts/land.py node_modules/world-atlas/land-50m.json wainwright/drawing/land.json
mkdir -p tests/browser/vendor
cp node_modules/axe-core/axe.min.js tests/browser/vendor/axe.min.js
