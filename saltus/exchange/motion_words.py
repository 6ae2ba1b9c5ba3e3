"""Words, symbols and units of coordinates, of parameters of a segment, and of characteristic points."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.motion.models import MODELS
from saltus.core.statement import stated, written_number
from saltus.core.wording import _
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import coordinate_kind

if TYPE_CHECKING:
    from saltus.core.motion.features import Direction
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Body, Segment, Take

COORDINATES = ("x", "y", "angle", "radius", "path")
COORDINATE_SYMBOLS = {"angle": "θ", "radius": "r", "path": "s", "xy": "y"}
SYMBOLS = {
    "velocity": "v", "acceleration": "a", "terminal_speed": "v∞", "approach_time": "τ", "amplitude": "A",
    "period": "T", "phase": "φ", "damping": "γ", "loss": "k", "small_period": "T₀", "rate": "r", "angle": "θ",
    "radius": "R", "centre_x": "X", "centre_y": "Y", "speed": "v", "launch_angle": "α", "g": "g", "x": "x",
    "y": "y", "vx": "vₓ", "vy": "v_y",
}  # fmt: skip
TURNED = {"velocity": "ω", "acceleration": "α"}


def symbol_of(parameter: str, segment: Segment) -> str:
    """Symbol of a parameter of a segment, such as x, v, a, ω or T."""
    turns = coordinate_kind(segment.of) == "angle" or segment.model == "circle"
    if turns and parameter in TURNED:
        return TURNED[parameter]
    return SYMBOLS.get(parameter, coordinate_symbol(segment.of))


def coordinate_symbol(of: str) -> str:
    """Symbol of a coordinate."""
    kind = coordinate_kind(of)
    return COORDINATE_SYMBOLS.get(kind, kind)


def coordinate_words(of: str, take: Take | None = None) -> str:
    """What a coordinate is, as it follows the name of a body."""
    kind, _at, about = of.partition("@")
    other = (take.body(about) or take.moving_frame(about)) if take is not None and about else None
    if other is not None:
        words = {
            "angle": _("angle about {body}"),
            "radius": _("distance from {body}"),
            "x": _("along x, seen from {body}"),
            "y": _("along y, seen from {body}"),
            "path": _("along its path, seen from {body}"),
        }[kind]
        return words.format(body=other.name)
    placed = take.axes if take is not None else None
    if placed is not None and kind == "y":
        return _("along y, positive down") if placed.y_down else _("along y, positive up")
    if placed is not None and kind == "x" and placed.by == "path":
        return _("along x, positive along the motion")
    if placed is not None and kind == "angle" and placed.y_down:
        return _("angle about the origin, clockwise")
    return {
        "x": _("along x"),
        "y": _("along y"),
        "angle": _("angle about the origin"),
        "radius": _("distance from the origin"),
        "path": _("along its path"),
        "xy": _("in x and y"),
    }[kind]


def coordinate_choice(of: str, take: Take | None) -> str:
    """The same in a list of coordinates, where an arrow says which way y is positive."""
    if of != "y" or take is None or take.axes is None:
        return coordinate_words(of, take if "@" in of else None)
    return _("along y ↓") if take.axes.y_down else _("along y ↑")


def coordinates_of(take: Take | None, body: Body | None, about: str = "") -> list[str]:
    """The coordinates a body can be looked at in; about each other body too.

    ``about``: id of the body or moving frame it is seen from, empty for the room.
    """
    if about:
        return [f"{kind}@{about}" for kind in COORDINATES]
    others = [b.id for b in take.bodies if b is not body] if take is not None and body is not None else []
    return [*COORDINATES, *(f"{kind}@{other}" for other in others for kind in ("angle", "radius"))]


def parameter_words(name: str) -> str:
    """Words for a parameter."""
    return {
        "position": _("position at the start"),
        "velocity": _("velocity"),
        "acceleration": _("acceleration"),
        "centre": _("centre"),
        "amplitude": _("amplitude at the start"),
        "period": _("period"),
        "small_period": _("period of small swings"),
        "phase": _("phase at the start"),
        "damping": _("damping"),
        "loss": _("loss by air"),
        "limit": _("limit"),
        "rate": _("rate"),
        "terminal_speed": _("terminal speed"),
        "approach_time": _("time of approach"),
        "angle": _("angle at the start"),
        "radius": _("radius"),
        "centre_x": _("centre, x"),
        "centre_y": _("centre, y"),
        "speed": _("speed"),
        "launch_angle": _("angle of flight at the start"),
        "x": _("x at the start"),
        "y": _("y at the start"),
        "vx": _("velocity along x"),
        "vy": _("velocity along y"),
        "g": _("fall, g"),
    }.get(name, name)


@dataclass(frozen=True)
class Scale:
    """How a coordinate is shown: its unit, and a smaller unit for residuals with its factor."""

    unit: str
    fine_unit: str
    fine: float


def coordinate_scale(take: Take, of: str) -> Scale:
    """Units of a coordinate of a take: m, rad, or px without a scale."""
    if coordinate_kind(of) == "angle":
        return Scale("rad", "mrad", 1000.0)
    return Scale("m", "mm", 1000.0) if mapping_of(take).scaled else Scale("px", "px", 1.0)


def families(of: str) -> dict[str, list[str]]:
    """Models for a coordinate by what the motion is like, simplest first: ids of models by id of family."""
    steady = ["rest", "constant-velocity", "constant-acceleration"]
    swings = ["oscillation", "damped-oscillation", "quadratic-damped-oscillation"]
    if coordinate_kind(of) == "angle":
        steady = ["rest", "uniform-rotation", "angular-acceleration"]
        swings = [*swings, "large-oscillation"]
    approach = ["exponential", "terminal-approach-linear", "terminal-approach"]
    found = {"steady": steady, "swing": swings, "approach": approach}
    if of in ("x", "y", "xy"):
        found["plane"] = [name for name, model in MODELS.items() if model.together]
    return found


def family_words(family: str) -> str:
    """What a family of models is called."""
    return {
        "steady": _("Steady"),
        "swing": _("Swings"),
        "approach": _("Nears a limit"),
        "plane": _("x and y together"),
    }[family]


def family_of(model: str) -> str:
    """The family a model belongs to."""
    for of in ("angle", "x"):
        for family, names in families(of).items():
            if model in names:
                return family
    return "steady"


def point_words(kind: str) -> str:
    """What a characteristic point is."""
    return {
        "turning": _("Turns"),
        "extremum": _("Extreme value"),
        "zero": _("Passes zero"),
        "fastest": _("Greatest speed"),
        "rest": _("Rest ends"),
        "contact": _("Impact"),
        "free-fall": _("Free flight from here"),
        "taut": _("Cord taut"),
        "marked": _("Marked"),
    }[kind]


def direction_words(direction: Direction | None, of: str) -> str:
    """Which way a body moves, in words."""
    symbol = coordinate_symbol(of)
    return {
        None: "",
        "up": _("up"),
        "down": _("down"),
        "rest": _("at rest"),
        "along": _("along +{axis}").format(axis=symbol),
        "against": _("along −{axis}").format(axis=symbol),
    }[direction]


def quantity_words(q: Quantity) -> str:
    """A value with its 95 % interval and unit; without one, to four figures."""
    if q.U95:
        return stated(float(q), q.U95, q.unit)
    return f"{written_number(float(q))} {q.unit.text}"
