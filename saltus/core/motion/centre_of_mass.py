"""The centre of mass of several bodies, with what their places and masses are unsure of."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.units import ONE

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity


def centre_of_mass(places: list[Quantity], masses: list[Quantity]) -> Quantity:
    """Give Σ m·x / Σ m along one coordinate.

    Parameters
    ----------
    places : list of Quantity
        (N,) of each body at the same times, m or px.
    masses : list of Quantity
        Single values, kg, none below zero and not all zero.

    Returns
    -------
    Quantity
        (N,) in the unit of the places.
    """
    total = masses[0]
    for mass in masses[1:]:
        total = total + mass
    middle = places[0] * (masses[0] / total).with_unit(ONE)
    for place, mass in zip(places[1:], masses[1:], strict=True):
        middle = middle + place * (mass / total).with_unit(ONE)
    return middle
