"""What an event gives: velocities just before and after it, and what of momentum and energy is left."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.compare import Comparison, compare
from saltus.core.entry import entry
from saltus.core.motion.coordinates import PivotError
from saltus.core.motion.events import Event, EventError, Level, Sides, event_of
from saltus.core.motion.models import REST
from saltus.core.motion.segment import Fitted
from saltus.core.quantities import measured
from saltus.core.sources import given
from saltus.core.units import KILOGRAM, METRE, RADIAN, SECOND, UnitError
from saltus.core.written import WrittenError
from saltus.notebook.derived.frame_clock import clock_of
from saltus.notebook.derived.motion import body_motion, segment_mask
from saltus.notebook.derived.times import instant_value
from saltus.notebook.memory import remembered
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.notebook.before_after import BeforeAfter, Side
    from saltus.notebook.derived.motion import BodyMotion
    from saltus.notebook.model import Take


@dataclass(frozen=True)
class SideFound:
    """One body at an event: what its segments say, and its mass or moment of inertia as typed."""

    side: Side
    event: Event | None
    inertia: Quantity | None
    problem: str = ""


@dataclass(frozen=True)
class Part:
    """What one body brings to a sum before and after, SI."""

    body: str
    before: float
    after: float


@dataclass(frozen=True)
class Balance:
    """A sum over all bodies before and after an event, how the two compare, and what each body brings."""

    before: Quantity
    after: Quantity
    compared: Comparison
    parts: tuple[Part, ...]


@dataclass(frozen=True)
class EventFound:
    """What an event gives.

    Attributes
    ----------
    at : Quantity or None
        The instant, s: the one that was marked, else where the segments of the body that tells it best meet.
    sides : tuple of SideFound
    momentum, energy : Balance or None
        Of all bodies; angular where the event is one of angles. None until every body has its velocities and
        its mass.
    energy_lost : Quantity or None
        Part of the kinetic energy that is gone, dimensionless.
    """

    at: Quantity | None
    sides: tuple[SideFound, ...]
    momentum: Balance | None = None
    energy: Balance | None = None
    energy_lost: Quantity | None = None

    def values(self) -> dict[str, Quantity]:
        """Everything it gives by the name a link uses."""
        out: dict[str, Quantity] = {}
        for found in self.sides:
            for name in ("before", "after", "change", "slope_before", "slope_after"):
                q = getattr(found.event, name) if found.event is not None else None
                if q is not None:
                    out[f"{name} {found.side.body}"] = q
        for name, balance in (("momentum", self.momentum), ("energy", self.energy)):
            if balance is not None:
                out[f"{name}_before"], out[f"{name}_after"] = balance.before, balance.after
        if self.energy_lost is not None:
            out["energy_lost"] = self.energy_lost
        return out


@remembered
def event_found(take: Take, event: BeforeAfter) -> EventFound:
    """Carry every body of an event to its instant, and add up what they have."""
    first = [_side(take, event, side, None) for side in event.sides]
    told = [f.event.at for f in first if f.event is not None]
    at = _marked(take, event)
    if at is None and told:
        at = min(told, key=lambda q: float(q.u))
    sides = tuple(first if at is None else [_side(take, event, side, at) for side in event.sides])
    momentum, energy = _sums(sides)
    lost = None
    if energy is not None and float(energy.before) > 0:
        lost = 1.0 - energy.after / energy.before
    return EventFound(at, sides, momentum, energy, lost)


def _marked(take: Take, event: BeforeAfter) -> Quantity | None:
    """The instant that was marked for it, where there is one."""
    instant = take.timing.instant(event.instant) if event.instant is not None else None
    at = instant_value(take, instant) if instant is not None else None
    return None if at is None or isinstance(at, str) else at


def _side(take: Take, event: BeforeAfter, side: Side, at: Quantity | None) -> SideFound:
    """Carry one body; without an instant to that at which its own segments meet."""
    inertia, problem = _inertia(event, side)
    body = take.body(side.body)
    if body is None:
        return SideFound(side, None, inertia, say("event.body-gone"))
    motion = body_motion(take, body)
    rests = [name for name, s in (("before", side.before), ("after", side.after)) if s and _rests(take, s)]
    still: Level | None = None
    if rests:
        still = "both" if len(rests) == 2 else "before" if rests[0] == "before" else "after"
    masks = Sides(_mask(take, motion, side.before), _mask(take, motion, side.after), event.level, still)
    of = Fitted(body.id, event.of, event.id, motion.frames, bool(motion.followed.any()))
    try:
        made = event_of(motion.t, motion.of(event.of), masks, at, clock_of(take), of)
    except (EventError, PivotError) as error:
        return SideFound(side, None, inertia, str(error))
    if made is None:
        problem = problem or say("event.segments-do-not-meet")
    return SideFound(side, made, inertia, problem)


def _rests(take: Take, segment_id: str) -> bool:
    """Whether the person chose the model of a body at rest."""
    segment = take.segment(segment_id)
    return segment is not None and segment.model == REST.name


def _mask(take: Take, motion: BodyMotion, segment_id: str | None) -> NDArray[np.bool_]:
    segment = take.segment(segment_id) if segment_id is not None else None
    return np.zeros(len(motion.t), dtype=bool) if segment is None else segment_mask(motion, segment)


def _inertia(event: BeforeAfter, side: Side) -> tuple[Quantity | None, str]:
    """The mass, or moment of inertia, as typed; and what is wrong with it."""
    if not side.inertia.strip():
        return None, ""
    wanted = KILOGRAM * METRE**2 if event.of == "angle" else KILOGRAM
    try:
        read = entry(side.inertia)
    except (WrittenError, UnitError) as error:
        return None, str(error)
    if not read.unit.goes_with(wanted) or not read.value > 0:
        return None, say("event.wants-moment" if event.of == "angle" else "event.wants-mass")
    source = given(f"{event.id}-{side.body}", "instruments")
    return measured(read.value, read.u or 0.0, wanted, source), ""


def _sums(sides: tuple[SideFound, ...]) -> tuple[Balance | None, Balance | None]:
    """Momentum and kinetic energy before and after, where every body gives its part."""
    momenta: list[tuple[Quantity, Quantity]] = []
    energies: list[tuple[Quantity, Quantity]] = []
    for found in sides:
        made, m = found.event, found.inertia
        if made is None or made.before is None or made.after is None or m is None:
            return None, None
        if made.before.unit not in (METRE / SECOND, RADIAN / SECOND):
            return None, None
        momenta.append((m * made.before, m * made.after))
        energies.append((m * made.before * made.before * 0.5, m * made.after * made.after * 0.5))
    # momenta may cancel: what a difference of them is measured by is the sum of their sizes
    scale = sum(abs(float(before)) for before, _after in momenta)
    return _balance(sides, momenta, scale), _balance(sides, energies, None)


def _balance(
    sides: tuple[SideFound, ...], pairs: list[tuple[Quantity, Quantity]], scale: float | None
) -> Balance:
    """Add up what the bodies bring, and compare after with before."""
    before, after = _added([b for b, _a in pairs]), _added([a for _b, a in pairs])
    parts = tuple(Part(f.side.body, float(b), float(a)) for f, (b, a) in zip(sides, pairs, strict=True))
    return Balance(before, after, compare(after, before, scale=scale), parts)


def _added(parts: list[Quantity]) -> Quantity:
    total = parts[0]
    for part in parts[1:]:
        total = total + part
    return total
