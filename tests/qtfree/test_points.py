"""Characteristic points: found where they are, nowhere else, with intervals that hold."""

import math
import re

import moved
import numpy as np
import pytest
from test_commands import QUANTITY, refused

from saltus.core.motion.coordinates import path_of
from saltus.core.motion.features import marked_point, points_of
from saltus.core.motion.pieces import pieces_of
from saltus.core.motion.recorded import points_of_log
from saltus.core.motion.window import advised_width, near_each
from saltus.core.quantities import exact
from saltus.core.units import METRE, SECOND, unit
from saltus.simulate.sensors import SENSORS

ACCELERATION = METRE / SECOND**2
POINT = {"kind", "time", "position", "velocity", "acceleration", "direction"}


class Held:
    """Counts how many stated intervals hold their truth."""

    def __init__(self):
        self.yes = self.all = 0

    def add(self, q, truth):
        self.yes += abs(float(q) - truth) <= q.U95
        self.all += 1

    def check(self, independent):
        assert abs(self.yes / self.all - 0.95) < 3.5 * math.sqrt(0.95 * 0.05 / independent), (
            self.yes,
            self.all,
        )


def kinds(found):
    """The kinds of the points found, in order of time."""
    return [p.kind for p in found.points]


def test_a_swing_turns_and_passes_where_it_does():
    """Turning points, passings and greatest speeds of drawn swings: all found, none invented, 95 % held."""
    rng, held = np.random.default_rng(1), {"turning": Held(), "zero": Held(), "fastest": Held()}
    for _run in range(40):
        period, size, phase = rng.uniform(0.8, 2), rng.uniform(0.05, 0.2), rng.uniform(0, 6.3)
        rate, u = rng.choice([30, 60, 120]), size * rng.choice([0.002, 0.01, 0.04])
        t, omega = np.arange(int(3 * rate)) / rate, 2 * math.pi / period
        x = size * np.cos(omega * t + phase) + rng.normal(0, u, len(t))
        found = points_of(t, moved.read(x, u))
        assert set(kinds(found)) <= held.keys(), found
        halves = [p for p in found.points if p.kind == "turning"]
        inner = (omega * (t[-1] - 0.25) + phase) // math.pi - (omega * 0.25 + phase) // math.pi
        assert len(halves) >= inner
        for p in found.points:
            late = 0.0 if p.kind == "turning" else 0.5
            n = round((omega * float(p.time) + phase) / math.pi - late)
            held[p.kind].add(p.time, ((n + late) * math.pi - phase) / omega)
            if p.kind == "turning":
                held[p.kind].add(p.position, size * (-1) ** n)
                assert p.direction == "rest"
            else:
                held[p.kind].add(p.velocity, -omega * size * (-1) ** n)
                assert p.direction == ("against" if n % 2 == 0 else "along")
    for one in held.values():
        one.check(one.all / 2)


def test_a_ball_that_bounces_is_struck_and_flies():
    """Impacts between frames, highest places, free flight with g; what lies between is no swing."""
    rng, struck, tops, falls = np.random.default_rng(2), Held(), Held(), Held()
    for _run in range(25):
        t = np.arange(200) / 120
        y, impacts, highest = moved.bouncing(t, rng.uniform(0.5, 1.2), rng.uniform(0.75, 0.9))
        found = points_of(t, moved.read(y + rng.normal(0, 0.002, 200), 0.002, "y"), upright=True)
        inside = [at for at in impacts if at < t[-1] - 0.06]
        assert len(inside) <= kinds(found).count("contact") <= len(impacts)
        for p in found.points:
            if p.kind == "contact":
                struck.add(p.time, min(impacts, key=lambda at, p=p: abs(at - float(p.time))))
                assert p.velocity is None
            elif p.kind == "turning":
                near = min(highest, key=lambda at, p=p: abs(at - float(p.time)))
                if near < t[-1]:
                    tops.add(p.time, near)
            elif p.kind == "free-fall":
                falls.add(p.acceleration, -moved.G)
    for one in (struck, tops, falls):
        one.check(one.all)


def test_a_wrong_scale_shows_in_free_flight():
    """G 8 % high is said with what would do that, and by how much; within its uncertainty nothing is said."""
    rng, t = np.random.default_rng(3), np.arange(60) / 120
    fall = -0.5 * moved.G * t**2 + rng.normal(0, 0.0005, 60)
    told = points_of(t, moved.read(1.08 * fall, 0.0005, "y"), upright=True).warnings
    assert len(told) == 1
    assert re.fullmatch(
        r"In free flight g comes out (8|8\.1|7\.9) % high: a scale \1 % too large, or a clock 4 % too slow, "
        "would do that.", told[0],
    )  # fmt: skip
    assert points_of(t, moved.read(fall, 0.0005, "y"), upright=True).warnings == ()
    assert "free-fall" not in kinds(points_of(t, moved.read(fall, 0.0005)))


