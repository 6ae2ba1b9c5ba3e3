"""What a model of a segment says of itself; one file for each model says all of it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar

import numpy as np

from saltus.core.units import ONE, RADIAN, SECOND

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.units import Unit

    Array = NDArray[np.float64]

Place = tuple[float, float]


@dataclass(frozen=True)
class Kind:
    """What a parameter is: its unit is that of positions to a power, over seconds to a power, times rad.

    Attributes
    ----------
    positions, per_second : int
        Powers; a parameter per sⁿ scales with the clock accordingly.
    angular : bool
    """

    positions: int
    per_second: int
    angular: bool = False

    def unit(self, position: Unit) -> Unit:
        """Unit of the parameter, given that of the positions."""
        unit = position**self.positions * (RADIAN if self.angular else ONE)
        return unit / SECOND**self.per_second


POSITION, VELOCITY, ACCELERATION = Kind(1, 0), Kind(1, 1), Kind(1, 2)
ANGLE, ANGULAR_VELOCITY = Kind(0, 0, angular=True), Kind(0, 1, angular=True)
TIME, RATE, PER_LENGTH = Kind(0, -1), Kind(0, 1), Kind(-1, 0)


class Model(ABC):
    """Position against time, with parameters; times count from the start of the segment.

    A model may be fitted in other variables than those it is told in: :meth:`told` leads from the ones to the
    others. A model of x and y together takes times twice, those of x before those of y.

    Attributes
    ----------
    name : str
        As in files and on the command line.
    parameters : tuple of str
        As told.
    kinds : tuple of Kind
        What each of them is.
    leading : str
        The parameter that stands at the top.
    free : int
        How many variables are fitted.
    linear : bool
        Whether it is linear in its variables.
    together : bool
        Whether it is one of x and y together.
    angular : bool
        Whether only angles can follow it.
    equation : str
        For people, rich text; ``{s}`` stands for the coordinate.
    glyph : tuple
        A small drawing of position against time, 0 to 1 to the right and upwards: where it starts, and the
        points of one quadratic curve, of one line, or of a curve through many points.
    """

    name: ClassVar[str]
    parameters: ClassVar[tuple[str, ...]]
    kinds: ClassVar[tuple[Kind, ...]]
    leading: ClassVar[str]
    free: ClassVar[int]
    linear: ClassVar[bool] = False
    together: ClassVar[bool] = False
    angular: ClassVar[bool] = False
    equation: ClassVar[str]
    glyph: ClassVar[tuple[Place, ...]]

    @property
    @abstractmethod
    def title(self) -> str:
        """Words for it."""

    @abstractmethod
    def value(self, tau: Array, c: Array) -> Array:
        """Position for times and variables; the formula is the equation of the model.

        Parameters
        ----------
        tau : (N,) ndarray
            Times since the first reading, s.
        c : (P,) ndarray
            Variables, SI.

        Returns
        -------
        (N,) ndarray
            In the unit of position.
        """

    @abstractmethod
    def derivative(self, tau: Array, c: Array) -> Array:
        """Derivative of the position by the variables, of the equation of the model.

        Parameters
        ----------
        tau : (N,) ndarray
            Times since the first reading, s.
        c : (P,) ndarray
            Variables, SI.

        Returns
        -------
        (N, P) ndarray
            In the unit of position over that of each variable.
        """

    @abstractmethod
    def velocity(self, tau: Array, c: Array) -> Array:
        """Velocity for times and variables; the formula is the equation of the model.

        Parameters
        ----------
        tau : (N,) ndarray
            Times since the first reading, s.
        c : (P,) ndarray
            Variables, SI.

        Returns
        -------
        (N,) ndarray
            In the unit of position per second.
        """

    @abstractmethod
    def acceleration(self, tau: Array, c: Array) -> Array:
        """Acceleration for times and variables; the formula is the equation of the model.

        Parameters
        ----------
        tau : (N,) ndarray
            Times since the first reading, s.
        c : (P,) ndarray
            Variables, SI.

        Returns
        -------
        (N,) ndarray
            In the unit of position per second squared.
        """

    @abstractmethod
    def starts(self, tau: Array, x: Array) -> list[Array]:
        """Variables (P,) to begin a fit with; the best of what comes of them is kept.

        Parameters
        ----------
        tau, x : (N,) ndarray
            Times since the first reading, s, and positions.
        """

    def told(self, c: Array) -> tuple[Array, Array]:
        """Give the parameters as told, and their derivative by the variables.

        Parameters
        ----------
        c : (P,) ndarray
            Variables, SI.

        Returns
        -------
        parameters, derivative : (R,), (R, P) ndarray
        """
        return c, np.eye(len(c))

    def problem(self, tau: Array, x: Array, c: Array) -> str | None:
        """Why variables that were fitted say nothing, in a sentence for people; None where they do.

        Parameters
        ----------
        tau, x : (N,) ndarray
            Times since the first reading, s, and positions.
        c : (P,) ndarray
            Variables, SI.
        """
        return None

    def notes(self, tau: Array, c: Array) -> tuple[str, ...]:
        """What is to be told with fitted variables, in sentences for people.

        Parameters
        ----------
        tau : (N,) ndarray
            Times since the first reading, s.
        c : (P,) ndarray
            Variables, SI.
        """
        return ()

    def clock_share(self, told: Array) -> Array:
        """Change of each parameter for a small relative change of the rate of the clock, (R,).

        Parameters
        ----------
        told : (R,) ndarray
            As told.

        Notes
        -----
        A parameter per sⁿ changes by −n times itself.
        """
        return np.array([-k.per_second * value for k, value in zip(self.kinds, told, strict=True)])
