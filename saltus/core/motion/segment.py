"""Fitting a model to the positions of a segment (not to differenced velocities)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core import sources
from saltus.core.clock.clock import Clock, with_rate, with_stamps
from saltus.core.wording import _, plural

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.motion.models import Model
    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

REJECTED_BELOW = 0.05
"""χ² probability under which the stated uncertainties are held not to explain the scatter."""


@dataclass(frozen=True)
class Fitted:
    """What a segment is fitted to: names its sources.

    Attributes
    ----------
    body, axis : str
    segment : str
        Its id.
    frames : (M,) ndarray of int or None
        The frame of each reading; numbered from 0 without.
    """

    body: str = "body"
    axis: str = "x"
    segment: str = "segment"
    frames: NDArray[np.int64] | None = None


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
    basis: Literal["stated", "enlarged", "scatter"]
    warnings: tuple[str, ...] = ()

    @property
    def values(self) -> Array:
        """Parameter values in SI, (P,); NaN where there is none."""
        return np.array([float(q) if q is not None else math.nan for q in self.parameters.values()])

    @property
    def fits(self) -> bool:
        """Whether the residuals are what the stated uncertainties explain."""
        return self.basis == "stated"

    def position(self, t: Array) -> Array:
        """Fitted position at times t (s), in the unit of position."""
        return np.asarray(self.model.design(np.asarray(t) - self.start_s) @ self.values)

    def velocity(self, t: Array) -> Array:
        """Fitted velocity at times t (s), per second."""
        return self.model.speed(np.asarray(t) - self.start_s, self.values)


@dataclass(frozen=True)
class NoFit:
    """A fit that could not be made, and why, in a sentence for people."""

    reason: str

    def __bool__(self) -> bool:
        return False


def fit_segment(
    model: Model,
    t: Array,
    position: Quantity,
    clock: Clock | None = None,
    chosen: NDArray[np.int_] | None = None,
    of: Fitted | None = None,
) -> SegmentFit | NoFit:
    """Fit a model to positions by weighted least squares.

    Parameters
    ----------
    model : Model
    t : (M,) ndarray
        Frame times, increasing, s.
    position : Quantity
        (M,) positions. Its independent parts weigh the readings; its common parts (scale, origin) are
        carried to the parameters undiminished. Without independent parts the result rests on scatter.
    clock : Clock, optional
        Adds the frame stamps as independent parts and the rate of the clock as a common one.
    chosen : (N,) ndarray of int, optional
        Which readings the segment holds, in order; all by default. The others keep their places in the
        families of sources, so that two segments of one body share what they share and no more.
    of : Fitted, optional

    Returns
    -------
    SegmentFit or NoFit
        NoFit (falsy) when there are too few readings.

    Notes
    -----
    Where χ² rejects the stated uncertainties (p < 0.05), the independent part is enlarged by the Birge ratio
    √(χ²/ν) with t(ν) (Birge 1932). Scatter alone: residual standard deviation √(SSR/ν) with t(ν).
    """
    clock, of = clock or Clock(), of or Fitted()
    frames = np.arange(len(t)) if of.frames is None else of.frames
    index = np.arange(len(t)) if chosen is None else chosen
    need = len(model.parameters)
    if np.unique(t[index]).size < need:
        return NoFit(
            plural("This needs at least {n} reading.", "This needs at least {n} readings.", need)
            + " "
            + plural("The segment has {n}.", "The segment has {n}.", len(index))
        )
    tau = np.asarray(t, dtype=float) - t[index[0]]
    design, used = model.design(tau[index]), position.value[index]
    gain = _gain(design, None)
    stamped = with_stamps(position, model.speed(tau, gain @ used), clock, frames)
    u = stamped.u_own[index]
    stated = bool(np.all(u > 0))
    if stated:
        gain = _gain(design, u)
    residuals = used - design @ (gain @ used)
    verdict = _judge(residuals, u, stated, len(index) - need)
    fitted = _carried(gain, index, stamped, verdict, (clock.take, of, frames))
    parameters: dict[str, Quantity | None] = {}
    for i, name in enumerate(model.parameters):
        unit = model.unit_of(i, position.unit)
        parameters[name] = None if fitted is None else _clocked(fitted[i].with_unit(unit), clock, model, i)
    return SegmentFit(
        model=model,
        parameters=parameters,
        start_s=float(t[index[0]]),
        residuals=residuals,
        u_residuals=u,
        chi2=verdict.chi2,
        dof=verdict.dof,
        birge=verdict.birge,
        rms_residual=float(np.sqrt(np.mean(residuals**2))),
        basis=verdict.basis,
        warnings=verdict.warnings,
    )


def _gain(design: Array, u: Array | None) -> Array:
    """Matrix (P, N) from positions to parameters; columns are scaled so that it is well conditioned."""
    size = np.sqrt(np.mean(design**2, axis=0))
    weight = np.ones(len(design)) if u is None else 1 / u
    return np.asarray((np.linalg.pinv(design / size * weight[:, None]) * weight) / size[:, None])


@dataclass(frozen=True)
class _Verdict:
    """What the residuals say of the stated uncertainties, and the spread to use instead of them, if any."""

    basis: Literal["stated", "enlarged", "scatter"]
    dof: int
    chi2: float | None = None
    birge: float | None = None
    spread: float | None = None
    warnings: tuple[str, ...] = ()


def _judge(residuals: Array, u: Array, stated: bool, dof: int) -> _Verdict:
    if not stated:
        if dof == 0:
            words = _("With as many parameters as readings and no stated uncertainty, none can be given.")
            return _Verdict("scatter", dof, warnings=(words,))
        return _Verdict("scatter", dof, spread=math.sqrt(float(residuals @ residuals) / dof))
    chi2 = float(np.sum((residuals / u) ** 2))
    if dof == 0:
        return _Verdict("stated", dof, chi2)
    birge = math.sqrt(chi2 / dof)
    from scipy.special import chdtrc  # noqa: PLC0415  start-up time

    if float(chdtrc(dof, chi2)) >= REJECTED_BELOW:
        return _Verdict("stated", dof, chi2, birge)
    words = _(
        "The readings scatter {ratio:.1f} times more than stated; the uncertainty was enlarged to match."
    ).format(ratio=birge)
    return _Verdict("enlarged", dof, chi2, birge, birge, (words,))


def _carried(
    gain: Array, index: NDArray[np.int_], stamped: Quantity, verdict: _Verdict,
    whose: tuple[str, Fitted, NDArray[np.int64]],
) -> Quantity | None:  # fmt: skip
    """Carry the positions' uncertainty to the parameters; None where it cannot be stated."""
    whole = np.zeros((len(gain), len(stamped)))
    whole[:, index] = gain
    if verdict.basis == "stated":
        return stamped.weighed(whole)
    if verdict.spread is None:
        return None
    take, of, frames = whose
    source = sources.fit_scatter(take, of.body, of.axis, of.segment, verdict.dof)
    spread = verdict.spread * (stamped.u_own if verdict.basis == "enlarged" else np.ones(len(stamped)))
    return stamped.without_own().with_family(source, spread, frames).weighed(whole)


def _clocked(q: Quantity, clock: Clock, model: Model, index: int) -> Quantity:
    """Carry the common uncertainty of the rate: a parameter per s^n changes by −n times its relative u."""
    return with_rate(q, clock, -model.time_powers[index])
