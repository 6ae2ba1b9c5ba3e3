"""Stills of instruments of the workshop: a rule with a pointer and a dial with a hand, readings known."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import cv2
import numpy as np

from saltus.files.writing import write_whole

if TYPE_CHECKING:
    from pathlib import Path

    from numpy.typing import NDArray

    Canvas = NDArray[np.uint8]
    Point = tuple[float, float]

WIDTH, HEIGHT, FINE = 640, 480, 4
GROUND, PLATE, INK, NEEDLE = (52, 58, 56), (224, 220, 206), (34, 32, 30), (178, 58, 46)
RULE_CM, DIAL_S = 30.0, 60.0
PX_PER_CM = 14.0
RADIUS = 170.0
NOISE = 2.0


@dataclass(frozen=True)
class Instrument:
    """An instrument as it lies in the picture.

    Attributes
    ----------
    kind : {"rule", "dial"}
    turned : float
        By how much it is turned anticlockwise as seen, rad.
    gap, distance : float
        How far its pointer stands off towards the camera, and how far that is, m.
    """

    kind: Literal["rule", "dial"]
    turned: float = 0.05
    gap: float = 0.0
    distance: float = 0.6

    @property
    def unit(self) -> str:
        """Unit of its readings."""
        return "cm" if self.kind == "rule" else "s"

    @property
    def _middle(self) -> Point:
        return ((WIDTH - 1) / 2, (HEIGHT - 1) / 2)

    @property
    def pivot(self) -> Point:
        """About which the hand of the dial turns, px."""
        return self._middle[0] + 11.0, self._middle[1] - 6.0

    def _at(self, along: float, across: float) -> Point:
        """A place along the upright rule from its middle, px upwards, and to its right."""
        c, s = math.cos(self.turned), math.sin(self.turned)
        x, y = self._middle
        return x - 60.0 + across * c - along * s, y - along * c - across * s

    def place(self, value: float, out: float = 0.0) -> Point:
        """Where a value stands on the scale, px; ``out``: beside the rule, or beyond the rim of the dial."""
        if self.kind == "rule":
            return self._at((value - RULE_CM / 2) * PX_PER_CM, out)
        angle = 2 * math.pi * value / DIAL_S - math.pi / 2 - self.turned
        x, y = self.pivot
        return x + (RADIUS + out) * math.cos(angle), y + (RADIUS + out) * math.sin(angle)

    def pointer(self, value: float) -> Point:
        """Where the tip of the pointer is seen, px: what stands off is seen farther from the middle."""
        x, y = self.place(value, -20.0 if self.kind == "dial" else 8.0)
        grown = self.distance / (self.distance - self.gap)
        middle = self._middle
        return middle[0] + (x - middle[0]) * grown, middle[1] + (y - middle[1]) * grown

    @property
    def marked(self) -> tuple[float, ...]:
        """Values of the divisions that carry a number."""
        return (0.0, 10.0, 20.0, 30.0) if self.kind == "rule" else (0.0, 15.0, 30.0, 45.0)

    def picture(self, value: float, seed: int = 0) -> Canvas:
        """A still of it showing a value, (H, W, 3) RGB."""
        fine = np.full((HEIGHT * FINE, WIDTH * FINE, 3), GROUND, dtype=np.uint8)
        (_paint_rule if self.kind == "rule" else _paint_dial)(fine, self)
        tip = self.pointer(value)
        tail = (tip[0] + 150.0, tip[1]) if self.kind == "rule" else self.pivot
        _line(fine, tail, tip, NEEDLE, 2.4)
        small = cv2.resize(fine, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA).astype(np.float32)
        rng = np.random.default_rng(seed)
        small += rng.normal(0, NOISE, small.shape).astype(np.float32)
        return np.asarray(np.clip(np.rint(small), 0, 255), dtype=np.uint8)


def _fine(at: Point) -> tuple[int, int]:
    """A place in sixteenths of the px that are averaged down; the middle of a px is that of its parts."""
    x, y = (round(((c + 0.5) * FINE - 0.5) * 16) for c in at)
    return x, y


def _line(canvas: Canvas, start: Point, end: Point, colour: tuple[int, int, int], wide: float) -> None:
    cv2.line(canvas, _fine(start), _fine(end), colour, max(round(wide * FINE), 1), cv2.LINE_AA, shift=4)


def _words(canvas: Canvas, words: str, at: Point) -> None:
    x, y = (round((c + 0.5) * FINE) for c in at)
    cv2.putText(canvas, words, (x, y), cv2.FONT_HERSHEY_SIMPLEX, 0.45 * FINE, INK, FINE, cv2.LINE_AA)


def _paint_rule(canvas: Canvas, rule: Instrument) -> None:
    corners = [rule.place(v, out) for v, out in ((-1, -46), (31, -46), (31, 6), (-1, 6))]
    cv2.fillPoly(canvas, [np.array([_fine(c) for c in corners])], PLATE, cv2.LINE_AA, shift=4)
    for half in range(2 * round(RULE_CM) + 1):
        value = half / 2
        long = 18.0 if value % 10 == 0 else 13.0 if value % 5 == 0 else 9.0 if value % 1 == 0 else 5.0
        _line(canvas, rule.place(value, 6.0 - long), rule.place(value, 6.0), INK, 0.8)
        if value % 10 == 0:
            x, y = rule.place(value, -40.0)
            _words(canvas, f"{value:g}", (x, y + 5))


def _paint_dial(canvas: Canvas, dial: Instrument) -> None:
    x, y = _fine(dial.pivot)
    cv2.circle(canvas, (x, y), round((RADIUS + 22) * FINE * 16), PLATE, -1, cv2.LINE_AA, shift=4)
    for value in range(round(DIAL_S)):
        long = 14.0 if value % 5 == 0 else 7.0
        _line(canvas, dial.place(value, -long), dial.place(value), INK, 1.2 if value % 5 == 0 else 0.8)
        if value % 15 == 0:
            at = dial.place(value, -36.0)
            _words(canvas, f"{value:g}", (at[0] - 8, at[1] + 5))
    cv2.circle(canvas, (x, y), round(5 * FINE * 16), INK, -1, cv2.LINE_AA, shift=4)


def film_stills(instrument: Instrument, values: tuple[float, ...], folder: Path) -> None:
    """Write a numbered still for each reading of an instrument into a folder.

    Parameters
    ----------
    instrument : Instrument
    values : tuple of float
        In its unit.
    folder : Path
    """
    folder.mkdir(parents=True, exist_ok=True)
    for n, value in enumerate(values):
        picture = instrument.picture(value, seed=n)
        done, packed = cv2.imencode(".png", cv2.cvtColor(picture, cv2.COLOR_RGB2BGR))
        assert done
        write_whole(folder / f"still-{n + 1:03d}.png", packed.tobytes())
