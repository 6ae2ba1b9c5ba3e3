"""Can the scale be trusted? What was checked, what was not, and what each could do to the headline result.

What a fault would do is found by working the result out again with the fault put right: the camera that may
look five degrees off is supposed to do so, and so on. The usual sizes of faults are assumptions
(:class:`saltus.notebook.geometry.UsualFaults`), stated and editable.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.lens import Lens
from saltus.core.geometry.tilt import Tilt
from saltus.core.quantities import exact
from saltus.notebook.derived.geometry import geometry_of, known_references, middle_and_radius
from saltus.notebook.derived.headline_under import HeadlineUnder
from saltus.notebook.derived.lengths import checked_lengths
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from numpy.typing import NDArray

    from saltus.core.geometry.mapping import Mapping
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Take

Fault = Literal["plane", "perspective", "lens", "camera", "clock", "reference", "direction"]
FOCAL = 0.95
"""Distance of the pinhole over the width of the picture: the usual telephone."""


@dataclass(frozen=True)
class Effect:
    """What one thing does to the headline result if it is ignored.

    Attributes
    ----------
    what : str
        Which thing.
    percent : float or None
        By how much of itself the result would be changed, 0 or more; None where there is no result yet.
    change : float or None
        The same in the unit of the result.
    agrees : bool or None
        For what was checked by holding something against it: whether that agreed.
    """

    what: Fault
    percent: float | None
    change: float | None
    agrees: bool | None = None


@dataclass(frozen=True)
class Trust:
    """What is known and not known of the scale of a take.

    Attributes
    ----------
    name : str
        What the effects are on: a name of the headline result, or ``length``.
    value : Quantity or None
        The headline result, or a length across the picture where there is none yet.
    unchecked, checked : tuple of Effect
        Largest first.
    """

    name: str
    value: Quantity | None
    unchecked: tuple[Effect, ...]
    checked: tuple[Effect, ...]

    @property
    def stated_percent(self) -> float:
        """The stated 95 % uncertainty of the result in per cent of it."""
        if self.value is None or not float(self.value):
            return 0.0
        return 100 * self.value.U95 / abs(float(self.value))

    @property
    def doubtful(self) -> tuple[Effect, ...]:
        """What is not checked and could do more than the stated uncertainty."""
        return tuple(e for e in self.unchecked if (e.percent or 0.0) > self.stated_percent)


@remembered
def trust_of(take: Take) -> Trust | None:
    """What is checked and unchecked of the scale of a take; None while there is no scale."""
    found = geometry_of(take)
    if not found.mapping.scaled:
        return None
    result = HeadlineUnder(take)
    checks = {
        "plane": _plane_checked(take),
        "perspective": found.mapping.ground is not None or bool(found.together and found.together.agree),
        "lens": found.mapping.lens is not None,
        "camera": found.camera.motion is not None,
        "clock": take.clock_U95_percent > 0,
        "reference": any(c.held.agree is not None for c in checked_lengths(take))
        or bool(found.together and found.together.agree is not None),
        "direction": take.axes is not None and (take.axes.by != "typed" or take.axes.u_angle_deg > 0),
    }
    checked = [_ignored(result, what) for what, so in checks.items() if so]  # type: ignore[arg-type]
    unchecked = [_usual(result, what) for what, so in checks.items() if not so]  # type: ignore[arg-type]

    def size(effect: Effect) -> float:
        return -(effect.percent or 0.0)

    return Trust(
        result.name, result.value, tuple(sorted(unchecked, key=size)), tuple(sorted(checked, key=size))
    )


def _effect(
    result: HeadlineUnder, what: Fault, values: Iterable[float | None], agrees: bool | None = None
) -> Effect:
    """By how much the farthest of some values differs from the present one."""
    now = result.now
    away = [abs(v - now) for v in values if v is not None and now is not None and math.isfinite(v)]
    if now is None or not away:
        return Effect(what, None, None, agrees)
    change = max(away)
    return Effect(what, 100 * change / abs(now) if now else None, change, agrees)


def _plane_checked(take: Take) -> bool:
    """Whether it was said how much nearer the motion is, and that can be counted."""
    found = geometry_of(take)
    if found.together is not None and found.together.with_motion is not None:
        return True
    nearer = take.geometry.nearer
    return nearer is not None and (found.by_distance is not None or not (nearer.value or nearer.U95))


def _usual(result: HeadlineUnder, what: Fault) -> Effect:
    """What a fault of its usual size would do."""
    take, mapping, usual = result.take, result.mapping, result.take.geometry.usual
    centre, radius = middle_and_radius(take)
    angle, focal = math.radians(usual.tilt_deg), FOCAL * take.facts.width
    values: dict[Fault, Callable[[], list[float | None]]] = {
        "perspective": lambda: [
            _tilted(result, Tilt(pan, pitch, centre, focal))
            for pan, pitch in ((angle, 0.0), (-angle, 0.0), (0.0, angle), (0.0, -angle))
        ],
        "lens": lambda: [_bent(result, Lens(k1, centre, radius)) for k1 in (usual.k1, -usual.k1)],
        "camera": lambda: [
            result.under(mapping, drift=drift) for drift in ((usual.camera_px, 0.0), (0.0, usual.camera_px))
        ],
        "clock": lambda: [result.under(mapping, slower=1 + usual.clock_percent / 100)],
        "reference": lambda: [_scaled(result, 1 + usual.reference_percent / 100)],
        "direction": lambda: [
            _turned(result, math.radians(d)) for d in (usual.direction_deg, -usual.direction_deg)
        ],
        "plane": lambda: [_scaled(result, 1 + share) for share in _off_plane(take)],
    }
    return _effect(result, what, values[what]())


def _off_plane(take: Take) -> list[float]:
    """By what shares the scale may be off as nobody said in which plane the motion lies."""
    found, usual = geometry_of(take), take.geometry.usual
    if found.together is not None and found.together.agree is False:
        # the references themselves say how much it can be
        return [(against.percent or 0.0) / 100 for against in found.together.each]
    away = (
        1 / float(found.by_distance)
        if found.by_distance is not None and float(found.by_distance) > 0
        else None
    )
    share = usual.offset_m / (away or usual.distance_m)
    return [share, -share]


def _ignored(result: HeadlineUnder, what: Fault) -> Effect:
    """What ignoring something that was checked would do."""
    take, mapping = result.take, result.mapping
    found = geometry_of(take)
    off = [abs(c.held.percent or 0.0) for c in checked_lengths(take)]
    off += [abs(a.percent or 0.0) for a in (found.together.each if found.together else ())]
    values: dict[Fault, Callable[[], list[float | None]]] = {
        "perspective": lambda: [result.under(flat) for flat in _flat(result)],
        "lens": lambda: [_bent(result, None)],
        "camera": lambda: [result.under(replace(mapping, camera_motion=None))],
        "clock": lambda: [result.under(mapping, slower=1 + take.clock_U95_percent / 100)],
        "reference": lambda: [_scaled(result, 1 + max(off, default=0.0) / 100)],
        "direction": lambda: [_turned(result, 2 * mapping.axes.u_angle)],
        "plane": lambda: [result.under(found.base)],
    }
    agrees = _agreement(take) if what in ("perspective", "reference") else None
    return _effect(result, what, values[what](), agrees)


def _agreement(take: Take) -> bool | None:
    """Whether all lengths that were held against something agreed; None where none could tell."""
    found = geometry_of(take)
    told = [c.held.agree for c in checked_lengths(take)]
    told += [found.together.agree] if found.together is not None else []
    known = [t for t in told if t is not None]
    return all(known) if known else None


def _flat(result: HeadlineUnder) -> list[Mapping]:
    """The picture taken as seen square-on, with the scale that reference lengths or the ground would give."""
    mapping = result.mapping
    if mapping.ground is None:
        together = geometry_of(result.take).together
        return [replace(mapping, scale=a.scale) for a in together.each] if together is not None else []
    lengths = [
        exact(c.known.value) / exact(math.dist(c.laid.start, c.laid.end))
        for c in checked_lengths(result.take)
    ]
    scales = lengths or [exact(mapping.per_px)]
    axes = replace(mapping.axes, origin=mapping.origin)
    along = mapping.headings(*mapping.origin)[0]
    axes = replace(axes, angle=math.atan2(-along[1], along[0]))
    return [replace(mapping, ground=None, scale=scale, axes=axes, nearer=None) for scale in scales]


def _rescaled(result: HeadlineUnder, mapping: Mapping) -> Mapping:
    """With the scale that reference lengths have in a picture straightened another way."""
    if mapping.scale is None:
        return mapping
    factors = []
    for reference in known_references(result.take):
        ends = np.array(reference.placed).T
        now, then = (_size(m.straightened(ends)) for m in (result.mapping, mapping))
        factors.append(now / max(then, 1e-9))
    return replace(mapping, scale=mapping.scale * float(np.mean(factors or [1.0])))


def _size(ends: NDArray[np.float64]) -> float:
    return float(np.hypot(*(ends[:, 1] - ends[:, 0])))


def _tilted(result: HeadlineUnder, tilt: Tilt) -> float | None:
    return result.under(_rescaled(result, replace(result.mapping, supposed=tilt)))


def _bent(result: HeadlineUnder, lens: Lens | None) -> float | None:
    mapping = replace(result.mapping, lens=lens)
    try:
        if mapping.ground is not None:
            mapping = replace(mapping, ground=replace(mapping.ground, lens=lens))
    except GeometryError:
        return None
    return result.under(_rescaled(result, mapping))


def _turned(result: HeadlineUnder, by: float) -> float | None:
    axes = result.mapping.axes
    return result.under(replace(result.mapping, axes=replace(axes, angle=axes.angle + by)))


def _scaled(result: HeadlineUnder, factor: float) -> float | None:
    mapping = result.mapping
    scale = exact(factor) if mapping.scale is not None or mapping.nearer is None else mapping.nearer * factor
    return result.under(mapping.in_plane_nearer(scale))
