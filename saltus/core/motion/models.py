"""The models a segment of motion may follow."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.units import SECOND, Unit
from saltus.core.wording import _

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    Array = NDArray[np.float64]


@dataclass(frozen=True)
class Model:
    """A model that is linear in its parameters, times counted from the start of the segment.

    Attributes
    ----------
    name : str
        As in files and on the command line.
    parameters : tuple of str
    time_powers : tuple of int
        A parameter has the unit of position over s to this power; it scales with the clock accordingly.
    design : callable
        (N,) times in s to the (N, P) matrix of derivatives by the parameters.
    """

    name: str
    parameters: tuple[str, ...]
    time_powers: tuple[int, ...]
    design: Callable[[Array], Array]

    def unit_of(self, index: int, position: Unit) -> Unit:
        """Unit of one parameter, given that of the positions."""
        return position / SECOND ** self.time_powers[index]

    def speed(self, tau: Array, parameters: Array) -> Array:
        """Velocity at times since the start (N,), in the unit of position per second."""
        out = np.zeros_like(tau)
        for power, value in zip(self.time_powers[1:], parameters[1:], strict=True):
            out = out + value * tau ** (power - 1)
        return out


REST = Model("rest", ("position",), (0,), lambda tau: np.ones((tau.size, 1)))
CONSTANT_VELOCITY = Model(
    "constant-velocity",
    ("position", "velocity"),
    (0, 1),
    lambda tau: np.column_stack([np.ones_like(tau), tau]),
)
CONSTANT_ACCELERATION = Model(
    "constant-acceleration",
    ("position", "velocity", "acceleration"),
    (0, 1, 2),
    lambda tau: np.column_stack([np.ones_like(tau), tau, 0.5 * tau**2]),
)
MODELS: dict[str, Model] = {m.name: m for m in (REST, CONSTANT_VELOCITY, CONSTANT_ACCELERATION)}


def model_title(name: str) -> str:
    """Words for a model."""
    return {
        "rest": _("Rest"),
        "constant-velocity": _("Constant velocity"),
        "constant-acceleration": _("Constant acceleration"),
    }[name]
