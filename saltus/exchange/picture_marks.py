"""What is drawn on the picture of a take: trails, arrows, numbered places, gates, angles; as plain data."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.coordinates import PivotError
from saltus.core.wording import _
from saltus.exchange.motion_words import coordinate_scale
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.derived.motion import body_motion, local_of
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.notebook.derived.motion import BodyMotion
    from saltus.notebook.model import Body, Take
    from saltus.notebook.timing import Gates

    Array = NDArray[np.float64]

LONGEST_ARROW = 0.16
"""The longest arrow takes this part of the shorter side of the picture."""
MOST_NUMBERS = 12
USUAL = 98.0
"""Arrows are scaled to this percentile of their sizes: one wild end must not shrink all others."""


@dataclass(frozen=True)
class MarksWanted:
    """Which marks are drawn; ``every``: a number at every nth frame, 0 for a spacing that fits."""

    trail: bool = True
    velocity: bool = True
    acceleration: bool = False
    numbers: bool = True
    every: int = 0
    gates: bool = True
    angles: bool = False
    geometry: bool = False
    clock: bool = True


@dataclass(frozen=True)
class Arrow:
    """From a body along its velocity or acceleration, px."""

    kind: str
    look: int
    start: tuple[float, float]
    end: tuple[float, float]


@dataclass(frozen=True)
class Angle:
    """An angle about the origin: middle, from direction to direction (anticlockwise as seen), rad; words."""

    look: int
    middle: tuple[float, float]
    start: float
    span: float
    words: str


@dataclass(frozen=True)
class ArrowScale:
    """How long arrows are: ``value`` in ``unit`` is drawn ``length`` px long."""

    kind: str
    value: float
    unit: str
    length: float

    @property
    def words(self) -> str:
        """The value with its unit."""
        return f"{self.value:g} {self.unit}"


@dataclass(frozen=True)
class Line:
    """A gate across the picture, px, and its number."""

    start: tuple[float, float]
    end: tuple[float, float]
    words: str


class PictureMarks:
    """All marks of a take, worked out once; frame by frame they are told.

    Parameters
    ----------
    take : Take
    wanted : MarksWanted
    """

    def __init__(self, take: Take, wanted: MarksWanted) -> None:
        self.take, self.wanted = take, wanted
        self._times = frame_times(take)
        read = [b for b in take.bodies if len(b.readings.used.frame)]
        # what stands still only shows how the camera moved
        self._bodies = [b for b in read if not b.fixed] or read
        self._camera = geometry_of(take).camera
        self._motions = {b.id: body_motion(take, b) for b in self._bodies}
        self.every = wanted.every or self._spacing()
        self.scales = [s for kind in ("velocity", "acceleration") if (s := self._scale(kind)) is not None]

    def _spacing(self) -> int:
        """Frames between numbers: so many that they can be read, and all frames of a step are read."""
        frames = [b.readings.used.frame for b in self._bodies]
        longest = max((int(f[-1] - f[0]) for f in frames), default=0)
        steps = [int(np.median(np.diff(f))) for f in frames if len(f) > 1]
        step = max([1, *steps])
        return step * max(1, math.ceil(longest / step / MOST_NUMBERS))

    def _scale(self, kind: str) -> ArrowScale | None:
        """A round value of the largest arrows, and its length in the picture."""
        if not getattr(self.wanted, kind):
            return None
        sizes = [_sizes(m, kind) for m in self._motions.values()]
        flat = np.concatenate(sizes) if sizes else np.empty(0)
        flat = flat[np.isfinite(flat)]
        largest = float(np.percentile(flat, USUAL)) if flat.size else 0.0
        if largest <= 0:
            return None
        facts = self.take.facts
        power = 10.0 ** math.floor(math.log10(largest))
        value = next(m * power for m in (5, 2, 1) if m * power <= largest * (1 + 1e-9))
        length = LONGEST_ARROW * min(facts.width, facts.height) * value / largest
        unit = coordinate_scale(self.take, "x").unit
        return ArrowScale(kind, value, f"{unit}/s" if kind == "velocity" else f"{unit}/s²", length)

    # -- frame by frame ------------------------------------------------------------------------------

    def trail(self, body: Body, frame: int) -> tuple[Array, Array]:
        """Places of a body up to a frame, px; where the camera moves, as seen in that frame."""
        used = body.readings.used
        upto = int(used.frame.searchsorted(frame, side="right"))
        return self._camera.all_seen(used.x[:upto], used.y[:upto], used.frame[:upto], frame)

    @property
    def bodies(self) -> list[Body]:
        """Bodies with readings."""
        return self._bodies

    def arrows(self, frame: int) -> list[Arrow]:
        """Arrows of the bodies that are read in a frame; none where one is not."""
        return [
            arrow
            for scale in self.scales
            for body in self._bodies
            if (arrow := self._arrow(scale, body, frame)) is not None
        ]

    def _arrow(self, scale: ArrowScale, body: Body, frame: int) -> Arrow | None:
        motion = self._motions[body.id]
        i = int(np.searchsorted(motion.frames, frame))
        if i >= len(motion.frames) or motion.frames[i] != frame:
            return None
        x, y = (float(_parts(motion, axis, scale.kind)[i]) for axis in ("x", "y"))
        if not (math.isfinite(x) and math.isfinite(y)):
            return None
        mapping = mapping_of(self.take).in_frame(frame)
        at = np.array([float(motion.x.value[i])]), np.array([float(motion.y.value[i])])
        # along the way the picture shows it, from a step small enough for any picture
        step = mapping.per_px / max(math.hypot(x, y), 1e-300)
        from_x, from_y = mapping.picture(*at)
        to_x, to_y = mapping.picture(at[0] + x * step, at[1] + y * step)
        along = float(to_x[0] - from_x[0]), float(to_y[0] - from_y[0])
        size = math.hypot(*along) or 1.0
        length = scale.length / scale.value * math.hypot(x, y)
        start = float(from_x[0]), float(from_y[0])
        end = start[0] + along[0] / size * length, start[1] + along[1] / size * length
        return Arrow(scale.kind, body.look, start, end)

    def numbered(self, body: Body, frame: int) -> list[tuple[int, float, float]]:
        """Number, x and y (px) of the places at equal times up to a frame; one not read keeps its number."""
        used = body.readings.used
        first = min(int(b.readings.used.frame[0]) for b in self._bodies)
        since = used.frame - first
        shown = (since % self.every == 0) & (used.frame <= frame)
        x, y = self._camera.all_seen(used.x[shown], used.y[shown], used.frame[shown], frame)
        return [
            (int(n) // self.every, float(right), float(down))
            for n, right, down in zip(since[shown], x, y, strict=True)
        ]

    def numbered_frames(self) -> list[int]:
        """The frames at equal times, from the first reading to the last."""
        used = [b.readings.used.frame for b in self._bodies]
        first, last = min(int(f[0]) for f in used), max(int(f[-1]) for f in used)
        return list(range(first, last + 1, self.every))

    def number_words(self) -> str:
        """How far numbers are apart: in time, or in frames where these are uneven."""
        gaps = np.diff(self._times[:: self.every])
        if len(gaps) and float(np.ptp(gaps)) < 0.02 * float(np.mean(gaps)):
            return _("numbers every {t:.3g} s").format(t=float(np.mean(gaps)))
        return _("numbers every {n} frames").format(n=self.every)

    def strobe_rate(self) -> float:
        """Numbers per second, Hz: the flash rate that the frames at numbers stand for."""
        gaps = np.diff(self._times[:: self.every])
        return float(1 / np.mean(gaps)) if len(gaps) else 1.0

    def clock_words(self, frame: int) -> str:
        """The time of a frame."""
        return f"t = {float(self._times[frame]):.3f} s"

    def angles(self, frame: int) -> list[Angle]:
        """Angles of the bodies about the origin, from the x axis."""
        mapping, out = mapping_of(self.take), []
        for body in self._bodies:
            motion = self._motions[body.id]
            i = int(np.searchsorted(motion.frames, frame))
            if i >= len(motion.frames) or motion.frames[i] != frame:
                continue
            try:
                turned = float(motion.of("angle").value[i])
            except PivotError:
                continue
            seen = math.remainder(turned, 2 * math.pi)
            words = f"{math.degrees(seen):.1f}°".replace("-", "\u2212")
            middle = mapping.origin
            px, py = mapping.picture(motion.x.value[i : i + 1], motion.y.value[i : i + 1])
            along = mapping.headings(*middle)[0]
            start = math.atan2(-along[1], along[0])
            there = math.atan2(middle[1] - float(py[0]), float(px[0]) - middle[0])
            span = math.remainder(there - start, 2 * math.pi)
            out.append(Angle(body.look, middle, start, span, words))
        return out

    def gates(self, frame: int) -> list[Line]:
        """The gates, across the whole picture, as seen in a frame."""
        facts = self.take.facts
        reach = math.hypot(facts.width, facts.height)
        return [
            line for gates in self.take.timing.gates for line in gate_lines(self.take, gates, reach, frame)
        ]


def gate_lines(take: Take, gates: Gates, reach: float, frame: int) -> list[Line]:
    """Where a set of gates lies in the picture, each reaching so many px to both sides of its way."""
    mapping = mapping_of(take).in_frame(frame)
    place = mapping_of(take).place(*gates.place)
    first = np.array([float(place[0]), float(place[1])])
    out = []
    for n in range(gates.number if gates.spacing else 1):
        at = first + n * gates.spacing * np.array([gates.of == "x", gates.of == "y"])
        x, y = (float(c[0]) for c in mapping.picture(at[:1], at[1:]))
        # a gate across x lies along y
        along = mapping.headings(x, y)[1 if gates.of == "x" else 0]
        ends = [(x + k * reach * float(along[0]), y + k * reach * float(along[1])) for k in (-1, 1)]
        out.append(Line(ends[0], ends[1], str(n)))
    return out


def _sizes(motion: BodyMotion, kind: str) -> Array:
    return np.hypot(_parts(motion, "x", kind), _parts(motion, "y", kind))


@remembered
def _parts(motion: BodyMotion, axis: str, kind: str) -> Array:
    local = local_of(motion, axis)
    return local.v if kind == "velocity" else local.a
