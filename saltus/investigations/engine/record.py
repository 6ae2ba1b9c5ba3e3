"""A recorded series as an investigation: the free stretch, the peak, the bounces, the points in between."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.compare import times_beyond_chance
from saltus.core.quantities import measured
from saltus.core.quantity import Quantity
from saltus.core.series import Recorded, mean, peaks, steady_stretch
from saltus.core.statement import stated
from saltus.core.units import ACCELERATION, SECOND
from saltus.core.written import digits, last_place
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from saltus.investigations.engine.bench import Bench

NEAR = 0.15
"""The free stretch: where the record lies within this part of g about its lowest steady value."""
UNZEROED = 0.03
"""A sensor that shows more than this part of g at rest was not zeroed."""
SHORTEST, FEWEST_PEAKS = 5, 2


def record_results(bench: Bench) -> None:
    """Give ``free_fall``, ``peak`` and ``period`` of a jump on a cord from its recorded acceleration.

    The sensor was zeroed at rest: it shows 0 at rest and −g in free fall. The part ``record`` of a recipe
    names the columns of ``time`` and ``value``.
    """
    about, trials = bench.recipe.record, bench.trials
    t, values = (trials.columns[about[key]].values for key in ("time", "value"))
    texts = [text for text in trials.columns[about["value"]].texts[:50] if digits(text)]
    resolution = min((last_place(text) for text in texts), default=0.0)
    good = np.isfinite(t) & np.isfinite(values)
    order = np.argsort(t[good], kind="stable")
    t, values = t[good][order], values[good][order]
    g = float(bench.givens["g"])
    low = float(np.quantile(values, 0.02)) if len(values) else math.nan
    shown = _shown_at_rest(values, g)
    if shown is not None:
        bench.notice(
            say("record.not-zeroed", value=stated(float(shown), shown.U95, shown.unit)), "unzeroed-sensor"
        )
    stretch = _free_stretch(values, g, low) if len(values) >= SHORTEST and low < -0.5 * g else None
    bench.results.update(dict.fromkeys(("free_fall", "peak", "period")))
    if stretch is None:
        bench.notice(say("record.no-stretch-free-fall"))
    else:
        found = mean(values[stretch], ACCELERATION, Recorded(first=stretch.start), resolution).value
        bench.results["free_fall"] = None if found is None else found - _zero(values, g)
    if not len(values):
        return
    bench.points = points(t, values, g)
    top = int(np.argmax(values))
    height, u = _top(t, values, top)
    bench.results["peak"] = measured(height, u, ACCELERATION, sources.record_peak())
    tops = peaks(t, values, 0.3 * float(values[top])) if values[top] > 0.2 * g else np.zeros(0)
    if len(tops) < FEWEST_PEAKS:
        bench.notice(say("record.fewer-two-bounces-seen"))
        return
    spacing = np.diff(tops)
    u = (
        float(np.std(spacing, ddof=1)) / math.sqrt(len(spacing))
        if len(spacing) > 1
        else float(np.median(np.diff(t)))
    )
    dof = len(spacing) - 1 if len(spacing) > 1 else math.inf
    u = max(u, float(np.median(np.diff(t))) / math.sqrt(6) / len(spacing))
    bench.results["period"] = measured(float(np.mean(spacing)), u, SECOND, sources.record_peaks(dof))


def _zero(values: np.ndarray, g: float) -> Quantity:
    """What the record shows at rest before the jump: 0, but no surer than that stretch says."""
    noise = _noise(values)
    moved = np.flatnonzero(np.abs(values) > max(0.3 * g, 6 * noise))
    rest = values[: max(int(moved[0]) - 2, 0)] if len(moved) else values
    nothing = Quantity(0.0, ACCELERATION)
    if len(rest) < SHORTEST:
        return nothing
    found = mean(rest, ACCELERATION).value
    return found.moved_to(0.0) if found is not None else nothing


def _shown_at_rest(values: np.ndarray, g: float) -> Quantity | None:
    """What the sensor shows at rest before the jump, where it is told from zero and is no free fall."""
    if len(values) < 4 * SHORTEST:
        return None
    level, noise = float(np.median(values[: 4 * SHORTEST])), max(_noise(values), 1e-9)
    still = np.abs(values - level) < max(6 * noise, 0.01 * g)
    rest = values[: int(np.argmin(still)) if not np.all(still) else len(values)]
    found = mean(rest, ACCELERATION).value if len(rest) >= 4 * SHORTEST else None
    if found is None or abs(float(found) + g) < NEAR * g:
        return None
    return (
        found if abs(float(found)) > max(UNZEROED * g, times_beyond_chance(found) * float(found.u)) else None
    )


def _top(t: np.ndarray, values: np.ndarray, top: int) -> tuple[float, float]:
    """Height of the highest point and its u: a parabola through what noise cannot tell from it.

    The highest single value is the one that noise lifted most.
    """
    noise = _noise(values)
    low, high = top, top
    while low > 0 and values[top] - values[low - 1] < 6 * noise:
        low -= 1
    while high < len(values) - 1 and values[top] - values[high + 1] < 6 * noise:
        high += 1
    window = slice(max(low - 1, 0), high + 2)
    tau = t[window] - t[top]
    if len(tau) < SHORTEST or noise == 0:
        return float(values[top]), noise
    design = np.vander(tau / np.ptp(tau), 3)
    gain = design @ np.linalg.pinv(design)
    fitted = gain @ values[window]
    best = int(np.argmax(fitted))
    return float(fitted[best]), noise * math.sqrt(float(gain[best, best]))


def _free_stretch(values: np.ndarray, g: float, low: float) -> slice | None:
    """The inner part of the longest stretch about the lowest steady value; None where there is none."""
    noise = _noise(values)
    level = low + 2 * noise
    for _step in range(8):
        found = steady_stretch(values, level, max(NEAR * g / 2, 4 * noise))
        if found is None or found.stop - found.start < SHORTEST:
            return None
        settled = float(np.median(values[found]))
        if abs(settled - level) < 1e-6 * g:
            break
        level = settled
    assert found is not None
    edge = max((found.stop - found.start) // 8, 1)
    inner = slice(found.start + edge, found.stop - edge)
    return inner if inner.stop - inner.start >= SHORTEST - 2 else None


def _noise(values: np.ndarray) -> float:
    """Standard deviation of the noise, from second differences, which a smooth signal hardly has."""
    if len(values) < 5:
        return 0.0
    second = np.diff(values, 2)
    return float(np.median(np.abs(second))) * 1.4826 / math.sqrt(6)


def points(t: np.ndarray, values: np.ndarray, g: float) -> list[dict[str, object]]:
    """Characteristic points of a jump, each with the direction of motion.

    Parameters
    ----------
    t, values : (n,) ndarray
        s, m/s²; zeroed at rest.
    g : float
        m/s².
    """
    noise = max(_noise(values), 1e-9)
    falling = np.flatnonzero(values < -0.5 * g)
    out: list[dict[str, object]] = []
    if not len(falling):
        return out
    start = int(falling[0])
    out.append({"point": say("record.at-rest"), "time": float(t[0]), "direction": say("record.still")})
    out.append(
        {"point": say("record.free-fall-begins"), "time": float(t[start]), "direction": say("record.down")}
    )
    taut = np.flatnonzero((np.arange(len(values)) > start) & (values > -0.85 * g + 4 * noise))
    if len(taut):
        out.append(
            {"point": say("record.cord-takes-up"), "time": float(t[taut[0]]), "direction": say("record.down")}
        )
    out += [
        {"point": say("record.lowest-point"), "time": float(top), "direction": say("record.turning")}
        for top in peaks(t, values, 0.3 * float(values.max()))
    ]
    return out
