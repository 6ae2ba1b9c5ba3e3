"""Events: velocities carried from both sides to their instant, with intervals that hold."""

import moved
import numpy as np
import pytest
from test_commands import QUANTITY, refused

from saltus.core.clock.clock import Clock
from saltus.core.motion.events import EventError, Sides, event_of, meeting
from saltus.core.motion.models import CONSTANT_VELOCITY, REST
from saltus.core.motion.segment import Fitted, NoFit, fit_segment
from saltus.core.quantities import exact
from saltus.core.units import SECOND

T = np.arange(120) / 60


def sides(t, end, start, **more):
    """Readings up to one time and from another."""
    return Sides((t > 0.15) & (t <= end), t >= start, **more)


def test_intervals_of_both_sides_hold():
    """Velocity before, after, their change, both slopes and the instant, with scale and clock drawn anew."""
    rng = np.random.default_rng(1)
    runs, held = 500, np.zeros(6)
    for _run in range(runs):
        at, before, after = rng.uniform(0.95, 1.05), rng.uniform(0.3, 0.6), rng.uniform(-0.3, 0.25)
        slopes = tuple(rng.normal(0, 0.02, 2))
        wrong_scale, wrong_clock = 1 + rng.normal(0, 0.01), 1 + rng.normal(0, 0.003)
        x = moved.struck(T, at, before, after, slopes) * wrong_scale
        position = moved.read(x + rng.normal(0, 0.001, len(T)), 0.001, scale=0.01)
        t = T * wrong_clock
        event = event_of(t, position, sides(t, 0.9, 1.1), None, Clock(0, 0.003, "t"))
        told = (event.before, event.after, event.change, event.slope_before, event.slope_after, event.at)
        truth = (before, after, after - before, *slopes, at)
        held += [abs(float(q) - value) <= q.U95 for q, value in zip(told, truth, strict=True)]
    assert np.all(np.abs(held / runs - 0.95) < 3.3 * np.sqrt(0.95 * 0.05 / runs)), held / runs


def test_a_common_scale_cancels_in_nothing_but_ratios():
    """The change of velocity knows that both sides were measured with one scale."""
    x = moved.struck(T, 1.0, 0.5, -0.4)
    event = event_of(T, moved.read(x, 1e-6, scale=0.02), sides(T, 0.95, 1.05), exact(1.0, SECOND))
    assert float(event.change.u) == pytest.approx(0.02 * 0.9, rel=0.01)
    ratio = event.after / event.before
    assert float(ratio.u) < 1e-3


def test_a_small_slope_dropped_would_bias_and_is_said():
    """A side taken as level though it is not: the value moves by several u, and a sentence says so."""
    rng = np.random.default_rng(2)
    x = moved.struck(T, 1.0, 0.4, 0.2, (-0.02, 0.0)) + rng.normal(0, 0.0003, len(T))
    position = moved.read(x, 0.0003)
    free = event_of(T, position, sides(T, 0.95, 1.05), exact(1.0, SECOND))
    level = event_of(T, position, sides(T, 0.95, 1.05, level="before"), exact(1.0, SECOND))
    assert abs(float(free.before) - 0.4) < free.before.U95
    assert abs(float(level.before) - 0.4) > 3 * float(level.before.u)
    assert level.slope_before is None
    assert any("taken as level" in words for words in level.warnings)
    (words,) = [words for words in free.warnings if "leans by" in words]
    off = float(words.split("would be ")[1].split(" %")[0])
    assert off == pytest.approx(100 * (float(level.before) / float(free.before) - 1), abs=0.1)
    assert not any("After" in words for words in free.warnings)


def test_a_body_at_rest_before_has_no_speed_there():
    """The side on which the person says it rests gives exactly nothing, and still tells the instant."""
    rng = np.random.default_rng(3)
    x = moved.struck(T, 1.0, 0.0, 0.2) + rng.normal(0, 0.0003, len(T))
    event = event_of(T, moved.read(x, 0.0003), sides(T, 0.95, 1.05, still="before"))
    assert (float(event.before), event.before.U95) == (0.0, 0.0)
    assert event.fits[0].model is REST
    assert abs(float(event.at) - 1.0) < event.at.U95


