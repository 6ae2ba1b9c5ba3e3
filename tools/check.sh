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
# Two halves side by side: the packages below the window, with every road to Qt closed, and the window.
below=$(mktemp)
trap 'rm -f "$below"' EXIT
$bin/python -m pytest -p no:pytest-qt tests/qtfree >"$below" 2>&1 &
half=$!
failed=0
$bin/python -m pytest tests/window || failed=1
wait "$half" || failed=1
cat "$below"
exit "$failed"
