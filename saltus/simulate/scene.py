"""A scene of the virtual camera: what moves, how, what stands around it, and how the camera looks at it."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from saltus.simulate.hand_held import HELD, pose_of
from saltus.simulate.view import VIEW, View

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.simulate.bodies import Disc

    Canvas = NDArray[np.float32]
    Array = NDArray[np.float64]
    Point = tuple[float, float]

CAMERA: dict[str, float] = (
    {
        "width": 1280,
        "height": 720,
        "rate": 60,
        "noise": 2.0,
        "exposure": 0.002,
        "crf": 20,
        "group": 30,
        "seed": 1,
        "jitter": 0.0,
        "missing": 0,
        "repeat_every": 0,
        "play_rate": 0.0,
        "sound": 0,
        "microphone": 0.0,
        "warm": 20.0,
    }
    | VIEW
    | HELD
)
"""Settings every scene has: px, px, frames/s, grey levels, s, encoder quality, frames per group, seed; how
late a frame may come, s, how many are lost, every which is shown twice, at what rate it plays (0: as taken),
whether there is sound, how far the microphone stands, m, and how warm the air is, °C."""


class SceneError(ValueError):
    """A scene or a setting that does not exist or makes no sense."""


@dataclass(frozen=True)
class Scene:
    """One scene, set up and ready to be filmed.

    Attributes
    ----------
    name : str
    settings : dict
        All settings, as used.
    body : Disc
    path : callable
        Times (K,) in s to positions (K, 2) along the axes, m.
    axes_origin : (x, y)
        Picture coordinates, px.
    axes_angle : float
        Axes turned anticlockwise as seen on the picture, rad.
    m_per_px : float
    reference : ((x, y), (x, y), float)
        Ends of the rule's marks in the picture, px, and the length between them, m.
    background : callable
        Paints the static picture, (H, W, 3) 0 to 255.
    pivot : (x, y) or None
        Where the thread hangs, px.
    truth : dict
        The true parameters of the motion, SI.
    events : dict of str to tuple
        When what happens, s.
    sounds : tuple of float
        When something knocks, s.
    rectangle : (corners, (width, height)) or None
        Something rectangular in the plane: its corners from the lower left one, anticlockwise, in px of a
        picture taken square-on, and its size, m.
    """

    name: str
    settings: dict[str, float]
    body: Disc
    path: Callable[[Array], Array]
    axes_origin: Point
    axes_angle: float
    m_per_px: float
    reference: tuple[Point, Point, float]
    background: Callable[[], Canvas]
    pivot: Point | None = None
    truth: dict[str, float] = field(default_factory=dict)
    events: dict[str, tuple[float, ...]] = field(default_factory=dict)
    sounds: tuple[float, ...] = ()
    rectangle: tuple[tuple[Point, ...], Point] | None = None

    def in_picture(self, positions: Array, *, nearer: float = 0.0, t: Array | None = None) -> Array:
        """Positions along the axes (K, 2), m, nearer than the plane by ``nearer``, m, in the picture, px.

        ``t``: when each is seen, (K,) s, by a camera that does not stand still; 0 by default.
        """
        flat = self.flat(positions)
        if t is None or not any(self.settings[k] for k in HELD):
            return self.view.seen(flat, nearer=nearer)
        seen = [self.view_at(float(when)).seen(flat[n : n + 1], nearer=nearer) for n, when in enumerate(t)]
        return np.concatenate(seen)

    def flat(self, positions: Array) -> Array:
        """Positions along the axes (K, 2), m, in px of a picture taken square-on."""
        c, s = math.cos(self.axes_angle), math.sin(self.axes_angle)
        x, y = positions[:, 0] / self.m_per_px, positions[:, 1] / self.m_per_px
        return np.column_stack([self.axes_origin[0] + x * c - y * s, self.axes_origin[1] - x * s - y * c])

    @property
    def view(self) -> View:
        """How the camera looks at it, at first."""
        return self.view_at(0.0)

    def view_at(self, t: float) -> View:
        """How the camera looks at it at a time, s."""
        width, height = int(self.settings["width"]), int(self.settings["height"])
        return View(width, height, self.m_per_px, self.settings, pose_of(self.settings, t))

    def times(self) -> Array:
        """Frame times, s, from the rate and the duration."""
        count = max(1, round(self.settings["duration"] * self.settings["rate"]))
        return np.arange(count) / self.settings["rate"]


def placer(scene_origin: Point, angle: float, m_per_px: float) -> Callable[[float, float], Point]:
    """Give what turns lengths along and across axes, m, into places of a picture taken square-on, px."""
    c, s = math.cos(angle), math.sin(angle)

    def place(along: float, across: float) -> Point:
        x, y = along / m_per_px, across / m_per_px
        return scene_origin[0] + x * c - y * s, scene_origin[1] - x * s - y * c

    return place