def test_sides_must_lie_on_their_sides():
    """Stretches over the event, or over each other, are refused; an empty one leaves its side unknown."""
    position, at = moved.read(moved.struck(T, 1.0, 0.4, 0.2), 0.001), exact(1.0, SECOND)
    with pytest.raises(EventError, match="over the event"):
        event_of(T, position, sides(T, 1.2, 1.3), at)
    with pytest.raises(EventError, match="before the event"):
        event_of(T, position, sides(T, 0.7, 0.8), at)
    with pytest.raises(EventError, match="ends at"):
        event_of(T, position, sides(T, 1.2, 1.1))
    empty = event_of(T, position, Sides(T > 99, T > 1.05), at)
    assert empty.before is None
    assert empty.change is None
    assert float(empty.after) == pytest.approx(0.2)
    assert empty.warnings[0].startswith("Before: This needs at least 3 readings.")
    assert event_of(T, position, Sides(T > 99, T > 1.05)) is None


def test_lines_that_do_not_meet_in_the_gap_give_no_instant():
    """Two parallel stretches, or such as meet far away, are no event."""
    first = fit_segment(CONSTANT_VELOCITY, T[:40], moved.read(0.4 * T[:40], 0.001))
    for after in (0.4 * T[60:] + 0.1, 0.1 * T[60:] + 0.9):
        second = fit_segment(CONSTANT_VELOCITY, T[60:], moved.read(after, 0.001))
        assert meeting(first, second) is None
    assert meeting(first, NoFit("nothing")) is None


def test_the_command_has_its_shape(tmp_path, told, saltus):
    """``event``: the five quantities; an empty side is null with a warning; bad stretches leave with 2."""
    path = moved.table_of(tmp_path / "m.csv", T, moved.struck(T, 1.0, 0.4, 0.2), 0 * T, u_scale=0.01)
    words = ("event", path, "--of", "x", "--at", "1.0")
    (one,) = told(*words, "--before", "0.2:0.95", "--after", "1.05:2", "--json")
    assert set(one) == {"before", "after", "change", "slope_before", "slope_after", "warnings"}
    assert one["before"].keys() == QUANTITY
    assert one["before"]["value"] == pytest.approx(0.4)
    assert one["before"]["u"] > 0.004
    assert one["slope_after"]["unit"] == "m/s^2"
    (level,) = told(*words, "--before", "0.2:0.95", "--after", "1.05:2", "--level", "both", "--json")
    assert level["slope_before"] is None
    (bare,) = told(*words, "--before", "5:6", "--after", "1.05:2", "--json")
    assert bare["before"] is None
    assert bare["warnings"]
    refused(saltus(*words, "--before", "0.2:1.5", "--after", "1.05:2"), "ends at 1.5 s", "move one of them")
    refused(saltus(*words, "--before", "0.9:0.2", "--after", "1.05:2"), "earlier time first")
    refused(saltus(*words, "--before", "0.9", "--after", "1.05:2"), "no stretch of time")
    _code, text, _err = saltus(*words, "--before", "0.2:0.95", "--after", "1.05:2")
    assert "just before: 0.400" in text


def test_an_angle_is_carried_too(tmp_path, told):
    """A turning disc on which a ring lands: angular velocity just before and after, in rad/s."""
    turned = moved.struck(T, 1.0, 9.0, 6.0) + 9.0
    path = moved.table_of(
        tmp_path / "m.csv", T, 0.1 * np.cos(turned), 0.1 * np.sin(turned), 1e-5, u_scale=0.05
    )
    (one,) = told(
        "event", path, "--of", "angle", "--at", "1.0", "--before", "0:0.95", "--after", "1.05:2", "--json"
    )
    assert one["before"]["value"] == pytest.approx(9.0, abs=1e-3)
    assert one["after"]["value"] == pytest.approx(6.0, abs=1e-3)
    assert one["before"]["unit"] == "rad/s"
    assert one["before"]["u"] < 0.01, "a scale does not enter an angle"


def test_stamps_belong_to_their_frames():
    """With a coarse tick the stamps of the frames of each side enter, and only these."""
    x = moved.struck(T, 1.0, 0.5, -0.4)
    of = Fitted("b", "x", "event", np.arange(40, 40 + len(T)))
    made = [
        event_of(T, moved.read(x, 1e-5), sides(T, 0.95, 1.05), exact(1.0, SECOND), Clock(tick, 0.0, "t"), of)
        for tick in (0.0, 0.004)
    ]
    assert float(made[1].before.u) > 5 * float(made[0].before.u)
    shared = made[1].before.covariance_with(made[1].after)
    assert float(shared) == pytest.approx(0.0, abs=1e-15)