def test_a_cart_is_let_go_when_it_is():
    """The end of a rest between frames; a rest alone has no points; a body that comes to rest has one."""
    rng, held = np.random.default_rng(4), Held()
    for _run in range(40):
        at, a = rng.uniform(0.6, 1.2), rng.uniform(0.2, 1.5)
        t = np.arange(150) / 60
        x = 0.5 * a * np.maximum(t - at, 0) ** 2 + rng.normal(0, 0.001, 150)
        found = points_of(t, moved.read(x, 0.001))
        assert kinds(found) == ["rest"]
        held.add(found.points[0].time, at)
    held.check(held.all)
    still = points_of(t, moved.read(rng.normal(0, 0.001, 150), 0.001))
    assert kinds(still) == ["rest"]
    assert "at rest" in still.warnings[0]
    few = points_of(t[:5], moved.read(t[:5], 0.001))
    assert few.points == ()
    assert "at least 7" in few.warnings[0]


def test_what_nobody_stated_their_scatter_stands_for():
    """Without u the same points are found, with uncertainties of the size of the scatter."""
    rng, t = np.random.default_rng(5), np.arange(180) / 60
    x = 0.1 * np.cos(4 * t) + rng.normal(0, 0.001, 180)
    stated = points_of(t, moved.read(x, 0.001))
    bare = points_of(t, exact(x, METRE))
    assert kinds(bare) == kinds(stated)
    for one, other in zip(bare.points, stated.points, strict=True):
        assert float(one.time.u) == pytest.approx(float(other.time.u), rel=0.4)


def test_a_marked_point_has_what_a_curve_says_there():
    """Velocity and acceleration at any reading by the widest window curvature allows, ends included."""
    rng, held = np.random.default_rng(6), Held()
    t = np.arange(240) / 60
    for _run in range(30):
        phase = rng.uniform(0, 6)
        x = 0.1 * np.cos(4 * t + phase) + rng.normal(0, 0.001, 240)
        for at in (0, 60, 239):
            p = marked_point(t, moved.read(x, 0.001), at)
            held.add(p.velocity, -0.4 * math.sin(4 * t[at] + phase))
            held.add(p.acceleration, -1.6 * math.cos(4 * t[at] + phase))
            assert float(p.time) == pytest.approx(t[at])
    held.check(held.all / 2)
    assert marked_point(t[:4], moved.read(t[:4], 0.001), 1) is None


def test_the_window_follows_noise_and_curvature():
    """More noise, or a slower swing, takes more readings; the stated u of velocities is what they scatter by."""
    rng, t = np.random.default_rng(7), np.arange(360) / 60
    widths = {}
    for u, period in ((0.0002, 1.5), (0.005, 1.5), (0.0002, 6.0)):
        x = 0.1 * np.cos(2 * np.pi * t / period) + rng.normal(0, u, 360)
        widths[u, period] = advised_width(t, x, np.full(360, u))
    assert widths[0.0002, 1.5] < widths[0.005, 1.5]
    assert widths[0.0002, 1.5] < widths[0.0002, 6.0]
    noise, uneven = rng.normal(0, 1, (400, 40)), np.sort(rng.uniform(0, 1, 40))
    many = np.array([near_each(uneven, x, np.ones(40), 15, 4).values for x in noise])
    assert many.std(axis=0) == pytest.approx(near_each(uneven, noise[0], np.ones(40), 15, 4).u, rel=0.17)


def test_pieces_part_where_the_motion_changes():
    """One piece of an even motion, never two; three of a cart let go and caught; an impact's frames left out."""
    rng, t = np.random.default_rng(8), np.arange(300) / 60
    u = np.full(300, 0.001)
    assert all(
        len(pieces_of(t, 0.3 * t - 0.05 * t**2 + rng.normal(0, 0.001, 300), u)) == 1 for _run in range(40)
    )
    x = np.where(t < 1, 0, np.where(t < 3, 0.25 * (t - 1) ** 2, 1 + 1.0 * (t - 3)))
    x[180:183] += 0.02
    found = pieces_of(t, x + rng.normal(0, 0.001, 300), u)
    assert len(found) == 3
    assert t[found[1].first] == pytest.approx(1.0, abs=0.15)
    assert found[1].last < 180
    assert found[2].first == 183
    assert pieces_of(t[:4], x[:4], u[:4]) == []


def jump(seed, **changes):
    """A load that jumps on an elastic cord, as its sensor records it; the sample is taken a step later."""
    made = SENSORS["cord-jump"].record({"seed": seed, "offset": 0.0, "damping": 0.0, **changes})
    return np.asarray(made.columns["time"][1]), np.asarray(made.columns["acceleration"][1])


