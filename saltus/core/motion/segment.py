"""Fitting a model to the positions of a segment (not to differenced velocities)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.clock.clock import Clock, with_stamps
from saltus.core.fitting.judgement import Basis, Judgement, carried, judge_scatter, judge_stated
from saltus.core.fitting.least_squares import gain_of, least_squares
from saltus.core.fitting.order import enlarged_by_order
from saltus.core.quantities import joined
from saltus.core.sentences import say
from saltus.core.units import RADIAN
from saltus.core.with_uncertainty import widened

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.core.motion.models import Model
    from saltus.core.quantity import Quantity
    from saltus.core.units import Unit

    Array = NDArray[np.float64]

ROUGH = 0.3
"""Relative standard uncertainty beyond which a parameter of a curve is told with a warning."""


@dataclass(frozen=True)
class Fitted:
    """What a segment is fitted to: names its sources.

    Attributes
    ----------
    body, axis : str
    segment : str
        Its id.
    frames : (N,) ndarray of int or None
        The frame of each reading; numbered from 0 without.
    followed : bool
        Whether the readings were followed: their errors then resemble each other from frame to frame.
    """

    body: str = "body"
    axis: str = "x"
    segment: str = "segment"
    frames: NDArray[np.int64] | None = None
    followed: bool = False


@dataclass(frozen=True)
class SegmentFit:
    """A model fitted to a segment.

    Attributes
    ----------
    model : Model
    parameters : dict of str to Quantity or None
        At the start of the segment; None where no uncertainty can be given.
    variables : (P,) ndarray
        What was fitted, SI: see the model.
    start_s, span_s : float
        Time of the first frame used, and from it to the last, s.
    residuals, u_residuals : (N,) ndarray
        Measured minus fitted, those of x before those of y where both are, and the independent standard
        uncertainty of each position, position unit.
    chi2 : float or None
        None without stated uncertainties.
    dof : int
        Values read minus variables.
    birge : float or None
        √(χ²/dof).
    rms_residual : float
        √(sum of squared residuals / N), position unit.
    basis : {"stated", "enlarged", "scatter"}
        Where the uncertainty comes from: stated parts, these enlarged by the Birge ratio, or scatter alone.
    warnings, notes : tuple of str
        Sentences for people; the notes, which are among the warnings, speak of no fault.
    """

    model: Model
    parameters: dict[str, Quantity | None]
    variables: Array
    start_s: float
    span_s: float
    residuals: Array
    u_residuals: Array
    chi2: float | None
    dof: int
    birge: float | None
    rms_residual: float
    basis: Basis
    warnings: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def values(self) -> Array:
        """Parameter values in SI, (P,); NaN where there is none."""
        return np.array([float(q) if q is not None else math.nan for q in self.parameters.values()])

    @property
    def leading(self) -> tuple[str, Quantity | None]:
        """Name and value of the parameter that stands at the top."""
        return self.model.leading, self.parameters[self.model.leading]

    @property
    def fits(self) -> bool:
        """Whether the residuals are what the stated uncertainties explain."""
        return self.basis == "stated"

    def position(self, t: Array, of: str = "x") -> Array:
        """Fitted position.

        Parameters
        ----------
        t : (N,) ndarray
            s, on the clock of the readings.
        of : {"x", "y"}
            Which coordinate, where the model is one of both.

        Returns
        -------
        (N,) ndarray
            In the unit of position.
        """
        return self._told(self.model.value, t, of)

    def velocity(self, t: Array, of: str = "x") -> Array:
        """Fitted velocity, per second; see :meth:`position`.

        Parameters
        ----------
        t : (N,) ndarray
            s
        of : str
        """
        return self._told(self.model.velocity, t, of)

    def acceleration(self, t: Array, of: str = "x") -> Array:
        """Fitted acceleration, per second squared; see :meth:`position`.

        Parameters
        ----------
        t : (N,) ndarray
            s
        of : str
        """
        return self._told(self.model.acceleration, t, of)

    def _told(self, function: Callable[[Array, Array], Array], t: Array, of: str) -> Array:
        tau = np.asarray(t, dtype=float) - self.start_s
        if not self.model.together:
            return function(tau, self.variables)
        return self._half(function(np.tile(tau, 2), self.variables), of)

    def _half(self, both: Array, of: str) -> Array:
        half = len(both) // 2
        return both[half:] if of == "y" else both[:half]

    def residuals_of(self, of: str) -> tuple[Array, Array]:
        """Residuals and the uncertainty of the readings in one coordinate.

        Parameters
        ----------
        of : {"x", "y"}
            Which, where the model is one of both.

        Returns
        -------
        residuals, u : (N,) ndarray
            In the unit of position.
        """
        if not self.model.together:
            return self.residuals, self.u_residuals
        return self._half(self.residuals, of), self._half(self.u_residuals, of)


@dataclass(frozen=True)
class NoFit:
    """A fit that could not be made, and why, in a sentence for people."""

    reason: str

    def __bool__(self) -> bool:
        return False


def fit_segment(
    model: Model, t: Array, position: Quantity, clock: Clock | None = None, of: Fitted | None = None
) -> SegmentFit | NoFit:
    """Fit a model of one coordinate to positions by weighted least squares.

    Parameters
    ----------
    model : Model
    t : (N,) ndarray
        Frame times, increasing, s.
    position : Quantity
        (N,) positions. Its independent parts weigh the readings; its common parts (scale, origin) are
        carried to the parameters undiminished. Without independent parts the result rests on scatter.
    clock : Clock, optional
        Adds the frame stamps as independent parts and the rate of the clock as a common one.
    of : Fitted, optional

    Returns
    -------
    SegmentFit or NoFit
        NoFit (falsy) when there are too few readings, or the model cannot be fitted to them.

    Notes
    -----
    Judged as in :func:`saltus.core.fitting.judgement.judge_stated`; scatter alone: residual standard
    deviation √(SSR/ν) with t(ν).
    """
    if model.angular and position.unit != RADIAN:
        return NoFit(say("segment.wants-an-angle"))
    return _fit(model, _Readings(np.asarray(t, dtype=float), (position,)), clock or Clock(), of or Fitted())


def fit_together(
    model: Model, t: Array, x: Quantity, y: Quantity, clock: Clock | None = None, of: Fitted | None = None
) -> SegmentFit | NoFit:
    """Fit a model of x and y together; a frame's stamp moves both.

    Parameters
    ----------
    model : Model
    t : (N,) ndarray
        Frame times, increasing, s.
    x, y : Quantity
        (N,) positions, as for :func:`fit_segment`.
    clock : Clock, optional
    of : Fitted, optional

    Returns
    -------
    SegmentFit or NoFit
        Its residuals are (2N,): those of x before those of y.
    """
    return _fit(model, _Readings(np.asarray(t, dtype=float), (x, y)), clock or Clock(), of or Fitted())


@dataclass(frozen=True)
class _Readings:
    """Times (N,) and one coordinate or two of a segment."""

    t: Array
    positions: tuple[Quantity, ...]

    @property
    def tau(self) -> Array:
        """Times since the first reading, for each coordinate, (N,) or (2N,) s."""
        return np.tile(self.t - self.t[0], len(self.positions))

    @property
    def position(self) -> Quantity:
        """The coordinates behind each other."""
        return self.positions[0] if len(self.positions) == 1 else joined(*self.positions)

    def stamped(self, speed: Array, clock: Clock, frames: NDArray[np.int64]) -> Quantity:
        """With the stamps of the frames, which all coordinates of a frame share."""
        speeds = np.split(speed, len(self.positions))
        added = [with_stamps(p, v, clock, frames) for p, v in zip(self.positions, speeds, strict=True)]
        return added[0] if len(added) == 1 else joined(*added)


def _fit(model: Model, of_readings: _Readings, clock: Clock, of: Fitted) -> SegmentFit | NoFit:
    t, many = of_readings.t, len(of_readings.positions)
    frames = np.arange(len(t)) if of.frames is None else of.frames
    if (len(t) and 1 + np.count_nonzero(np.diff(t))) * many < model.free:
        least = math.ceil(model.free / many)
        return NoFit(say("segment.needs-least-readings", n=least) + " " + say("segment.segment", n=len(t)))
    position, tau = of_readings.position, of_readings.tau
    x = position.value
    c, gain = _solved(model, tau, x, None)
    stamped = position if c is None else of_readings.stamped(model.velocity(tau, c), clock, frames)
    own, common = stamped.split(many)
    stated = bool(np.all((u := own.u) > 0))
    c, gain = _solved(model, tau, x, u, c) if stated else (c, gain)
    if c is None:
        return NoFit(say("segment.cannot-be-fitted"))
    if (problem := model.problem(tau, x, c)) is not None:
        return NoFit(problem)
    residuals = x - model.value(tau, c)
    judged, warnings = _judged(residuals, u if stated else None, len(x) - model.free)
    gain = gain_of(model.derivative(tau, c), u if stated else None) if gain is None else gain
    source = sources.fit_scatter(clock.take, of.body, of.axis, of.segment, max(judged.spread_dof, 1))
    sigma = u if stated else np.ones(len(x))
    if stated and of.followed:
        factor = enlarged_by_order(residuals, u, gain)
        sigma, own = factor * u, widened(own, factor)
    fitted = carried(gain, own, common, judged, source, sigma)
    parameters = _parameters(model, fitted, c, position.unit, clock)
    warnings, notes = (*warnings, *_rough(model, parameters)), model.notes(t - t[0], c)
    return _segment_fit(model, parameters, c, t, (residuals, u), judged, (warnings, notes))


def _segment_fit(
    model: Model, parameters: dict[str, Quantity | None], variables: Array, t: Array,
    apart: tuple[Array, Array], judged: Judgement, told: tuple[tuple[str, ...], tuple[str, ...]],
) -> SegmentFit:  # fmt: skip
    residuals, u = apart
    return SegmentFit(
        model=model,
        parameters=parameters,
        variables=variables,
        start_s=float(t[0]),
        span_s=float(t[-1] - t[0]),
        residuals=residuals,
        u_residuals=u,
        chi2=judged.chi2,
        dof=judged.dof,
        birge=judged.birge,
        rms_residual=float(np.sqrt(np.mean(residuals**2))),
        basis=judged.basis,
        warnings=(*told[0], *told[1]),
        notes=told[1],
    )


def _solved(
    model: Model, tau: Array, x: Array, u: Array | None, near: Array | None = None
) -> tuple[Array | None, Array | None]:
    """Variables (P,) of the least squares, None where they cannot be found, and the gain if it is known."""
    if model.linear:
        gain = gain_of(model.derivative(tau, np.zeros(model.free)), u)
        return np.asarray(gain @ x), gain
    sigma = np.ones(len(x)) if u is None else u
    best: tuple[float, Array] | None = None
    with np.errstate(all="ignore"):  # steps that lead nowhere are seen by what comes of them
        for start in model.starts(tau, x) if near is None else [near]:
            found = least_squares(model.value, model.derivative, tau, x, sigma, start)
            if found is None:
                continue
            squares = float(np.sum(((x - model.value(tau, found)) / sigma) ** 2))
            if math.isfinite(squares) and (best is None or squares < best[0]):
                best = squares, found
    return (None if best is None else best[1]), None


def _judged(residuals: Array, u: Array | None, dof: int) -> tuple[Judgement, tuple[str, ...]]:
    """What the residuals say, and what is to be told of it."""
    if u is None:
        judged = judge_scatter(float(residuals @ residuals), dof)
        words = say("segment.no-uncertainty")
        return judged, () if judged.known else (words,)
    judged = judge_stated(float(np.sum((residuals / u) ** 2)), dof)
    if judged.basis != "enlarged":
        return judged, ()
    return judged, (say("segment.readings-scatter-times-more", ratio=judged.birge),)


def _rough(model: Model, parameters: dict[str, Quantity | None]) -> tuple[str, ...]:
    """What to say where a parameter is so unsure that the curve is no straight line within its interval."""
    leading = parameters[model.leading]
    if model.linear or leading is None or not float(leading.u) > ROUGH * abs(float(leading)):
        return ()
    return (say("segment.hardly-told"),)


def _parameters(
    model: Model, fitted: Quantity | None, c: Array, unit: Unit, clock: Clock
) -> dict[str, Quantity | None]:
    """Name the parameters, give them their units and what the rate of the clock leaves uncertain of them."""
    if fitted is None:
        return dict.fromkeys(model.parameters)
    told, derivative = model.told(c)
    placed, share = fitted.weighed(derivative).moved_to(told), model.clock_share(told)
    out: dict[str, Quantity | None] = {}
    for i, (name, kind) in enumerate(zip(model.parameters, model.kinds, strict=True)):
        q = placed[i].with_unit(kind.unit(unit))
        rated = clock.u_rate and share[i]
        out[name] = q.with_source(clock.rate_source, share[i] * clock.u_rate) if rated else q
    return out
