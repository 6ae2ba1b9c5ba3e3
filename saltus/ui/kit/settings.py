"""What this user set: kept in one small file, read once, written at once."""

from __future__ import annotations

import contextlib
import json
from functools import lru_cache, partial
from typing import TYPE_CHECKING, Any

from platformdirs import user_config_path

from saltus.core.wording import _
from saltus.files.reading import read_plain
from saltus.files.writing import write_whole

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from PyQt6.QtWidgets import QMenu

LARGEST = 1 << 20
DEFAULTS: dict[str, Any] = {
    "cameras": [],
    "eyes": [],
    "phone_folder": "",
    "text_percent": 0,
    "theme": "system",
    "windows": {},
}


def settings_file() -> Path:
    """Where the settings lie."""
    return user_config_path("saltus") / "settings.json"


def setting(name: str) -> Any:
    """One setting; its default where it was never set or makes no sense."""
    try:
        file = settings_file()
        value = _settings_in(file, file.stat().st_mtime_ns)[name]
    except (OSError, ValueError, TypeError, KeyError):
        return DEFAULTS[name]
    return value if isinstance(value, type(DEFAULTS[name])) else DEFAULTS[name]


@lru_cache(maxsize=1)
def _settings_in(file: Path, _written_ns: int) -> Any:
    """What a file of settings holds, as long as nobody writes it."""
    return json.loads(read_plain(file, LARGEST).decode())


def set_setting(name: str, value: Any) -> None:
    """Set one; not being able to keep it costs only setting it again."""
    now = {each: setting(each) for each in DEFAULTS} | {name: value}
    with contextlib.suppress(OSError):
        settings_file().parent.mkdir(parents=True, exist_ok=True)
        write_whole(settings_file(), json.dumps(now, indent=1))


def add_settings(menu: QMenu, chosen: Callable[[], object]) -> None:
    """Add the choices of this user to a menu, text size and appearance; ``chosen`` is told of each."""
    sizes = ((_("As the system"), 0), *((f"{percent} %", percent) for percent in (100, 125, 150, 175, 200)))
    looks = ((_("As the system"), "system"), (_("Light"), "light"), (_("Dark"), "dark"))
    for title, name, choices in ((_("Text size"), "text_percent", sizes), (_("Appearance"), "theme", looks)):
        inner = menu.addMenu(title)
        assert inner is not None
        for words, value in choices:
            action = inner.addAction(words)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(setting(name) == value)
            action.triggered.connect(partial(_choose, name, value, chosen))


def _choose(name: str, value: Any, chosen: Callable[[], object], _on: bool = False) -> None:
    set_setting(name, value)
    chosen()
