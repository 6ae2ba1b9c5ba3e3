#!/usr/bin/env bash
# Everything that must hold: style, types, import rules, tests. "check.sh lint" leaves the tests out.
set -euo pipefail
cd "$(dirname "$0")/.."
# what is compiled for one part is there for the next
export QT_QPA_PLATFORM=offscreen PYTHONDONTWRITEBYTECODE=
bin=.venv/bin
$bin/ruff check -q .
$bin/ruff format -q --check .
$bin/mypy -p saltus
$bin/lint-imports --no-cache --verbose 2>&1 | tail -n 12
[ "${1:-}" = lint ] && exit 0
# Two at a time, the longest first: the window in parts, and the packages below it with every road to Qt closed.
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
deal() { # FOLDER PARTS NAME: files by size, so that the parts take about as long
  i=0
  for file in $(ls -S "$1"/test_*.py); do
    echo "$file" >>"$work/$3-$((i % $2)).files"
    i=$((i + 1))
  done
}
deal tests/window 3 a-window
deal tests/qtfree 4 below
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
