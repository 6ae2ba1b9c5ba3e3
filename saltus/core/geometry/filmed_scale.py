"""Reading an instrument in the picture: a rule or a dial of which some divisions are known."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core import sources
from saltus.core.geometry.divisions import Dial, Rule, dial_of, rule_of
from saltus.core.quantities import members
from saltus.core.quantity import Quantity
from saltus.core.shares import Elements, Single

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.seen import Seen
    from saltus.core.shares import Share
    from saltus.core.sources import Source
    from saltus.core.units import Unit

    Array = NDArray[np.float64]

STEP_PX = 0.01
"""Of the differences that tell how a reading changes with each place."""


@dataclass(frozen=True)
class DividedScale:
    """An instrument with known divisions, as it lies in the steady picture.

    Attributes
    ----------
    take, name : str
        Name its sources.
    kind : {"straight", "round"}
    places : (2, D) ndarray
        Divisions, straightened, px.
    values : (D,) ndarray
        What stands at them, in the SI unit.
    unit : Unit
    u_px : float
        Standard uncertainty of each place of a division, px.
    middle : (x, y) or None
        About which the pointer of a dial turns, px; None: the middle of the circle of its divisions.
    accuracy : float
        Standard uncertainty of the instrument itself, in the SI unit.
    nearer : Quantity or None
        (D − g)/D of a pointer that stands off by g towards a camera at D, dimensionless.
    sight : (x, y)
        Where the camera looks straight at: the middle of its picture, px.
    """

    take: str
    name: str
    kind: Literal["straight", "round"]
    places: Array
    values: Array
    unit: Unit
    u_px: float
    middle: tuple[float, float] | None = None
    accuracy: float = 0.0
    nearer: Quantity | None = None
    sight: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class ScaleReadings:
    """What an instrument shows.

    Attributes
    ----------
    value : Quantity
        (N,)
    beyond : (N,) ndarray of bool
        Whether the pointer stands outside the known divisions.
    law : Rule or Dial
        How value goes with place.
    """

    value: Quantity
    beyond: NDArray[np.bool_]
    law: Rule | Dial


def read_scale(scale: DividedScale, pointer: Seen) -> ScaleReadings:
    """Read an instrument where its pointer was seen.

    Parameters
    ----------
    scale : DividedScale
    pointer : Seen
        Places of the pointer, straightened, in the steady picture, px.

    Raises
    ------
    GeometryError
        If the divisions make no scale.
    """
    law = _law(scale, scale.places, scale.middle)
    seen = np.stack([pointer.x, pointer.y])
    at, factor = _behind(scale, seen)
    value, beyond = law.at(at), law.beyond(at)
    slopes = _slopes(law, at) * factor
    shares: dict[Source, Share] = {}
    keys = pointer.frames if pointer.keys is None else pointer.keys
    for n, u in enumerate((pointer.u_x, pointer.u_y)):
        source = sources.reading(scale.take, pointer.body, sources.AXES[n])
        source = sources.with_dof(source, pointer.dof)
        shares |= members(value, slopes[n] * u, scale.unit, source, keys).shares
    for patch in pointer.patches:
        for n, u in enumerate((patch.u_x, patch.u_y)):
            source = sources.patch(scale.take, pointer.body, patch.run, sources.AXES[n])
            shares[source] = Single(slopes[n] * u)
    if scale.nearer is not None:
        away = seen - np.array(scale.sight)[:, None]
        by_factor = np.sum(slopes / factor * away, axis=0)
        for (source, _key), relative in scale.nearer.signed_elements().items():
            shares[source] = Single(by_factor * relative)
    found = Quantity(value, scale.unit, {s: p for s, p in shares.items() if _enters(p)})
    for source, c in _by_divisions(scale, law, at):
        found = found.with_source(source, c)
    if scale.accuracy:
        found = found.with_source(sources.scale_accuracy(scale.take, scale.name), scale.accuracy)
    return ScaleReadings(found, beyond, law)


def _enters(share: Share) -> bool:
    return len(share.row) > 0 if isinstance(share, Elements) else bool(share.c.any())


def _law(scale: DividedScale, places: Array, middle: tuple[float, float] | None) -> Rule | Dial:
    if scale.kind == "straight":
        return rule_of(places, scale.values, scale.u_px)
    return dial_of(places, scale.values, scale.u_px, middle)


def _behind(scale: DividedScale, seen: Array) -> tuple[Array, float]:
    """Where on the scale lies what stands before it: what is nearer is seen farther from the middle."""
    if scale.nearer is None:
        return seen, 1.0
    factor, sight = float(scale.nearer), np.array(scale.sight)[:, None]
    return np.asarray(sight + (seen - sight) * factor), factor


def _slopes(law: Rule | Dial, at: Array) -> Array:
    """How readings change with each place of the pointer, (2, N) per px."""
    steps = [np.array([[STEP_PX], [0.0]]), np.array([[0.0], [STEP_PX]])]
    return np.stack([(law.at(at + s) - law.at(at - s)) / (2 * STEP_PX) for s in steps])


def _by_divisions(scale: DividedScale, law: Rule | Dial, at: Array) -> list[tuple[Source, Array]]:
    """What all readings have in common by the places of the divisions: sensitivity × u by source."""
    out = []
    u = scale.u_px * law.spread
    count = scale.places.shape[1]
    for number in range(-1 if scale.middle is not None else 0, count):
        for axis, name in enumerate(sources.AXES):
            ends = []
            for way in (STEP_PX, -STEP_PX):
                places, middle = scale.places.copy(), scale.middle
                if number >= 0:
                    places[axis, number] += way
                elif middle is not None:
                    middle = (middle[0] + way * (axis == 0), middle[1] + way * (axis == 1))
                ends.append(law.moved(places, middle).at(at))
            c = (ends[0] - ends[1]) / (2 * STEP_PX) * u
            out.append((sources.division(scale.take, scale.name, number, name), c))
    return [(source, c) for source, c in out if math.sqrt(float(np.sum(c**2))) > 0]
