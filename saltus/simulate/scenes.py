"""The scenes of the virtual camera: what moves, how, and what stands around it.

All are set at the open day of a made-up clock-repair workshop; the camera looks at them square-on or not.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.wording import _
from saltus.simulate.bodies import Disc
from saltus.simulate.hand_held import HELD_LIMITS
from saltus.simulate.scene import CAMERA, Scene, SceneError, placer
from saltus.simulate.texture import averaged_down, dusk, lay, polygon, rule, wood
from saltus.simulate.view import LIMITS

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    Canvas = NDArray[np.float32]
    Array = NDArray[np.float64]
    Point = tuple[float, float]

BEFORE_S, STEP_S = 0.5, 0.001
"""A swing is worked out from so long before the first frame, and known at moments so far apart."""
BOARD_AT, BOARD = (-0.18, -0.32), (1.78, 0.72)
"""Lower left corner and size of the drawing board, m along its axes."""


def incline(settings: dict[str, float]) -> Scene:
    """A felt puck let go on a tilted drawing board, seen square to the board."""
    width, height = int(settings["width"]), int(settings["height"])
    m_per_px = 2.0 / width
    angle = -math.radians(settings["turn_deg"])
    slope = math.radians(settings["slope_deg"])
    acceleration = settings["g"] * (math.sin(slope) - settings["friction"] * math.cos(slope))
    if acceleration <= 0:
        raise SceneError(_("With this friction the puck would not slide: make the slope steeper."))
    origin = (0.16 * width, 0.53 * height)
    place = placer(origin, angle, m_per_px)

    def path(t: Array) -> Array:
        run = np.maximum(t - settings["release"], 0)
        return np.column_stack([0.5 * acceleration * run**2, np.zeros_like(run)])

    def background() -> Canvas:
        canvas = dusk(width, height, 3)
        corner, size = BOARD_AT, BOARD
        front = [place(corner[0] + a, corner[1] + b) for a, b in
                 ((0, -0.03), (size[0], -0.03), (size[0], 0), (0, 0))]  # fmt: skip
        lay(
            canvas,
            wood(int(size[0] / m_per_px * 3), int(size[1] / m_per_px * 3), 11),
            lambda a, b: place(corner[0] + a, corner[1] + b),
            size,
        )
        polygon(canvas, front, (58, 42, 28))
        rule(canvas, lambda a, b: place(a, 0.16 + b), 1.0, 0.035)
        return averaged_down(canvas)

    reference = (place(0.0, 0.16), place(1.0, 0.16), 1.0)
    (left, low), (width_m, height_m) = BOARD_AT, BOARD
    board = tuple(
        place(left + a, low + b) for a, b in ((0, 0), (width_m, 0), (width_m, height_m), (0, height_m))
    )
    puck = Disc("Felt puck", 0.038 / m_per_px, (176, 58, 50), dot_px=0.006 / m_per_px)
    truth = {"acceleration": acceleration, "release": settings["release"], "velocity_at_release": 0.0}
    return Scene(
        "incline", settings, puck, path, origin, angle, m_per_px, reference, background, None, truth,
        {"release": (settings["release"],)}, rectangle=(board, BOARD),
    )  # fmt: skip


def free_fall(settings: dict[str, float]) -> Scene:
    """A steel ball falling past an upright rod."""
    width, height = int(settings["width"]), int(settings["height"])
    m_per_px = 1.4 / height
    origin = (0.5 * width, 0.1 * height)
    place = placer(origin, 0.0, m_per_px)
    g, v0 = settings["g"], settings["velocity"]

    def path(t: Array) -> Array:
        run = np.maximum(t - settings["release"], 0)
        return np.column_stack([np.full_like(t, 0.0), v0 * run - 0.5 * g * run**2])

    def upright(along: float, across: float) -> Point:
        return place(0.16 + across, -along)

    def background() -> Canvas:
        canvas = dusk(width, height, 5)
        shelf = [place(-2, -1.19), place(2, -1.19), place(2, -1.4), place(-2, -1.4)]
        polygon(canvas, shelf, (46, 34, 24))
        polygon(
            canvas, [place(0.19, -1.19), place(0.21, -1.19), place(0.21, 0.1), place(0.19, 0.1)], (30, 32, 34)
        )
        rule(canvas, upright, 1.0, 0.035)
        return averaged_down(canvas)

    ball = Disc("Steel ball", 0.022 / m_per_px, (176, 186, 196), ball=True)
    reference = (upright(0.0, 0.0), upright(1.0, 0.0), 1.0)
    truth = {"acceleration": -g, "release": settings["release"], "velocity_at_release": v0}
    return Scene(
        "free-fall", settings, ball, path, origin, 0.0, m_per_px, reference, background, None, truth,
        {"release": (settings["release"],)},
    )  # fmt: skip


def bounce(settings: dict[str, float]) -> Scene:
    """A steel ball falling onto a slate and bouncing, each time lower; it knocks when it lands."""
    width, height = int(settings["width"]), int(settings["height"])
    m_per_px = 1.0 / height
    origin = (0.5 * width, 0.9 * height)
    place = placer(origin, 0.0, m_per_px)
    g, drop, kept = settings["g"], settings["drop"], settings["restitution"]
    if not 0 < kept < 1:
        raise SceneError(_("The restitution lies between 0 and 1."))
    starts = [settings["release"] + math.sqrt(2 * drop / g)]
    speeds = [kept * math.sqrt(2 * g * drop)]
    while starts[-1] < settings["duration"] + 1 and speeds[-1] > 0.05:
        starts.append(starts[-1] + 2 * speeds[-1] / g)
        speeds.append(kept * speeds[-1])
    landed, fast = np.array(starts), np.array([*speeds[:-1], 0.0])

    def path(t: Array) -> Array:
        falling = drop - 0.5 * g * np.maximum(t - settings["release"], 0) ** 2
        after = np.maximum(np.searchsorted(landed, t, side="right") - 1, 0)
        since = t - landed[after]
        hopping = np.maximum(fast[after] * since - 0.5 * g * since**2, 0)
        return np.column_stack([np.zeros_like(t), np.where(t < landed[0], falling, hopping) + radius])

    def background() -> Canvas:
        canvas = dusk(width, height, 6)
        slate = [place(-0.4, 0), place(0.4, 0), place(0.4, -0.06), place(-0.4, -0.06)]
        polygon(canvas, slate, (58, 64, 70))
        rule(canvas, lambda along, across: place(-0.25 - across, along), 0.8, 0.03)
        return averaged_down(canvas)

    radius = 0.016
    ball = Disc("Steel ball", radius / m_per_px, (176, 186, 196), ball=True)
    reference = (place(-0.25, 0.0), place(-0.25, 0.8), 0.8)
    truth = {"acceleration": -g, "restitution": kept, "release": settings["release"]}
    seen = tuple(s for s in starts if s < settings["duration"])
    return Scene(
        "bounce", settings, ball, path, origin, 0.0, m_per_px, reference, background, None, truth,
        {"release": (settings["release"],), "landing": seen}, seen,
    )  # fmt: skip


def _swing(settings: dict[str, float], start: float, end: float) -> Callable[[Array], Array]:
    """Angle of a damped plane pendulum let go at an angle, rad, by the time up to the end, s."""
    from scipy.integrate import solve_ivp  # noqa: PLC0415  start-up time

    length, g, damping = settings["length"], settings["g"], settings["damping"]

    def law(_t: float, state: Array) -> list[float]:
        return [state[1], -g / length * math.sin(state[0]) - 2 * damping * state[1]]

    # from a moment before the first frame, for the exposure of that frame
    known = np.arange(-BEFORE_S, end, STEP_S)
    solved = solve_ivp(law, (-BEFORE_S, end), [start, 0.0], "DOP853", known, rtol=1e-11, atol=1e-13)
    angle, speed = solved.y

    def turn(t: Array) -> Array:
        """The cubic of both angles and speeds between two moments is right to 10⁻¹² rad."""
        i = np.clip(((t + BEFORE_S) / STEP_S).astype(int), 0, len(known) - 2)
        s = (t - known[i]) / STEP_S
        ends = angle[i] + s**2 * (3 - 2 * s) * (angle[i + 1] - angle[i])
        return np.asarray(ends + STEP_S * s * (1 - s) * ((1 - s) * speed[i] - s * speed[i + 1]))

    return turn


def pendulum(settings: dict[str, float]) -> Scene:
    """A brass bob on a thread, swinging; the exact equation of the damped plane pendulum."""
    width, height = int(settings["width"]), int(settings["height"])
    m_per_px = 1.0 / height
    length, g, damping = settings["length"], settings["g"], settings["damping"]
    pivot = (0.5 * width, 0.08 * height)
    start = math.radians(settings["amplitude_deg"])
    turn = _swing(settings, start, settings["duration"] + 1.0)

    def path(t: Array) -> Array:
        swing = turn(np.asarray(t, dtype=float))
        return np.column_stack([length * np.sin(swing), -length * np.cos(swing)])

    place = placer(pivot, 0.0, m_per_px)

    def background() -> Canvas:
        canvas = dusk(width, height, 8)
        polygon(
            canvas, [place(-0.3, 0.05), place(0.3, 0.05), place(0.3, 0.02), place(-0.3, 0.02)], (70, 52, 36)
        )
        rule(canvas, lambda a, b: place(-0.62 - b, -a), 0.8, 0.03)
        return averaged_down(canvas)

    bob = Disc("Brass bob", 0.02 / m_per_px, (196, 152, 62), ball=True)
    reference = (place(-0.62, 0.0), place(-0.62, -0.8), 0.8)
    truth = {
        "length": length,
        "small_period": 2 * math.pi * math.sqrt(length / g),
        "amplitude": start,
        "damping": damping,
    }
    fine = np.arange(0, settings["duration"], 0.001)
    side = turn(fine)
    crossed = np.flatnonzero(np.sign(side[:-1]) * np.sign(side[1:]) < 0)
    # over one millisecond the path is straight to a part in a million
    passings = fine[crossed] + 0.001 * side[crossed] / (side[crossed] - side[crossed + 1])
    down = tuple(float(p) for p, i in zip(passings, crossed, strict=True) if side[i] > 0)
    return Scene(
        "pendulum", settings, bob, path, pivot, 0.0, m_per_px, reference, background, pivot, truth,
        {"passing from the right": down, "passing": tuple(map(float, passings))}, tuple(map(float, passings)),
    )  # fmt: skip


_OWN: dict[str, tuple[Callable[[dict[str, float]], Scene], dict[str, float]]] = {
    "incline": (
        incline,
        {"duration": 1.9, "slope_deg": 14.0, "friction": 0.17, "turn_deg": 5.0, "release": 0.2, "g": 9.81},
    ),
    "free-fall": (
        free_fall,
        {"duration": 0.56, "release": 0.06, "velocity": 0.0, "g": 9.81, "rate": 120, "exposure": 0.001},
    ),
    "bounce": (
        bounce,
        {"duration": 2.4, "release": 0.1, "drop": 0.7, "restitution": 0.78, "g": 9.81, "sound": 1},
    ),
    "pendulum": (
        pendulum,
        {"duration": 6.0, "length": 0.6, "amplitude_deg": 8.0, "damping": 0.02, "g": 9.81, "rate": 30},
    ),
}
SCENES = tuple(_OWN)
_LIMITS = (
    {
        "width": (64, 4096),
        "height": (64, 4096),
        "rate": (1, 2000),
        "duration": (0.01, 600),
        "noise": (0, 100),
        "exposure": (0, 0.5),
        "crf": (0, 51),
        "group": (1, 600),
        "seed": (0, 2**31),
        "length": (0.05, 0.9),
        "g": (0.01, 100),
        "jitter": (0, 0.5),
        "missing": (0, 1000),
        "repeat_every": (0, 1000),
        "play_rate": (0, 2000),
        "sound": (0, 1),
        "microphone": (0, 500),
        "warm": (-40, 50),
        "drop": (0.01, 0.8),
    }
    | LIMITS
    | HELD_LIMITS
)


def settings_of(name: str) -> dict[str, float]:
    """Give all settings of a scene with their usual values.

    Raises
    ------
    SceneError
        If there is no such scene.
    """
    if name not in _OWN:
        raise SceneError(
            _("There is no scene “{name}”: choose one of {all}.").format(name=name, all=", ".join(SCENES))
        )
    return CAMERA | _OWN[name][1]


def describe(name: str) -> str:
    """Say in a sentence what a scene shows."""
    return (_OWN[name][0].__doc__ or "").strip()


def set_up(name: str, changes: dict[str, float] | None = None) -> Scene:
    """Set a scene up with some settings changed.

    Parameters
    ----------
    name : str
    changes : dict, optional
        Setting to value.

    Raises
    ------
    SceneError
        If the scene or a setting does not exist, or a value makes no sense.
    """
    settings = settings_of(name)
    for key, value in (changes or {}).items():
        if key not in settings:
            raise SceneError(
                _("The scene {scene} has no setting “{key}”: it has {all}.").format(
                    scene=name, key=key, all=", ".join(settings)
                )
            )
        low, high = _LIMITS.get(key, (-1e6, 1e6))
        if not low <= value <= high:
            raise SceneError(
                _("{key} must lie between {low:g} and {high:g}.").format(key=key, low=low, high=high)
            )
        settings[key] = float(value)
    return _OWN[name][0](settings)
