"""Models of a segment: each gives back its own truth, finds where to begin, and holds what it states."""

from __future__ import annotations

import math

import numpy as np
import pytest

from saltus.core import sources
from saltus.core.clock.clock import Clock
from saltus.core.fitting.least_squares import least_squares
from saltus.core.motion.models import MODELS
from saltus.core.motion.models.frequencies import likely_frequencies
from saltus.core.motion.segment import Fitted, NoFit, SegmentFit, fit_segment, fit_together
from saltus.core.quantities import family
from saltus.core.units import METRE, RADIAN

READ_X, READ_Y = sources.reading("t", "b", "x"), sources.reading("t", "b", "y")

DRAWN = {
    "oscillation": lambda r, s: [*_swing(r, s)],
    "damped-oscillation": lambda r, s: [*_swing(r, s), r.uniform(0, 3) / s],
    "quadratic-damped-oscillation": lambda r, s: [*_swing(r, s), r.uniform(0, 3) / s],
    "large-oscillation": lambda r, s: _swing(r, s, 1.0),
    "exponential": lambda r, s: [r.normal(), r.uniform(0.3, 1), r.uniform(1, 5) / s],
    "terminal-approach": lambda r, s: [r.normal(), r.uniform(0, 0.3), r.uniform(1, 2), r.uniform(0.15, 0.4) * s],
    "terminal-approach-linear": lambda r, s: [
        r.normal(), r.uniform(0, 0.3), r.uniform(1, 2), r.uniform(0.15, 0.3) * s,
    ],
    "uniform-rotation": lambda r, _s: r.normal(0, 3, 2),
    "angular-acceleration": lambda r, _s: r.normal(0, 3, 3),
    "projectile": lambda r, _s: [*r.normal(0, 2, 4), 9.8],
    "circle": lambda r, s: [*r.normal(0, 1, 2), r.uniform(0.3, 1), r.normal(), r.uniform(2, 20) / s],
}  # fmt: skip


def _swing(rng: np.random.Generator, span: float, amplitude: float = 0.1) -> list[float]:
    phase, size = rng.uniform(-math.pi, math.pi), amplitude * rng.uniform(0.5, 1.5)
    cycles = math.exp(rng.uniform(math.log(0.8), math.log(20)))
    return [rng.normal(0, 0.1), size * math.cos(phase), size * math.sin(phase), 2 * math.pi * cycles / span]


def _fit(
    name: str, tau: np.ndarray, c: np.ndarray, u: float, noise: np.ndarray, **options
) -> SegmentFit | NoFit:
    """A fit to readings of the model itself, drawn with noise (2N,) of standard deviation 1."""
    model, n = MODELS[name], len(tau)
    unit = RADIAN if model.angular else METRE
    if model.together:
        x = model.value(np.tile(tau, 2), c) + u * noise
        both = (family(x[:n], u, unit, READ_X), family(x[n:], u, unit, READ_Y))
        return fit_together(model, 3.0 + tau, *both, **options)
    return fit_segment(
        model, 3.0 + tau, family(model.value(tau, c) + u * noise[:n], u, unit, READ_X), **options
    )


@pytest.mark.parametrize("name", DRAWN)
def test_each_model_gives_back_its_truth_and_covers_it(name):
    """Without noise the truth to a billionth, whatever was drawn; with noise 95 % of the intervals hold it."""
    model, rng = MODELS[name], np.random.default_rng(3)
    held = total = 0
    for _run in range(40):
        n, span = int(rng.integers(70, 200)), rng.uniform(1, 4)
        tau = np.sort(np.concatenate([[0.0, span], rng.uniform(0, span, n - 2)]))
        c = np.array(DRAWN[name](rng, span), dtype=float)
        exact = _fit(name, tau, c, 1e-4, np.zeros(2 * n))
        assert exact, exact.reason
        truth = model.told(c)[0]
        assert exact.values == pytest.approx(truth, rel=1e-8, abs=1e-9)
        fit = _fit(name, tau, c, 0.002, rng.normal(size=2 * n), clock=Clock(0.0, 1e-12, "t"))
        for value, q in zip(truth, fit.parameters.values(), strict=True):
            held += abs(float(q) - value) <= q.U95
            total += 1
    # parameters of one fit go together: three deviations of so many fits
    assert abs(held / total - 0.95) < 3 * math.sqrt(0.95 * 0.05 / 40)


@pytest.mark.parametrize("name", DRAWN)
def test_velocity_and_told_parameters_are_derivatives(name):
    """Velocity, acceleration, and what leads to the parameters as told, agree with small steps."""
    model, rng = MODELS[name], np.random.default_rng(4)
    c, h = np.array(DRAWN[name](rng, 2.0), dtype=float), 1e-6
    tau = np.tile(np.linspace(0.1, 1.9, 40), 2 if model.together else 1)
    for value, slope in ((model.value, model.velocity), (model.velocity, model.acceleration)):
        step = (value(tau + h, c) - value(tau - h, c)) / (2 * h)
        assert slope(tau, c) == pytest.approx(step, rel=1e-5, abs=1e-5 * max(1, np.abs(step).max()))
    for moved in np.eye(len(c)) * h:
        step = (model.told(c + moved)[0] - model.told(c - moved)[0]) / (2 * h)
        assert model.told(c)[1] @ moved / h == pytest.approx(step, rel=1e-5, abs=1e-5)


