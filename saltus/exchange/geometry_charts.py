"""Graphs of a scale: along the way of the motion, known lengths held against it, the bend of an edge."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import NORMAL_95
from saltus.core.geometry.seen import Seen
from saltus.core.notation.line import Run
from saltus.core.wording import _
from saltus.exchange.chart import Chart, Curve, Label, Points
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.derived.geometry_words import reference_name
from saltus.notebook.derived.lengths import checked_lengths

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.mapping import Mapping
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Take

    Array = NDArray[np.float64]

STEPS = 25
BLUE = 1


def scale_along(take: Take) -> Chart | None:
    """Metres per pixel along x of the axes, with its 95 % band; None where it is the same everywhere.

    Square-on without a lens there is one scale: its band says how well it is known.
    """
    mapping = geometry_of(take).mapping
    if not mapping.scaled:
        return None
    seen = _along(take, mapping)
    if seen is None:
        return None
    at, local = _local_scale(mapping, seen)
    value, half = 1000 * local.value, 1000 * NORMAL_95 * local.u
    curves = [Curve(at, value)]
    if mapping.ground is not None or mapping.lens is not None:
        whole = float(np.ptp(at)) / float(np.sum(np.hypot(*np.diff(seen, axis=1))))
        curves.append(Curve(at, np.full(len(at), 1000 * abs(whole)), "dashed"))
    spread = max(float(np.max(half)), 1e-4 * float(np.mean(value)))
    low, high = float(np.min(value - half)), float(np.max(value + half))
    return Chart(
        Label("x", "m"), Label(""), (), tuple(curves), ribbon=(at, value - half, value + half),
        named_x=True, y_range=(low - spread, high + spread),
    )  # fmt: skip


def _along(take: Take, mapping: Mapping) -> Array | None:
    """Places along x through the motion, or through the middle of the picture, (2, STEPS) px."""
    read = [b.readings.used for b in take.bodies if len(b.readings.used.frame) > 1]
    if read:
        seen = np.stack([np.concatenate([u.x for u in read]), np.concatenate([u.y for u in read])])
    elif mapping.ground is not None:
        straight = mapping.ground.straight
        seen = straight if mapping.lens is None else mapping.lens.bent(straight)
    else:
        width, height = take.facts.width, take.facts.height
        seen = np.array([[0.1 * width, 0.9 * width], [0.5 * height, 0.5 * height]])
    seen = seen[:, mapping.reaches(seen)]
    if seen.shape[1] < 2:
        return None
    nothing = np.zeros(seen.shape[1])
    x, y = mapping.world(Seen(seen[0], seen[1], nothing, nothing, np.arange(seen.shape[1]), steady=True))
    along = np.linspace(float(x.value.min()), float(x.value.max()), STEPS)
    if float(np.ptp(along)) <= 0:
        return None
    return np.stack(mapping.picture(along, np.full(STEPS, float(np.median(y.value)))))


def _local_scale(mapping: Mapping, seen: Array) -> tuple[Array, Quantity]:
    """Where along x, m, and metres per px there, from places one px apart."""
    way = np.diff(seen, axis=1)
    way = way / np.hypot(*way)
    middle = 0.5 * (seen[:, 1:] + seen[:, :-1])
    ends = [middle + 0.5 * sign * way for sign in (-1, 1)]
    both = np.concatenate(ends, axis=1)
    nothing = np.zeros(both.shape[1])
    x, y = mapping.world(Seen(both[0], both[1], nothing, nothing, np.arange(both.shape[1]), steady=True))
    count = middle.shape[1]
    dx, dy = x[count:] - x[:count], y[count:] - y[:count]
    size = np.hypot(dx.value, dy.value)
    local = dx * (dx.value / size) + dy * (dy.value / size)
    return 0.5 * (x.value[count:] + x.value[:count]), local


def lengths_compared(take: Take) -> Chart | None:
    """By how many per cent each known length differs, with 95 % bars; None with fewer than two.

    With reference lengths against their mean, with a plane or a track against it.
    """
    found = geometry_of(take)
    rows: list[tuple[str, float, float]] = []
    if found.together is not None and len(found.together.each) > 1:
        mean = float(found.together.scale)
        for against in found.together.each:
            off, U95 = 100 * (float(against.scale) / mean - 1), 100 * against.scale.U95 / mean
            rows.append((reference_name(take, against.reference.name or None), off, U95))
    for check in checked_lengths(take):
        known = float(check.known)
        rows.append(
            (
                reference_name(take, check.laid.id),
                check.held.percent or 0.0,
                100 * check.held.difference.U95 / known,
            )
        )
    if not rows:
        return None
    at = np.arange(len(rows), dtype=float)
    points = Points(at, np.array([r[1] for r in rows]), np.array([r[2] for r in rows]), BLUE)
    zero = Curve(np.array([-0.6, len(rows) - 0.4]), np.zeros(2), "dashed")
    reach = 1.25 * max(0.05, *(abs(r[1]) + r[2] for r in rows))
    return Chart(
        Label(""), Label("", "%"), (points,), (zero,), x_range=(-0.6, len(rows) - 0.4),
        y_range=(-reach, reach), x_names=tuple((float(n), row[0]) for n, row in enumerate(rows)),
    )  # fmt: skip


def camera_shift(take: Take) -> Chart | None:
    """How far the middle of the picture has moved to the right and down with time, px; None where unknown."""
    motion = geometry_of(take).camera.motion
    if motion is None:
        return None
    t = frame_times(take)[motion.frames]
    right, down = motion.moves[:2]
    points = (Points(t, right, None, BLUE, _("right")), Points(t, down, None, 0, _("down")))
    reach = max(0.5, 1.15 * float(np.abs(motion.moves[:2]).max()))
    time, shift = Label("", "s", (Run(_("time")),)), Label("", "px", (Run(_("shift")),))
    return Chart(time, shift, points, y_range=(-reach, reach), named_x=True)


def edge_bend(take: Take) -> Chart | None:
    """Distance of the marks of an edge from its chord as filmed, and straightened, px; None without."""
    found = geometry_of(take)
    edges = take.geometry.edges
    if found.bend is None or edges is None:
        return None
    spots = [np.array(edge) for edge in edges.edges]
    at = np.concatenate([np.hypot(*(line - line[0]).T) for line in spots])
    corrected = np.concatenate(found.bend.left)
    seen = np.concatenate(found.bend.seen)
    filmed = Points(at, seen, None, BLUE, _("as filmed"), hollow=np.ones(len(at), dtype=bool))
    left = Points(at, corrected, None, BLUE, _("corrected"))
    return Chart(Label("", "px", (Run(_("along the edge")),)), Label("", "px"), (filmed, left), named_x=True)
