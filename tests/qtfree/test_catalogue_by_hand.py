"""The catalogue against plain arithmetic written down a second time: other numbers than the examples, by hand."""

import math

import numpy as np
import pytest

from saltus.investigations.engine.run import run
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.table.trials import read_trials

G = 9.81


def results_of(recipe_id, columns, givens=None, g=G):
    """Run an investigation on plain numbers in SI; gives values by result, and the outcome."""
    recipe = recipe_named(recipe_id)
    cells = {}
    for name, values in columns.items():
        unit = recipe.columns[name].unit.ascii if name in recipe.columns else ""
        cells[name] = (
            "" if unit == "1" else unit,
            [v if isinstance(v, str) else f"{v:.15g}" for v in values],
        )
    written = {"g": f"{g:.15g} m/s^2"}
    for name, value in (givens or {}).items():
        text = recipe.givens[name].unit.ascii if name in recipe.givens else "kg"
        written[name] = (
            value if isinstance(value, str) else f"{value:.15g}" + ("" if text == "1" else f" {text}")
        )
    outcome = run(recipe, read_trials("t.csv", cells, recipe), written)
    return {n: float(q) for n, q in outcome.results.items() if q is not None}, outcome


def line(x, y):
    """Slope and intercept by plain least squares."""
    return np.polyfit(np.asarray(x, float), np.asarray(y, float), 1)


def close(found, **expected):
    """Every named result to eight digits."""
    for name, value in expected.items():
        assert found[name] == pytest.approx(value, rel=1e-8, abs=1e-12), name


def test_forces_and_masses():
    """Weights, carts, springs, whirled springs, rods, upthrust."""
    rng = np.random.default_rng(1)
    mass, force = np.array([0.1, 0.2, 0.35, 0.5]), np.array([1.0, 1.95, 3.5, 4.9])
    found, _o = results_of("weight-mass", {"mass": mass, "force": force})
    slope, low = line(mass, force)
    close(found, g=slope, zero_offset=low)
    a, f = np.array([0.5, 1.1, 1.6, 2.2]), np.array([0.4, 0.7, 0.95, 1.3])
    found, outcome = results_of("force-acceleration", {"force": f, "acceleration": a}, {"balance_mass": 0.52})
    slope, low = line(a, f)
    close(found, mass=slope, friction=low)
    assert ("mass", "balance_mass") in {(c.of, c.other) for c in outcome.compared}
    reading = 0.1 + mass * 0.3 + rng.normal(0, 1e-3, 4)
    found, _o = results_of("hooke-static", {"mass": mass, "reading": reading})
    slope, low = line(reading, mass * G)
    close(found, k=slope, rest_reading=-low / slope)
    freq, shown = np.array([1.0, 1.5, 2.0]), np.array([0.11, 0.125, 0.16])
    found, _o = results_of(
        "whirling-spring", {"reading": shown, "frequency": freq}, {"mass": 0.05, "axis_offset": 0.02}
    )
    r = shown - 0.02
    slope, low = line(r, 0.05 * (2 * np.pi * freq) ** 2 * r)
    close(found, k=slope, rest_radius=-low / slope)
    air, wet = np.array([0.03, 0.05, 0.08]), np.array([0.027, 0.044, 0.069])
    found, _o = results_of(
        "cantilever-depression", {"mass": [1, 2, 3], "reading_air": air, "reading_liquid": wet},
        {"zero_air": 0.01, "zero_liquid": 0.011},
    )  # fmt: skip
    slope, _low = line(wet - 0.011, air - 0.01)
    close(found, ratio=slope, relative_density=slope / (slope - 1))
    found, _o = results_of("weigh-in-liquid", {"weight_air": [2.0, 2.1], "weight_liquid": [1.7, 1.85]})
    close(found, upthrust=np.mean([0.3, 0.25]), relative_density=np.mean([2 / 0.3, 2.1 / 0.25]))


