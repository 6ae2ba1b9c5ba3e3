"""``segment`` with all models and coordinates, ``motion`` with angles: exact shapes, truths, refusals."""

import csv
import math

import moved
import numpy as np
import pytest
from test_commands import QUANTITY, refused

from saltus.core.motion.models import MODELS

T = np.arange(120) / 60
TWO = {"projectile", "circle"}
SHAPES = {
    "rest": {"position"},
    "constant-velocity": {"position", "velocity"},
    "constant-acceleration": {"position", "velocity", "acceleration"},
    "oscillation": {"centre", "amplitude", "period", "phase"},
    "damped-oscillation": {"centre", "amplitude", "period", "phase", "damping"},
    "quadratic-damped-oscillation": {"centre", "amplitude", "period", "phase", "loss"},
    "large-oscillation": {"centre", "amplitude", "period", "small_period", "phase"},
    "uniform-rotation": {"angle", "velocity"},
    "angular-acceleration": {"angle", "velocity", "acceleration"},
    "projectile": {"x", "y", "vx", "vy", "g", "speed", "launch_angle"},
    "circle": {"centre_x", "centre_y", "radius", "angle", "velocity"},
    "terminal-approach": {"terminal_speed"},
    "exponential": {"limit", "amplitude", "rate"},
}


def values(one):
    """Values of the parameters of a fit as JSON."""
    return {name: q["value"] for name, q in one["parameters"].items()}


@pytest.mark.parametrize("model", SHAPES)
def test_each_model_has_its_parameters(model, tmp_path, told):
    """Every model of the list, on a table that cannot follow it and on one that can, keeps its shape."""
    for x in (0.1 * np.cos(5 * T + 0.3), 0.4 * T):
        path = moved.table_of(tmp_path / "m.csv", T, x, 0.1 * np.sin(5 * T + 0.3), 1e-4)
        of = () if model in TWO else ("--of", "angle" if MODELS[model].angular else "x")
        (one,) = told("segment", path, "--model", model, *of, "--json")
        assert set(one) == {"model", "parameters", "rms_residual", "birge", "dof", "warnings"}
        assert one["model"] == model
        assert set(one["parameters"]) >= SHAPES[model]
        assert all(q is None or q.keys() == QUANTITY for q in one["parameters"].values())
        assert one["warnings"] or None not in one["parameters"].values()


def test_oscillations_come_back_from_tables(tmp_path, told):
    """Centre, amplitude above zero, period and phase to a millionth, whatever the sign it was made with."""
    for size, phase in ((0.1, 0.3), (-0.1, 2.5), (0.1, -2.9)):
        x = 0.02 + size * np.exp(-0.2 * T) * np.cos(2 * math.pi * T / 0.7 + phase)
        path = moved.table_of(tmp_path / "m.csv", T, x, 0 * T, 1e-5, u_rate=0.001)
        (one,) = told("segment", path, "--model", "damped-oscillation", "--of", "x", "--json")
        found = values(one)
        assert found["amplitude"] == pytest.approx(0.1, rel=1e-6)
        assert found["period"] == pytest.approx(0.7, rel=1e-6)
        assert found["damping"] == pytest.approx(0.2, rel=1e-5)
        wanted = phase + (math.pi if size < 0 else 0)
        assert math.remainder(found["phase"] - wanted, 2 * math.pi) == pytest.approx(0, abs=1e-5)
        assert one["parameters"]["period"]["u"] == pytest.approx(0.0007, rel=0.01)
        assert one["parameters"]["phase"]["unit"] == "rad"
        assert "60 readings" in one["warnings"][-1]


def test_a_large_swing_knows_both_periods(tmp_path, told):
    """A pendulum at 100° swings as the equation says: its period beside that of small swings."""
    swing, dt, state = [], 1e-5, np.array([math.radians(100), 0.0])
    for n in range(200_000):
        if n % 1000 == 0:
            swing.append(state[0])
        mid = state + 0.5 * dt * np.array([state[1], -(6.0**2) * math.sin(state[0])])
        state = state + dt * np.array([mid[1], -(6.0**2) * math.sin(mid[0])])
    angle, t = np.array(swing), np.arange(200) * 0.01
    path = moved.table_of(tmp_path / "m.csv", t, 0.5 * np.cos(angle), 0.5 * np.sin(angle), 1e-6)
    (one,) = told("segment", path, "--model", "large-oscillation", "--of", "angle", "--json")
    found = values(one)
    assert found["amplitude"] == pytest.approx(math.radians(100), rel=1e-5)
    assert found["small_period"] == pytest.approx(2 * math.pi / 6, rel=1e-5)
    assert found["period"] / found["small_period"] == pytest.approx(1.2322, rel=1e-4)
    (no,) = told("segment", path, "--model", "large-oscillation", "--of", "x", "--json")
    assert "angle" in no["warnings"][0]