def test_a_jump_on_a_cord_shows_its_eight_points():
    """Rest, free fall, taut, greatest speed down, lowest point, greatest speed up, free again; directions."""
    for seed in (1, 2, 3):
        t, a = jump(seed)
        found = points_of_log(t, a, ACCELERATION, 1e-4)
        first = found.points[:7]
        assert [p.kind for p in first] == [
            "rest",
            "free-fall",
            "taut",
            "zero",
            "extremum",
            "zero",
            "free-fall",
        ]
        assert found.warnings == ()
        assert float(first[0].time) == pytest.approx(1.0, abs=0.01)
        assert abs(float(first[1].acceleration) + moved.G) < first[1].acceleration.U95
        # the simulated sensor is a sample ahead of its stamps
        assert float(first[2].time) == pytest.approx(1 + math.sqrt(2.4 / moved.G) - 0.005, abs=0.006)
        assert abs(float(first[2].velocity) + math.sqrt(2.4 * moved.G)) < 0.12
        assert abs(float(first[4].velocity)) < 0.15
        assert [p.direction for p in first[2:4]] == ["down", "down"]
        assert first[5].direction == "up"


def test_a_sensor_that_is_turned_or_not_zeroed_is_told():
    """A free stretch that does not show −g names what is likely: the arrow, the zero, both, or the axis."""
    t, a = jump(1)
    for values, words in (
        (-a, "wrong way"), (a + moved.G, "not zeroed"), (moved.G - a, "neither zeroed nor turned"),
        (0.6 * a, "wrong axis"),
    ):  # fmt: skip
        found = points_of_log(t, values, ACCELERATION, 1e-4)
        assert "free-fall" not in kinds(found)
        assert len(found.warnings) == 1
        assert words in found.warnings[0]
    off = points_of_log(t, a + 0.3, ACCELERATION, 1e-4)
    assert "free-fall" in kinds(off)
    assert "At rest the sensor shows +0." in off.warnings[0]


def test_other_signals_have_no_fall():
    """A force rests at nothing and has extrema; a wheel that coasts does not rest."""
    rng, t = np.random.default_rng(9), np.arange(400) / 100
    force = np.where(t < 1, 0, np.sin(2 * (t - 1))) + rng.normal(0, 0.01, 400)
    found = points_of_log(t, force, unit(kg=1, m=1, s=-2), 0.001)
    assert kinds(found)[0] == "rest"
    assert kinds(found).count("extremum") == 2
    assert all(p.acceleration is None and p.velocity is None for p in found.points)
    coasting = points_of_log(t, 9 - 0.1 * t + rng.normal(0, 0.02, 400), unit(rad=1, s=-1), 0.001)
    assert "rest" not in kinds(coasting)


def test_the_command_has_its_shape(tmp_path, told, saltus):
    """``points`` of a motion and of a log: one object, each point with its keys; an unknown name leaves with 2."""
    t = np.arange(180) / 60
    path = moved.table_of(tmp_path / "m.csv", t, 0.1 * np.cos(4 * t), 0 * t, 0.0005, u_rate=0.001)
    (one,) = told("points", path, "--of", "x", "--json")
    assert one.keys() == {"points", "warnings"}
    assert all(p.keys() == POINT for p in one["points"])
    turned = [p for p in one["points"] if p["kind"] == "turning"]
    assert turned[0]["time"].keys() == QUANTITY
    assert turned[0]["time"]["value"] == pytest.approx(math.pi / 4, abs=0.003)
    assert turned[-1]["time"]["u"] > turned[-1]["time"]["value"] * 0.0009
    times, values = jump(1)
    log = tmp_path / "log.csv"
    rows = [f"{at:.4f},{v:.4f}" for at, v in zip(times, values, strict=True)]
    log.write_text("time [s],acceleration [m/s^2]\n" + "\n".join(rows) + "\n", encoding="utf-8")
    (found,) = told("points", log, "--of", "acceleration", "--json")
    assert {"free-fall", "taut", "rest"} <= {p["kind"] for p in found["points"]}
    assert all(p.keys() == POINT for p in found["points"])
    refused(saltus("points", log, "--of", "force"), "no signal “force”", "acceleration")
    refused(saltus("points", log, "--of", "time"), "no signal")
    code, text, _err = saltus("points", path, "--of", "x")
    assert code == 0
    assert "turns: 0.78" in text


def test_paths_of_nothing_are_nothing():
    """A path of no reading, or of one, has no length."""
    for count in (0, 1):
        t = np.arange(count, dtype=float)
        assert path_of(t, moved.read(t, 0.001), moved.read(t, 0.001, "y")).value.tolist() == [0.0] * count
