#!/bin/sh
# Style, types, templates, import arrows, Django's own checks, sizes.
set -eu
cd "$(dirname "$0")/.."
bin=.venv/bin
$bin/ruff check .
$bin/ruff format --check -q .
$bin/mypy
$bin/djlint wainwright --lint --quiet
$bin/lint-imports --no-cache
$bin/python manage.py makemigrations --check --dry-run -v0
$bin/python manage.py check
WAINWRIGHT_SECRET_KEY=0123456789abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOP-not-for-use $bin/python manage.py check --deploy --fail-level WARNING
