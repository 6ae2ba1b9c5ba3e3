#!/usr/bin/env bash
# Everything that must hold: style, types, import rules, tests. "check.sh lint" leaves the tests out.
set -euo pipefail
cd "$(dirname "$0")/.."
# what is compiled for one part is there for the next
export QT_QPA_PLATFORM=offscreen PYTHONDONTWRITEBYTECODE=
# memory that is given back is asked for again at once, page by page: it is kept, in large pages
export GLIBC_TUNABLES=glibc.malloc.hugetlb=1:glibc.malloc.mmap_threshold=1073741824:glibc.malloc.trim_threshold=4294967296
lint() { # OPTIONS of mypy
  .venv/bin/ruff check -q . &&
    .venv/bin/ruff format -q --check . &&
    .venv/bin/mypy "$@" -p saltus &&
    .venv/bin/lint-imports --no-cache --verbose 2>&1 | tail -n 12
}
if [ "${1:-}" = lint ]; then
  lint
  exit
fi
# Four at a time on two cores, as tests wait now and then: the packages below the window with every road to Qt
# closed, the window, and what needs no test; many short parts, so that all cores have something to do to the end.
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
deal() { # FOLDER PARTS NAME: files by size, so that the parts take about as long
  i=0
  for file in $(ls -S "$1"/test_*.py); do
    echo "$file" >>"$work/$3-$((i % $2)).files"
    i=$((i + 1))
  done
}
deal tests/window 5 b-window
deal tests/qtfree 10 c-below
# what takes longest in one piece is begun first
touch "$work/a-lint.files"
one() {
  set -o pipefail
  log=${1%.files}.log
  # shellcheck disable=SC2046
  case $1 in
    # where nothing is remembered of the types, writing it all down is left to "lint"
    *lint*) if [ -d .mypy_cache ]; then lint; else lint --cache-dir=/dev/null; fi ;;
    *below*) .venv/bin/python -m pytest -p no:pytest-qt $(cat "$1") ;;
    *) .venv/bin/python -m pytest $(cat "$1") ;;
  esac >"$log" 2>&1
  code=$?
  cat "$log"
  return "$code"
}
export -f one lint
ls "$work"/*.files | xargs -P 4 -I{} bash -c 'one {}'
