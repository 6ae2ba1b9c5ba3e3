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
from saltus.core.sentences import say
from saltus.core.with_uncertainty import widened

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.motion.models import Model
    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]


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
    start_s : float
        Time of the first frame used, s.
    residuals, u_residuals : (N,) ndarray
        Measured minus fitted, and the independent standard uncertainty of each position, position unit.
    chi2 : float or None
        None without stated uncertainties.
    dof : int
        Readings minus parameters.
    birge : float or None
        √(χ²/dof).
    rms_residual : float
        √(sum of squared residuals / N), position unit.
    basis : {"stated", "enlarged", "scatter"}
        Where the uncertainty comes from: stated parts, these enlarged by the Birge ratio, or scatter alone.
    """

    model: Model
    parameters: dict[str, Quantity | None]
    start_s: float
    residuals: Array
    u_residuals: Array
    chi2: float | None
    dof: int
    birge: float | None
    rms_residual: float
    basis: Basis
    warnings: tuple[str, ...] = ()

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

    def position(self, t: Array) -> Array:
        """Fitted position.

        Parameters
        ----------
        t : (N,) ndarray
            s, on the clock of the readings.

        Returns
        -------
        (N,) ndarray
            In the unit of position.
        """
        return self.model.value(np.asarray(t) - self.start_s, self.values)

    def velocity(self, t: Array) -> Array:
        """Fitted velocity.

        Parameters
        ----------
        t : (N,) ndarray
            s, on the clock of the readings.

        Returns
        -------
        (N,) ndarray
            In the unit of position per second.
        """
        return self.model.velocity(np.asarray(t) - self.start_s, self.values)


@dataclass(frozen=True)
class NoFit:
    """A fit that could not be made, and why, in a sentence for people."""

    reason: str

    def __bool__(self) -> bool:
        return False


def fit_segment(
    model: Model, t: Array, position: Quantity, clock: Clock | None = None, of: Fitted | None = None
) -> SegmentFit | NoFit:
    """Fit a model to positions by weighted least squares.

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
    clock, of = clock or Clock(), of or Fitted()
    frames = np.arange(len(t)) if of.frames is None else of.frames
    need = len(model.parameters)
    if np.unique(t).size < need:
        return NoFit(say("segment.needs-least-readings", n=need) + " " + say("segment.segment", n=len(t)))
    tau, x = np.asarray(t, dtype=float) - t[0], position.value
    c = _solved(model, tau, x, None)
    stamped = position if c is None else with_stamps(position, model.velocity(tau, c), clock, frames)
    stated = bool(np.all((u := stamped.u_own) > 0))
    c = _solved(model, tau, x, u) if stated else c
    if c is None:
        return NoFit(say("segment.cannot-be-fitted"))
    residuals = x - model.value(tau, c)
    judged, warnings = _judged(residuals, u if stated else None, len(t) - need)
    gain = gain_of(model.derivative(tau, c), u if stated else None)
    source = sources.fit_scatter(clock.take, of.body, of.axis, of.segment, max(judged.spread_dof, 1))
    sigma, (own, common) = u if stated else np.ones(len(t)), stamped.apart()
    if stated and of.followed:
        factor = enlarged_by_order(residuals, u, gain)
        sigma, own = factor * u, widened(own, factor)
    fitted = carried(gain, own, common, judged, source, sigma)
    parameters = _parameters(model, fitted, c, position, clock)
    return _segment_fit(model, parameters, float(t[0]), (residuals, u), judged, warnings)


def _segment_fit(
    model: Model, parameters: dict[str, Quantity | None], start_s: float, apart: tuple[Array, Array],
    judged: Judgement, warnings: tuple[str, ...],
) -> SegmentFit:  # fmt: skip
    residuals, u = apart
    return SegmentFit(
        model=model,
        parameters=parameters,
        start_s=start_s,
        residuals=residuals,
        u_residuals=u,
        chi2=judged.chi2,
        dof=judged.dof,
        birge=judged.birge,
        rms_residual=float(np.sqrt(np.mean(residuals**2))),
        basis=judged.basis,
        warnings=warnings,
    )


def _solved(model: Model, tau: Array, x: Array, u: Array | None) -> Array | None:
    """Parameters (P,) of the least squares; None where they cannot be found."""
    if model.linear:
        return np.asarray(gain_of(model.derivative(tau, np.zeros(len(model.parameters))), u) @ x)
    sigma = np.ones(len(x)) if u is None else u
    return least_squares(model.value, model.derivative, tau, x, sigma, model.start(tau, x))


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


def _parameters(
    model: Model, fitted: Quantity | None, c: Array, position: Quantity, clock: Clock
) -> dict[str, Quantity | None]:
    """Name the parameters, give them their units and what the rate of the clock leaves uncertain of them."""
    if fitted is None:
        return dict.fromkeys(model.parameters)
    placed, share = fitted.moved_to(c), model.clock_share(c)
    out: dict[str, Quantity | None] = {}
    for i, name in enumerate(model.parameters):
        q = placed[i].with_unit(model.unit_of(i, position.unit))
        rated = clock.u_rate and share[i]
        out[name] = q.with_source(sources.clock(clock.take), share[i] * clock.u_rate) if rated else q
    return out