def test_runs_and_falls():
    """Ramps, guided runs, pushes, steady falls, free fall, bounces, carts that stick."""
    start, time = [0.2, 0.2, 0.6, 0.6, 0.9, 0.9], [1.5, 1.54, 1.1, 1.12, 0.8, 0.77]
    found, _o = results_of(
        "ramp-run", {"start": start, "time": time}, {"finish": 1.2, "height": 0.1, "length": 0.9}
    )
    assert found["g_along"] == pytest.approx(found["acceleration"] * 9)
    means = [np.mean(time[i : i + 2]) for i in (0, 2, 4)]
    weights = (1 / (2 * np.array(means))) ** 2
    x, y = np.array(means) ** 2, np.array([1.0, 0.6, 0.3])
    middle = np.sum(weights * x) / np.sum(weights)
    # errors lie in x = t²: the inverse line x against y, weighted by 1/(2t)², has the same residuals but for the slope
    assert found["acceleration"] == pytest.approx(
        2 * np.sum(weights * (x - middle) * y) / np.sum(weights * (x - middle) * x), rel=0.02
    )
    found, _o = results_of(
        "guided-run", {"level": [1, 1, 2, 2], "time": [2.0, 2.2, 2.5, 2.7]}, {"distance": 1.5}
    )
    close(found, mean_1=2.1, mean_2=2.6, speed_1=1.5 / 2.1, trend=0.5)
    found, outcome = results_of(
        "push-distance", {"level": ["low", "low", "high", "high"], "distance": [1, 1.2, 2, 2.4]}
    )
    close(found, mean_low=1.1, mean_high=2.2)
    (apart,) = (c.found.difference for c in outcome.compared)
    assert float(apart) == pytest.approx(1.1)
    count, t = np.array([1, 2, 4]), np.array([1.9, 1.36, 0.97])
    given = {"distance": 1.5, "batch_mass": 0.02, "batch_count": 10}
    found, _o = results_of("terminal-fall", {"count": count, "time": t}, given)
    m, v = count * 0.002, 1.5 / t
    square, linear = np.sum(m * v**2) / np.sum(m**2), np.sum(m * v) / np.sum(m**2)
    exponent = line(np.log(m), np.log(v))[0]
    close(found, exponent=exponent, drag_constant=G / square, linear_drag_constant=G / linear)
    clock = np.linspace(0.1, 0.6, 9)
    height = 2 + 0.4 * clock - 4.8 * clock**2 + 0.001 * np.sin(9 * clock)
    found, _o = results_of("free-fall", {"time": clock, "height": height})
    c2, c1, _c0 = np.polyfit(clock, height, 2)
    close(found, g=-2 * c2, initial_speed=c1)
    impacts = [0.3, 0.95, 1.46, 1.87, 2.2]
    found, _o = results_of("bounce", {"bounce": range(5), "time": impacts})
    # ln of a flight is the less sure the shorter the flight: u = √2·u(t)/flight, whatever u(t) is
    flights = np.diff(impacts)
    start = np.polyfit(range(4), np.log(flights), 1, w=flights)[0]
    close(found, restitution=math.exp(start))
    before, after = np.array([0.5, 0.62, 0.7]), np.array([0.26, 0.31, 0.36])
    found, outcome = results_of(
        "inelastic-collision", {"v1_before": before, "v_after": after}, {"mass_1": 0.5, "mass_2": 0.48}
    )
    lost = 1 - 0.98 * after**2 / (0.5 * before**2)
    close(
        found, momentum_before=np.mean(0.5 * before), momentum_after=np.mean(0.98 * after),
        impulse_1=np.mean(0.5 * (after - before)), impulse_2=np.mean(0.48 * after), energy_lost=np.mean(lost),
    )  # fmt: skip
    by_pair = {(c.of, c.other): c.found for c in outcome.compared if c.row is None}
    assert [c.row for c in outcome.compared if c.row is not None] == [1, 2, 3]
    assert float(by_pair["momentum_after", "momentum_before"].difference) == pytest.approx(
        np.mean(0.98 * after - 0.5 * before)
    )


def test_projectiles():
    """Launches level, at an angle, at an angle nobody measured, and read from a film."""
    drop, reach = np.array([0.8, 0.9]), np.array([1.3, 1.36])
    found, _o = results_of("horizontal-launch", {"drop": drop, "range": reach})
    close(found, speed=np.mean(reach / np.sqrt(2 * drop / G)))
    angle = np.radians([30, 40, 50])
    found, outcome = results_of(
        "level-launch", {"angle": angle, "range": [1.0, 1.14, 1.15]}, {"speed_known": 3.4}
    )
    close(found, speed=np.mean(np.sqrt(np.array([1.0, 1.14, 1.15]) * G / np.sin(2 * angle))))
    assert [float(c.found.difference) for c in outcome.compared if c.of == "measured_range"] == pytest.approx(
        np.array([1.0, 1.14, 1.15]) - 3.4**2 * np.sin(2 * angle) / G
    )
    protractor = np.radians([60, 50, 40])
    found, outcome = results_of(
        "level-launch",
        {"protractor": protractor, "range": [1.0, 1.14, 1.15], "apex_distance": [0.5, 0.56, 0.58]},
    )
    close(found, speed=np.mean(np.sqrt(np.array([1.0, 1.14, 1.15]) * G / np.sin(2 * angle))))
    rows = [c for c in outcome.compared if c.of == "measured_apex_distance"]
    assert [c.row for c in rows] == [1, 2, 3]
    assert [float(c.found.difference) for c in rows] == pytest.approx([0, -0.01, 0.005])
    # of what has no uncertainty nothing can be told
    assert {c.found.agree for c in rows} == {None}
    found, _o = results_of(
        "launch-unknown-angle", {"range": [1.7, 1.8], "apex_height": [0.75, 0.8]}, {"launch_height": 0.2}
    )
    apex, reach = np.array([0.55, 0.6]), np.array([1.7, 1.8])
    theta = np.arctan(4 * apex / reach)
    close(found, angle=np.mean(theta), speed=np.mean(np.sqrt(2 * G * apex) / np.sin(theta)))
    found, _o = results_of("launch-unknown-angle", {"apex_distance": [0.85], "apex_height": [0.55]})
    close(found, angle=math.atan(2 * 0.55 / 0.85))
    t = np.linspace(0, 0.5, 8)
    x, y = 0.1 + 2 * t + 0.001 * np.cos(7 * t), 1 + 3 * t - 4.9 * t**2 + 0.001 * np.sin(5 * t)
    found, _o = results_of("projectile-video", {"time": t, "x": x, "y": y})
    vx, (c2, vy, _c0) = line(t, x)[0], np.polyfit(t, y, 2)
    close(found, g=-2 * c2, speed=math.hypot(vx, vy), angle=math.atan2(vy, vx))


