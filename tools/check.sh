#!/usr/bin/env bash
# Everything that must hold: style, types, import rules, tests. "check.sh lint" leaves the tests out.
set -euo pipefail
cd "$(dirname "$0")/.."
export QT_QPA_PLATFORM=offscreen
bin=.venv/bin
$bin/ruff check -q .
$bin/ruff format -q --check .
$bin/mypy -p saltus
$bin/lint-imports --no-cache --verbose 2>&1 | tail -n 12
[ "${1:-}" = lint ] && exit 0
# Two at a time, the longest first: the window, and the packages below it with every road to Qt closed, in parts.
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
parts=4
i=0
for file in $(ls -S tests/qtfree/test_*.py); do
  echo "$file" >>"$work/below-$((i % parts)).files"
  i=$((i + 1))
done
echo tests/window >"$work/a-window.files"
one() {
  log=${1%.files}.log
  quiet=
  case $1 in *below*) quiet="-p no:pytest-qt" ;; esac
  # shellcheck disable=SC2086,SC2046
  .venv/bin/python -m pytest $quiet $(cat "$1") >"$log" 2>&1
  code=$?
  cat "$log"
  return "$code"
}
export -f one
ls "$work"/*.files | xargs -P 2 -I{} bash -c 'one {}'
