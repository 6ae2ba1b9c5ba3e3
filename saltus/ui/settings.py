"""What this user set: kept in one small file, read once, written at once."""

from __future__ import annotations

import contextlib
import json
from typing import TYPE_CHECKING, Any

from platformdirs import user_config_path

if TYPE_CHECKING:
    from pathlib import Path

DEFAULTS: dict[str, Any] = {"phone_folder": "", "text_percent": 100, "theme": "system"}


def settings_file() -> Path:
    """Where the settings lie."""
    return user_config_path("saltus") / "settings.json"


def setting(name: str) -> Any:
    """One setting; its default where it was never set or makes no sense."""
    try:
        value = json.loads(settings_file().read_text(encoding="utf-8"))[name]
    except (OSError, ValueError, TypeError, KeyError):
        return DEFAULTS[name]
    return value if isinstance(value, type(DEFAULTS[name])) else DEFAULTS[name]


def set_setting(name: str, value: Any) -> None:
    """Set one; not being able to keep it costs only setting it again."""
    now = {each: setting(each) for each in DEFAULTS} | {name: value}
    with contextlib.suppress(OSError):
        settings_file().parent.mkdir(parents=True, exist_ok=True)
        part = settings_file().with_suffix(".part")
        part.write_text(json.dumps(now, indent=1), encoding="utf-8")
        part.replace(settings_file())