def test_turning_things():
    """Whirled bodies, wheels, torques, sliders, things dropped onto a turning table."""
    radius, turns, time = np.array([0.5, 0.6, 0.7]), np.array([10, 10, 20]), np.array([7.1, 7.8, 16.9])
    found, _o = results_of(
        "whirl-unknown-mass", {"radius": radius, "turns": turns, "time": time}, {"hanging_mass": 0.1}
    )
    close(found, mass=np.mean(0.1 * G * (time / turns) ** 2 / (4 * np.pi**2 * radius)))
    weights = np.array([4, 6, 8])
    given = {"radius": 0.6, "batch_mass": 0.1, "batch_count": 10, "holder_mass": 0.004}
    found, _o = results_of(
        "whirl-force-speed", {"weights": weights, "turns": [20] * 3, "time": [13.2, 10.9, 9.5]}, given
    )
    v, force = 2 * np.pi * 0.6 * 20 / np.array([13.2, 10.9, 9.5]), (weights * 0.01 + 0.004) * G
    close(found, body_mass=line(v**2, force)[0] * 0.6, exponent=line(np.log(v), np.log(force))[0])
    found, _o = results_of(
        "falling-mass-inertia",
        {"angle": [6.28, 6.28], "time": [1.4, 1.5]},
        {"radius": 0.05, "hanging_mass": 0.1},
    )
    alpha = 2 * 6.28 / np.array([1.4, 1.5]) ** 2
    close(
        found, angular_acceleration=np.mean(alpha), inertia=np.mean(0.1 * 0.05 * (G - 0.05 * alpha) / alpha)
    )
    hung, alpha = np.array([0.02, 0.05, 0.1]), np.array([1.4, 4.0, 8.1])
    found, _o = results_of(
        "torque-acceleration", {"hanging_mass": hung, "angular_acceleration": alpha}, {"pulley_radius": 0.024}
    )
    slope, low = line(alpha, hung * (G - 0.024 * alpha) * 0.024)
    close(found, inertia=slope, friction_torque=low)
    d, alpha = np.array([0.06, 0.12, 0.18]), np.array([9.6, 4.7, 2.5])
    given = {"hanging_mass": 0.1, "pulley_radius": 0.02, "friction_torque": 0.0005}
    found, _o = results_of("inertia-geometry", {"distance": d, "angular_acceleration": alpha}, given)
    slope, low = line(d**2, (0.1 * 0.02 * (G - 0.02 * alpha) - 0.0005) / alpha)
    close(found, slider_mass=slope, inertia_rest=low)
    one, two = np.array([6.0, 7.5, 9.0]), np.array([3.9, 4.8, 5.9])
    for shape, given, theory in (
        ("disc", {"mass": 0.8, "radius": 0.09}, 0.8 * 0.09**2 / 2),
        ("ring", {"mass": 0.8, "inner_radius": 0.05, "outer_radius": 0.07}, 0.8 * (0.05**2 + 0.07**2) / 2),
        ("plate", {"mass": 0.8, "side_a": 0.1, "side_b": 0.15}, 0.8 * (0.1**2 + 0.15**2) / 12),
        ("none", {"inertia_added_known": 0.003}, None),
    ):
        found, outcome = results_of(
            "spin-drop",
            {"omega_before": one, "omega_after": two},
            {"inertia_before": 0.006, "shape": shape, **given},
        )
        close(found, inertia_added=np.mean(0.006 * (one / two - 1)), energy_lost=np.mean(1 - two / one))
        with_theory = [
            c.found for c in outcome.compared if (c.of, c.other, c.row) == ("inertia_added", "theory", None)
        ]
        assert [float(c.difference) for c in with_theory] == pytest.approx(
            [] if theory is None else [found["inertia_added"] - theory]
        )
    close(found, momentum_ratio=np.mean(0.009 * two / (0.006 * one)))