def test_oscillations_are_found_from_half_a_cycle_to_fifty():
    """No drawn oscillation is left in a wrong valley: χ² is that of a fit begun at the truth."""
    rng, missed = np.random.default_rng(5), []
    for k in range(90):
        name = ("oscillation", "damped-oscillation", "quadratic-damped-oscillation")[k % 3]
        cycles, per_cycle = (
            math.exp(rng.uniform(math.log(a), math.log(b))) for a, b in ((0.5, 50), (3, 100))
        )
        count = max(round(cycles * per_cycle) + 1, 12)
        t = np.arange(count) / 30
        c = np.array(_swing(rng, t[-1]))
        c[3] = 2 * math.pi * 30 / per_cycle
        c = np.append(c, [rng.uniform(0, 3) / t[-1]] * (k % 3 > 0))
        u, noise = 0.1 * math.exp(rng.uniform(math.log(0.001), math.log(0.1))), rng.normal(size=2 * count)
        fit = _fit(name, t, c, u, noise)
        model = MODELS[name]
        x = model.value(t, c) + u * noise[:count]
        best = least_squares(model.value, model.derivative, t, x, np.full(count, u), c)
        least = np.inf if best is None else np.sum(((x - model.value(t, best)) / u) ** 2)
        if not fit or fit.chi2 > 1.001 * least:
            missed.append((name, cycles, per_cycle))
    assert not missed


def test_what_cannot_be_told_is_said():
    """A line is no oscillation, a rest shows none, a short arc has no centre, x has no turn, two are too few."""
    rng, t = np.random.default_rng(6), np.linspace(0, 2, 60)
    noise = rng.normal(0, 0.001, 60)

    def said(name: str, x: np.ndarray) -> str:
        fit = fit_segment(MODELS[name], t[: len(x)], family(x, 0.001, METRE, READ_X))
        assert isinstance(fit, NoFit), fit.parameters
        return fit.reason

    assert "choose another stretch" in said("damped-oscillation", 0.3 * t + noise)
    assert "part of a cycle" in said("oscillation", np.cos(0.7 * t))
    assert said("oscillation", noise) == "No oscillation is seen in these readings."
    assert "bend towards a limit" in said("terminal-approach", 4.9 * t**2 + noise)
    assert "angle" in said("uniform-rotation", 0.3 * t)
    assert said("oscillation", t[:3]).startswith("This needs at least 4 readings.")
    arc = fit_together(
        MODELS["circle"], t, family(np.cos(0.05 * t), 1e-5, METRE, READ_X),
        family(np.sin(0.05 * t), 1e-5, METRE, READ_Y),
    )  # fmt: skip
    assert isinstance(arc, NoFit)
    assert "arc" in arc.reason


def test_rates_that_look_alike_are_named():
    """An oscillation read 30 times a second names the true rates that would have looked the same."""
    t = np.arange(90) / 30
    fit = _fit("oscillation", t, np.array([0, 0.1, 0, 2 * math.pi * 4.0]), 1e-4, np.zeros(180))
    assert fit.warnings == ("At 30 readings a second, true rates of 26 Hz and 34 Hz would look the same.",)


def test_how_near_a_terminal_speed_is_told():
    """A fall that reaches its speed says so; one that does not says how much longer 99 % would take."""
    t = np.linspace(0, 1, 60)
    for time, words in ((0.1, "is reached"), (0.4, "99 % would need")):
        fit = _fit("terminal-approach", t, np.array([0, 0.05, -1.5, time]), 1e-4, np.zeros(120))
        (told,) = fit.notes
        assert words in told
    more = float(told.split("need ")[1].split(" s")[0])
    speed = MODELS["terminal-approach"].velocity(np.array([1 + more]), np.array([0, 0.05, -1.5, 0.4]))[0]
    assert abs(speed) == pytest.approx(0.99 * 1.5, rel=0.002)


def test_a_stamp_moves_both_coordinates_and_the_clock_every_rate():
    """What is common to x and y of a frame stays common; each parameter per sⁿ follows the clock n times."""
    t, n = np.arange(40) / 30, 40
    c = np.array([0.0, 1.0, 2.0, 3.0, 9.8])
    x = MODELS["projectile"].value(np.tile(t, 2), c)
    fit = fit_together(
        MODELS["projectile"], t, family(x[:n], 0.001, METRE, READ_X), family(x[n:], 0.001, METRE, READ_Y),
        Clock(0.004, 0.01, "t"), Fitted("b", "xy"),
    )  # fmt: skip
    rate = sources.clock("t")
    assert fit.parameters["g"].parts()[rate] == pytest.approx(0.196)
    assert fit.parameters["speed"].parts()[rate] == pytest.approx(0.01 * math.hypot(2, 3))
    rng = np.random.default_rng(7)
    drawn = []
    for _run in range(300):
        late = rng.uniform(-0.002, 0.002, n)
        x = MODELS["projectile"].value(np.tile(t + late, 2), c) + rng.normal(0, 0.001, 2 * n)
        both = (family(x[:n], 0.001, METRE, READ_X), family(x[n:], 0.001, METRE, READ_Y))
        drawn.append(fit_together(MODELS["projectile"], t, *both, Clock(0.004, 0.0, "t"), Fitted("b", "xy")))
    for name in ("g", "launch_angle"):
        values = [float(f.parameters[name]) for f in drawn]
        assert np.std(values) == pytest.approx(np.median([f.parameters[name].u for f in drawn]), rel=0.13)


def test_times_too_close_to_swing_give_no_frequency():
    """Where a wave between two readings is faster than any number there is nothing to begin with, and no error."""
    with np.errstate(all="ignore"):
        assert likely_frequencies(np.arange(9) * 1e-311, np.sin(np.arange(9))) == []
    t = np.arange(60) / 30
    best = likely_frequencies(t, 2 + 0.1 * np.sin(7 * t))[0]
    assert best[3] == pytest.approx(7, rel=0.05)
