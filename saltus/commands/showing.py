"""How commands show what they found: JSON without NaN, and progress where someone watches."""

from __future__ import annotations

import json
import math
import sys
from typing import Any

from saltus.core.progress import Report, silent


def print_json(value: Any, *, indent: int | None = None) -> None:
    """Print one JSON object; numbers that are not finite become null."""
    print(json.dumps(_finite(value), ensure_ascii=False, indent=indent, allow_nan=False))


def _finite(value: Any) -> Any:
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {k: _finite(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [_finite(v) for v in value]
    return value


def terminal_report(words: str) -> Report:
    """Give a report that shows progress on standard error when it is a terminal."""
    if not sys.stderr.isatty():
        return silent

    def show(done: int, total: int) -> None:
        if done % 10 == 0 or done == total:
            end = "\n" if done == total else ""
            print(f"\r{words} {done}" + (f"/{total}" if total else ""), end=end, file=sys.stderr, flush=True)

    return show
