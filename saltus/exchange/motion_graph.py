"""Graphs of motion: any quantity of bodies against another, takes laid over each other from an event."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import zip_longest
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import NORMAL_95
from saltus.core.motion.coordinates import PivotError
from saltus.core.motion.graphed import (
    ENERGIES,
    Course,
    Graphed,
    NotGraphedError,
    graphed,
    model_course,
)
from saltus.core.motion.local import DEFAULT_WINDOW
from saltus.core.motion.segment import SegmentFit
from saltus.core.statement import stated_in, written_number
from saltus.core.wording import _
from saltus.exchange.chart import Chart, Curve, Label, Points
from saltus.notebook.derived.before_after import event_found
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import body_motion, motion_in, segment_fit
from saltus.notebook.derived.times import instant_value

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.exchange.tables import Cell
    from saltus.notebook.model import Body, Notebook, Segment, Take

    Array = NDArray[np.float64]

FILM, RELEASE, IMPACT = "film", "release", "impact"
"""Where times begin: with the film, where the model of the headline is at rest, or at the first event."""
STEPS = 200
EARLIEST_S = 5.0
"""A model is not carried farther than this before its readings to find where it was at rest."""


@dataclass(frozen=True)
class ShownBody:
    """One body in a graph: ids of take and body, and of the body it is seen from."""

    take: str
    body: str
    seen_from: str | None = None


@dataclass(frozen=True)
class MotionGraph:
    """What is graphed.

    Attributes
    ----------
    x, y : str
        Kinds of quantity, see :data:`saltus.core.motion.graphed.KINDS`.
    shown : tuple of ShownBody
    begin : str
        Where times begin: ``film``, ``release``, ``impact``, or the id of an event that was marked.
    models : bool
        Whether the models of segments are drawn through.
    window : int
        Readings a local parabola is laid through.
    """

    x: str = "t"
    y: str = "x"
    shown: tuple[ShownBody, ...] = ()
    begin: str = FILM
    models: bool = True
    window: int = DEFAULT_WINDOW


@dataclass(frozen=True)
class GraphedBody:
    """What a graph shows of one body.

    Attributes
    ----------
    of : ShownBody
    name : str
    look : int
    t : (N,) ndarray
        s, from where times begin.
    frames : (N,) ndarray of int
    x, y : Graphed
    curves : tuple of ((K,), (K,)) ndarrays
        What models say.
    """

    of: ShownBody
    name: str
    look: int
    t: Array
    frames: NDArray[np.int64]
    x: Graphed
    y: Graphed
    curves: tuple[tuple[Array, Array], ...] = ()


def kind_words(kind: str) -> str:
    """What a quantity of a motion is called."""
    return {
        "t": _("time"),
        "x": _("x"),
        "y": _("y"),
        "path": _("way along the path"),
        "radius": _("distance from origin"),
        "angle": _("angle about origin"),
        "vx": _("velocity along x"),
        "vy": _("velocity along y"),
        "speed": _("speed"),
        "omega": _("angular velocity"),
        "ax": _("acceleration along x"),
        "ay": _("acceleration along y"),
        "acceleration": _("acceleration, size"),
        "alpha": _("angular acceleration"),
        "kinetic": _("kinetic energy / mass"),
        "potential": _("potential energy / mass"),
        "energy": _("total energy / mass"),
    }[kind]


SYMBOLS = {
    "t": "t", "x": "x", "y": "y", "path": "s", "radius": "r", "angle": "θ", "vx": "v along x",
    "vy": "v along y",
    "speed": "v", "omega": "ω", "ax": "a along x", "ay": "a along y", "acceleration": "a", "alpha": "α",
    "kinetic": "½v²", "potential": "gh", "energy": "½v² + gh",
}  # fmt: skip


def axis_label(kind: str, found: Graphed | None) -> Label:
    """Symbol and unit of an axis."""
    unit = "J/kg" if kind in ENERGIES else found.unit.text if found is not None else ""
    return Label(SYMBOLS[kind], unit)


def beginning(take: Take, begin: str) -> float | None:
    """When times begin in a take, s on its clock; None where that is not there."""
    if begin == FILM:
        return 0.0
    if begin == RELEASE:
        return _at_rest(take)
    if begin == IMPACT:
        event = event_found(take, take.events[0]) if take.events else None
        side = next((s.event for s in event.sides if s.event is not None), None) if event else None
        return float(side.at) if side is not None else None
    instant = next((i for i in take.timing.instants if i.event == begin), None)
    found = instant_value(take, instant) if instant is not None else None
    return None if found is None or isinstance(found, str) else float(found)


def _at_rest(take: Take) -> float | None:
    """When the model of the headline was at rest last before its readings, or was let go."""
    segment = take.headline_segment
    fit = segment_fit(take, segment) if segment is not None else None
    if segment is None or not isinstance(fit, SegmentFit):
        return None
    v, a = fit.parameters.get("velocity"), fit.parameters.get("acceleration")
    if v is None or a is None or not float(a):
        return fit.start_s
    before = float(v) / float(a)
    return fit.start_s - before if abs(before) < EARLIEST_S else fit.start_s


def graphed_bodies(notebook: Notebook, wanted: MotionGraph) -> tuple[list[GraphedBody], list[str]]:
    """What a graph shows of each body, and what could not be shown, in sentences."""
    found: list[GraphedBody] = []
    troubles: list[str] = []
    without: list[str] = []
    takes = {one.take for one in wanted.shown}
    for i, one in enumerate(wanted.shown):
        take = notebook.take(one.take)
        body = take.body(one.body) if take is not None else None
        if take is None or body is None:
            continue
        name = body.name if len(takes) == 1 else f"{take.name}, {body.name}"
        look = body.look if len(takes) == 1 and one.seen_from is None else i
        begins = beginning(take, wanted.begin)
        if begins is None:
            without.append(name)
            continue
        try:
            made = _graphed_body(take, body, one, wanted, (name, look, begins))
        except PivotError as error:
            troubles.append(f"{name}: {error}")
            continue
        except NotGraphedError:
            troubles.append(_("{name}: energies need a scale.").format(name=name))
            continue
        if made is None:
            continue
        if found and (made.x.unit, made.y.unit) != (found[0].x.unit, found[0].y.unit):
            # metres and pixels do not go on one axis
            words = _("{name} is in other units than {other}: give both a scale.")
            troubles.append(words.format(name=name, other=found[0].name))
            continue
        found.append(made)
    if without:
        words = _("What times are to begin with is not there: {names}.")
        troubles.append(words.format(names=", ".join(without)))
    return found, troubles


def _graphed_body(
    take: Take, body: Body, one: ShownBody, wanted: MotionGraph, shown: tuple[str, int, float]
) -> GraphedBody | None:
    name, look, begins = shown
    seen_from = take.body(one.seen_from)
    motion = motion_in(take, body, f"x@{one.seen_from}") if seen_from is not None else body_motion(take, body)
    if len(motion.t) < 2 or np.any(np.diff(motion.t) <= 0):
        return None
    tilt = mapping_of(take).tilt
    course = Course(motion.t, motion.x, motion.y, tilt, wanted.window)
    x, y = graphed(course, wanted.x), graphed(course, wanted.y)
    curves = _curves(take, body, wanted) if wanted.models and seen_from is None else ()
    if seen_from is not None:
        name = _("{body} seen from {other}").format(body=name, other=seen_from.name)
    x, y = (
        Graphed(q.values - begins, q.u, q.unit) if kind == "t" else q
        for kind, q in ((wanted.x, x), (wanted.y, y))
    )
    shifts = [begins if kind == "t" else 0.0 for kind in (wanted.x, wanted.y)]
    moved = tuple((along - shifts[0], up - shifts[1]) for along, up in curves)
    return GraphedBody(one, name, look, motion.t - begins, motion.frames, x, y, moved)


def _curves(take: Take, body: Body, wanted: MotionGraph) -> tuple[tuple[Array, Array], ...]:
    """What the segments of a body say of what is graphed; x and y together where both have a model."""
    fits = [
        (s, f) for s in take.segments
        if s.body == body.id and isinstance(f := segment_fit(take, s), SegmentFit)
    ]  # fmt: skip
    tilt = mapping_of(take).tilt
    out = []
    for segment, fit in fits:
        t = np.linspace(fit.start_s, fit.start_s + fit.span_s, STEPS)
        if segment.of in ("angle", "path", "radius"):
            found = {"t": t, segment.of: fit.position(t)}
            if segment.of == "angle":
                found |= {"omega": fit.velocity(t), "alpha": fit.acceleration(t)}
        else:
            x, y = _along("x", segment, fits, t), _along("y", segment, fits, t)
            found = model_course(x, y, t, tilt)
        if wanted.x in found and wanted.y in found:
            out.append((found[wanted.x], found[wanted.y]))
    return tuple(out)


def _along(
    axis: str, segment: Segment, fits: list[tuple[Segment, SegmentFit]], t: Array
) -> Callable[[Array, int], Array] | None:
    """The model along an axis while a segment lasts: its own, or that of another over the same time."""
    fit = next((f for s, f in fits if s is segment and s.of in (axis, "xy")), None) or next(
        (
            f for s, f in fits
            if s.of in (axis, "xy") and f.start_s <= t[0] and f.start_s + f.span_s >= t[-1]
        ),
        None,
    )  # fmt: skip
    if fit is None:
        return None

    def told(at: Array, order: int) -> Array:
        return (fit.position, fit.velocity, fit.acceleration)[order](at, axis)

    return told


def motion_chart(bodies: list[GraphedBody], wanted: MotionGraph) -> Chart:
    """The graph as plain data; 95 % bars of what the readings alone leave uncertain."""
    points, curves = [], []
    for body in bodies:
        bars = [NORMAL_95 * q.u if np.any(q.u > 0) else None for q in (body.x, body.y)]
        points.append(Points(body.x.values, body.y.values, bars[1], body.look, body.name, U_x=bars[0]))
        curves += [Curve(x, y, look=None) for x, y in body.curves]
    first = bodies[0] if bodies else None
    return Chart(
        axis_label(wanted.x, first.x if first is not None else None),
        axis_label(wanted.y, first.y if first is not None else None),
        tuple(points),
        tuple(curves),
        named_x=True,
    )


def point_words(body: GraphedBody, point: int, chart: Chart | None) -> list[str]:
    """The two values of a point as lines, each with the 95 % half-width that the readings alone leave."""
    out = []
    for q, label in ((body.x, chart.x if chart else None), (body.y, chart.y if chart else None)):
        value, half = float(q.values[point]), NORMAL_95 * float(q.u[point])
        unit = label.unit if label is not None else q.unit.text
        told = stated_in(value, half, unit) if half > 0 else f"{written_number(value)} {unit}"
        out.append(f"{label.symbol} = {told}" if label is not None else told)
    return out


def motion_columns(bodies: list[GraphedBody], wanted: MotionGraph) -> tuple[list[str], list[list[Cell]]]:
    """The table of a graph: for each body frame, x, its u, y and its u beside each other."""
    header: list[str] = []
    columns: list[list[Cell]] = []
    for i, body in enumerate(bodies, 1):
        tail = f" {i}" if len(bodies) > 1 else ""
        header += [f"body{tail}", f"frame{tail} [1]"]
        columns += [[body.name] * len(body.t), list(map(int, body.frames))]
        for kind, q in ((wanted.x, body.x), (wanted.y, body.y)):
            unit = "J/kg" if kind in ENERGIES else q.unit.ascii
            header.append(f"{kind}{tail} [{unit}]")
            columns.append(list(map(float, q.values)))
            if np.any(q.u > 0):
                header.append(f"u({kind}{tail}) [{unit}]")
                columns.append(list(map(float, q.u)))
    return header, [list(row) for row in zip_longest(*columns)]