def test_things_that_swing():
    """Pendulum, spring, tray with an unknown, string."""
    length, cycles, time = np.array([0.3, 0.6, 0.9]), np.array([10, 20, 10]), np.array([11.1, 31.1, 19.1])
    found, _o = results_of("pendulum", {"length": length, "cycles": cycles, "time": time})
    period = time / cycles
    close(found, g=4 * np.pi**2 / line(length, period**2)[0], effect_of_length=line(length, period)[0])
    mass = np.array([0.1, 0.2, 0.3])
    found, _o = results_of("spring-oscillator", {"mass": mass, "cycles": [10] * 3, "time": [4.2, 5.8, 7.1]})
    slope, low = line(mass, (np.array([4.2, 5.8, 7.1]) / 10) ** 2)
    close(found, k=4 * np.pi**2 / slope, effective_mass=low / slope)
    tray = {
        "label": ["", "", "", "pebble"], "mass": [0.0, 0.1, 0.2, ""], "cycles": [20] * 4, "time": [7.4, 9.1, 10.4, 9.6],
    }  # fmt: skip
    found, outcome = results_of("vibrating-tray", tray, {"balance_mass": 0.135})
    slope, low = line([0, 0.1, 0.2], (np.array([7.4, 9.1, 10.4]) / 20) ** 2)
    close(found, mass_pebble=((9.6 / 20) ** 2 - low) / slope)
    assert ("mass_pebble", "balance_mass") in {(c.of, c.other) for c in outcome.compared}
    string = {
        "harmonic": [2, 2, 3, 3], "f_low": [33, 33, 49.5, 49.5], "f_high": [33.4, 33.4, 50.1, 50.1],
        "internode": [0.6, 0.602, 0.4, 0.398],
    }  # fmt: skip
    found, outcome = results_of("string-harmonics", string, {"hanging_mass": 0.25, "linear_density": 0.0015})
    f, inverse = np.array([33.2, 49.8]), 1 / (2 * np.array([0.601, 0.399]))
    assert found["wave_speed"] == pytest.approx(np.mean(f / inverse), rel=2e-3)
    (versus,) = outcome.compared
    assert float(versus.found.difference) == pytest.approx(found["wave_speed"] - math.sqrt(0.25 * G / 0.0015))


def test_a_jump_on_a_cord_is_read_from_its_record():
    """A made-up record: rest, a free stretch at −g, a pull with a known top, bounces of a known period, its points."""
    t = np.arange(0, 6, 0.005)
    values = np.where(t < 1, 0.0, np.where(t < 1.5, -G, 0.0))
    later = t >= 1.5
    values[later] = 10 + 25 * np.sin(2 * np.pi * (t[later] - 1.5) / 1.25 - np.pi / 2)
    values[later & (values < -G)] = -G
    values += np.random.default_rng(4).normal(0, 0.02, len(t))
    found, outcome = results_of("cord-jump", {"time": t, "acceleration": values})
    assert found["free_fall"] == pytest.approx(-G, abs=0.02)
    assert found["peak"] == pytest.approx(35, abs=0.1)
    assert found["period"] == pytest.approx(1.25, abs=0.01)
    assert [p["direction"] for p in outcome.points[:3]] == ["still", "down", "down"]
    assert outcome.points[1]["time"] == pytest.approx(1.0, abs=0.01)
    calm, outcome = results_of("cord-jump", {"time": t, "acceleration": 0.001 * np.sin(t)})
    assert "free_fall" not in calm
    assert any("free fall" in w.text for w in outcome.warnings)


@pytest.mark.parametrize("recipe_id", ids())
def test_every_file_says_all_that_a_person_needs(recipe_id):
    """Question, steps, checks, cautions, what to try next, an example with truth; ids and slips from the catalogue's lists."""
    recipe = recipe_named(recipe_id)
    assert recipe.id == recipe_id
    assert recipe.question.endswith("?")
    for part in ("steps", "checks", "cautions", "next", "instruments", "measured", "same"):
        assert recipe.texts[part], part
    assert recipe.example["about"]
    assert all(s.text.endswith(".") for s in (*recipe.slips, *recipe.warns))
    assert "g" in recipe.givens
