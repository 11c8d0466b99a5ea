#!/bin/sh
# Style, types, templates, import arrows, Django's own checks.
set -eu
cd "$(dirname "$0")/.."
bin=.venv/bin
$bin/ruff check -q .
$bin/ruff format --check -q .
$bin/mypy
$bin/djlint wainwright --lint --quiet
# Formatted as they read, without their translation tags.
said=$(mktemp -d); trap 'rm -rf "$said"' EXIT
$bin/python scripts/templates_as_said.py "$said"
odd=$($bin/djlint "$said/wainwright" --configuration pyproject.toml --check 2>&1) || { echo "$odd" | tail -n 40; exit 1; }
imports=$($bin/lint-imports --no-cache 2>&1) || { echo "$imports" | tail -n 40; exit 1; }
$bin/python manage.py makemigrations --check --dry-run -v0
WAINWRIGHT_DEBUG=1 $bin/python manage.py check
WAINWRIGHT_SECRET_KEY=0123456789abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOP-not-for-use $bin/python manage.py check --deploy --tag security --fail-level WARNING
