"""Colours and sizes, once for the screen and for paper."""

from __future__ import annotations

from dataclasses import dataclass

LIGHT = {
    "app": "#E9ECE8", "panel": "#F7F8F5", "card": "#FFFFFF", "stage": "#191C1D",
    "ink": "#15201F", "ink2": "#3F4C49", "ink3": "#58655F",
    "accent": "#0C5468", "onacc": "#FFFFFF", "cursor": "#C8321A", "good": "#17694A", "warn": "#9A3A0C",
    "line": "#D2D8D3", "line2": "#84908C", "accsoft": "#DCEBEE", "warnsoft": "#FBE9DC",
    "plate": "#0C1010", "onstage": "#F0F4F1",
}  # fmt: skip
DARK = {
    "app": "#121615", "panel": "#1A1F1E", "card": "#232A28", "stage": "#0B0D0D",
    "ink": "#F0F4F1", "ink2": "#C6D0CB", "ink3": "#A3AFA9",
    "accent": "#7FC8DA", "onacc": "#0B1B20", "cursor": "#FF7A59", "good": "#6FD3A4", "warn": "#FFAA7A",
    "line": "#37403D", "line2": "#7A8783", "accsoft": "#183842", "warnsoft": "#43281A",
    "plate": "#0C1010", "onstage": "#F0F4F1",
}  # fmt: skip
SANS, SERIF = "Source Sans 3", "Source Serif 4"


@dataclass(frozen=True)
class Look:
    """Colour and shape of a body, always together: on paper, on the dark stage, and its soft ground."""

    shape: str
    paper: str
    stage: str
    soft: str
    open: bool = False


_LOOKS = (
    Look("disc", "#935400", "#FFB54A", "#F6E6CC"),
    Look("square", "#2C50C4", "#93B5FF", "#DFE6FA"),
    Look("triangle", "#86145C", "#F486BD", "#F6DDEB"),
    Look("bar", "#207256", "#B4F2D3", "#D8ECE3"),
)
SOURCES = {
    "reading": ("#0C5468", "plain", "#FFFFFF"),
    "scale": ("#B8781A", "back", "#15201F"),
    "timing": ("#6E86D6", "vertical", "#15201F"),
    "reaction": ("#9C1F6E", "diagonal", "#FFFFFF"),
    "instruments": ("#93A09A", "dots", "#15201F"),
}
"""Limit bar: fill, hatching and text of each group of sources."""


def look(number: int) -> Look:
    """Look of a body by its number; from the fifth on the colours repeat with open shapes."""
    base = _LOOKS[number % len(_LOOKS)]
    return base if number < len(_LOOKS) else Look(base.shape, base.paper, base.stage, base.soft, open=True)