def test_a_fall_with_drag_tells_its_terminal_speed(tmp_path, told):
    """Quadratic and linear drag, downwards: the speed without sign, and which of the two fits."""
    quadratic = -1.5 * 0.3 * np.log(np.cosh(T / 0.3))
    linear = -1.5 * (T - 0.3 * (1 - np.exp(-T / 0.3)))
    for y, drag, other in ((quadratic, "quadratic", "linear"), (linear, "linear", "quadratic")):
        path = moved.table_of(tmp_path / "m.csv", T, 0 * T, y, 1e-4)
        words = ("segment", path, "--model", "terminal-approach", "--of", "y", "--json", "--drag")
        (one,), (wrong,) = told(*words, drag), told(*words, other)
        assert values(one)["terminal_speed"] == pytest.approx(1.5, rel=1e-6)
        assert one["model"] == "terminal-approach"
        assert wrong["birge"] is None or wrong["birge"] > 5


def test_x_and_y_go_together(tmp_path, told):
    """A throw and a circle from one table; a common scale enters length and speed, not the angle."""
    x, y = 2.0 * T, 1 + 3 * T - 0.5 * 9.81 * T**2
    path = moved.table_of(tmp_path / "m.csv", T, x, y, 1e-4, u_scale=0.01)
    (one,) = told("segment", path, "--model", "projectile", "--json")
    found = values(one)
    assert found["g"] == pytest.approx(9.81)
    assert found["speed"] == pytest.approx(math.hypot(2, 3))
    assert found["launch_angle"] == pytest.approx(math.atan2(3, 2))
    assert one["parameters"]["g"]["u"] == pytest.approx(0.0981, rel=0.01)
    assert one["parameters"]["launch_angle"]["u"] < 1e-3
    assert one["dof"] == 240 - 5
    (late,) = told("segment", path, "--model", "projectile", "--from", "1.0", "--json")
    assert values(late)["vy"] == pytest.approx(3 - 9.81)
    turn = 0.4 + 7 * T
    path = moved.table_of(tmp_path / "c.csv", T, 0.2 + 0.5 * np.cos(turn), 0.3 + 0.5 * np.sin(turn), 1e-4)
    (round_it,) = told("segment", path, "--model", "circle", "--of", "x", "--json")
    for name, truth in (
        ("centre_x", 0.2),
        ("radius", 0.5),
        ("angle", 0.4),
        ("velocity", 7.0),
        ("speed", 3.5),
    ):
        assert values(round_it)[name] == pytest.approx(truth)


def test_radius_and_path_are_coordinates(tmp_path, told):
    """A body on a growing circle: its radius grows evenly; along its path it runs as it does."""
    path = moved.table_of(
        tmp_path / "m.csv", T, (0.3 + 0.1 * T) * np.cos(T), (0.3 + 0.1 * T) * np.sin(T), 1e-5
    )
    (one,) = told("segment", path, "--model", "constant-velocity", "--of", "radius", "--json")
    assert values(one) == pytest.approx({"position": 0.3, "velocity": 0.1})
    path = moved.table_of(tmp_path / "r.csv", T, 0.5 * np.cos(2 * T), 0.5 * np.sin(2 * T), 1e-5, u_scale=0.01)
    (along,) = told("segment", path, "--model", "constant-velocity", "--of", "path", "--json")
    assert values(along)["velocity"] == pytest.approx(1.0, rel=1e-4)
    assert along["parameters"]["velocity"]["u"] == pytest.approx(0.01, rel=0.02)


