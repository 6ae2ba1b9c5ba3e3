#!/usr/bin/env bash
# Everything that must hold: style, types, import rules, tests. "check.sh lint" leaves the tests out.
set -euo pipefail
cd "$(dirname "$0")/.."
export QT_QPA_PLATFORM=offscreen PYTHONDONTWRITEBYTECODE=1
bin=.venv/bin
$bin/ruff check -q .
$bin/ruff format -q --check .
$bin/mypy -p saltus
$bin/lint-imports --no-cache --verbose 2>&1 | tail -n 12
[ "${1:-}" = lint ] && exit 0
# the packages below the window first, with every road to Qt closed, then the window
$bin/python -m pytest -p no:pytest-qt tests/qtfree
$bin/python -m pytest tests/window
