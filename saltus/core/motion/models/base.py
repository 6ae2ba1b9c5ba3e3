"""What a model of a segment says of itself; one file for each model says all of it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING, ClassVar

import numpy as np

from saltus.core.units import SECOND

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.units import Unit

    Array = NDArray[np.float64]

Place = tuple[float, float]


class Model(ABC):
    """Position against time, with parameters; times count from the start of the segment.

    Attributes
    ----------
    name : str
        As in files and on the command line.
    parameters : tuple of str
    time_powers : tuple of int
        A parameter has the unit of position over s to this power; it scales with the clock accordingly.
    leading : str
        The parameter that stands at the top.
    linear : bool
        Whether it is linear in its parameters.
    equation : str
        For people, rich text; ``{s}`` stands for the coordinate.
    glyph : tuple
        A small drawing of position against time, 0 to 1 to the right and upwards: where it starts, and the
        points of one quadratic curve, or of one line.
    """

    name: ClassVar[str]
    parameters: ClassVar[tuple[str, ...]]
    time_powers: ClassVar[tuple[int, ...]]
    leading: ClassVar[str]
    linear: ClassVar[bool] = True
    equation: ClassVar[str]
    glyph: ClassVar[tuple[Place, ...]]

    @property
    @abstractmethod
    def title(self) -> str:
        """Words for it."""

    @abstractmethod
    def value(self, tau: Array, c: Array) -> Array:
        """Position for times and parameters; the formula is the equation of the model.

        Parameters
        ----------
        tau : (N,) ndarray
            Times since the first reading, s.
        c : (P,) ndarray
            Parameters, SI.

        Returns
        -------
        (N,) ndarray
            In the unit of position.
        """

    @abstractmethod
    def derivative(self, tau: Array, c: Array) -> Array:
        """Derivative of the position by the parameters, of the equation of the model.

        Parameters
        ----------
        tau : (N,) ndarray
            Times since the first reading, s.
        c : (P,) ndarray
            Parameters, SI.

        Returns
        -------
        (N, P) ndarray
            In the unit of position over that of each parameter.
        """

    @abstractmethod
    def velocity(self, tau: Array, c: Array) -> Array:
        """Velocity for times and parameters; the formula is the equation of the model.

        Parameters
        ----------
        tau : (N,) ndarray
            Times since the first reading, s.
        c : (P,) ndarray
            Parameters, SI.

        Returns
        -------
        (N,) ndarray
            In the unit of position per second.
        """

    @abstractmethod
    def acceleration(self, tau: Array, c: Array) -> Array:
        """Acceleration for times and parameters; the formula is the equation of the model.

        Parameters
        ----------
        tau : (N,) ndarray
            Times since the first reading, s.
        c : (P,) ndarray
            Parameters, SI.

        Returns
        -------
        (N,) ndarray
            In the unit of position per second squared.
        """

    @abstractmethod
    def start(self, tau: Array, x: Array) -> Array:
        """Parameters (P,) to begin a fit to positions x (N,) with."""

    def clock_share(self, c: Array) -> Array:
        """Change of each parameter for a small relative change of the rate of the clock, (P,).

        Parameters
        ----------
        c : (P,) ndarray

        Notes
        -----
        A parameter per sⁿ changes by −n times itself.
        """
        return -np.asarray(self.time_powers, dtype=float) * c

    def unit_of(self, index: int, position: Unit) -> Unit:
        """Unit of one parameter, given that of the positions."""
        return position / SECOND ** self.time_powers[index]