def test_refusals_are_one_line(tmp_path, told, saltus):
    """No coordinate, a body on the pivot, more parameters than readings: each says so."""
    path = moved.table_of(tmp_path / "m.csv", T, 0.1 * (T - 1), 0 * T, 1e-3)
    refused(saltus("segment", path, "--model", "rest"), "--of x, y, angle, radius, path")
    refused(saltus("segment", path, "--model", "rest", "--of", "angle"), "choose another point")
    (few,) = told("segment", path, "--model", "damped-oscillation", "--of", "x", "--to", "0.05", "--json")
    assert few["warnings"] == ["This needs at least 5 readings. The segment has 4."]
    assert few["dof"] is None


def readings(path, x, y, more=""):
    """Write a table of readings in px."""
    head = "body,frame,t [s],x [px],y [px],u(x) [px],u(y) [px],status" + (
        ",u_template(x) [px],u_template(y) [px],run" if more else ""
    )
    rows = [
        f"A,{i},{i / 60:.6f},{a:.6f},{b:.6f},0.1,0.1,found{more}"
        for i, (a, b) in enumerate(zip(x, y, strict=True))
    ]
    path.write_text("\n".join([head, *rows]) + "\n", encoding="utf-8")
    return path


def test_motion_tells_angles_about_a_point(tmp_path, told, saltus):
    """Angle, angular velocity and acceleration about any pivot, with u; what the patch shares, they share."""
    turn = 0.5 + 3 * T + 0.4 * T**2
    x, y = 320 + 100 * np.cos(turn), 240 - 100 * np.sin(turn)
    table = readings(tmp_path / "r.csv", x, y, ",0.05,0.05,1")
    out = tmp_path / "m.csv"
    told("motion", table, "--scale", "0.002", "--u-scale", "0.02", "--origin", "300,260",
         "--angle-about", "0.04,0.04", "-o", out)  # fmt: skip
    rows = list(csv.DictReader(out.read_text(encoding="utf-8").splitlines()))
    for name in ("angle [rad]", "u(angle) [rad]", "omega [rad/s]", "u(omega) [rad/s]", "alpha [rad/s^2]",
                 "u(alpha) [rad/s^2]", "c:patch-1(x) [m]", "c:patch-1(angle) [rad]"):  # fmt: skip
        assert rows[60][name]
    found = np.array([float(row["angle [rad]"]) for row in rows])
    assert found - found[0] == pytest.approx(turn - turn[0], abs=1e-6)
    assert float(rows[60]["omega [rad/s]"]) == pytest.approx(3 + 0.8 * T[60], abs=1e-3)
    assert float(rows[60]["u(angle) [rad]"]) == pytest.approx(0.1 / 100, rel=1e-3)
    assert abs(float(rows[60]["c:patch-1(angle) [rad]"])) < 0.05 * math.sqrt(2) / 100 * 1.001
    (one,) = told("segment", out, "--model", "angular-acceleration", "--of", "angle", "--json")
    assert values(one)["acceleration"] == pytest.approx(0.8, abs=1e-3)
    assert one["parameters"]["angle"]["u"] > 0.05 / 100 / 3
    missing = readings(tmp_path / "p.csv", [320, 330, 340], [240, 240, 240])
    refused(
        saltus("motion", missing, "--scale", "1", "--origin", "330,240", "--angle-about", "0,0", "-o", out),
        "choose another point",
    )
    refused(saltus("motion", missing, "--scale", "1", "--angle-about", "7", "-o", out), "write X,Y in m")


def test_a_decaying_spring_begun_anywhere_is_one_spring(tmp_path, told):
    """Read from three phases on, the same spring has the same period, damping and place of rest."""
    rng = np.random.default_rng(1)
    t = np.arange(600) / 60
    x = 0.05 + 0.08 * np.exp(-0.15 * t) * np.cos(2 * math.pi * t / 0.9 + 1.0) + rng.normal(0, 0.0005, 600)
    path = moved.table_of(tmp_path / "m.csv", t, x, 0 * t, 0.0005)
    fits = [
        told("segment", path, "--model", "damped-oscillation", "--of", "x", "--from", start, "--json")[0]
        for start in ("0", "0.31", "0.77")
    ]
    for name, truth in (("period", 0.9), ("damping", 0.15), ("centre", 0.05)):
        for fit in fits:
            q = fit["parameters"][name]
            assert abs(q["value"] - truth) < 1.6 * q["U95"]
