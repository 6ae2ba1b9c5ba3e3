"""Stopwatch, hand, planning, checks of the clock, strobe, counted passings: truth, coverage, bad input."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from made import source

from saltus.core.clock.aliasing import RateError, appears, candidates, settling_rate, strobe_candidates
from saltus.core.clock.brackets import InstantError, bracketed
from saltus.core.clock.checks import WatchReading, rate_by_fall, rate_by_watch, smear_u
from saltus.core.clock.cycles import counted
from saltus.core.clock.hand import ASSUMED_S, Hand, certain_places, hand_of, timed_by_hand
from saltus.core.clock.reaction import crossing, swing
from saltus.core.clock.stopwatch import Watch
from saltus.core.planner import U_of_period, cycles_for
from saltus.core.quantities import exact, measured
from saltus.core.sources import instants
from saltus.core.units import ACCELERATION, SECOND


def covered(q, truth):
    """Whether a stated interval holds the truth."""
    return abs(float(q) - truth) <= q.U95


# -- hands -------------------------------------------------------------------------------------------


def test_a_hand_is_what_its_presses_say():
    """Mean, scatter with n − 1, uncertainty of the mean; too few or identical presses leave it assumed."""
    presses = [0.02, 0.05, -0.01, 0.03, 0.00, 0.07]
    hand = hand_of(presses, "hand/a")
    assert hand.u == pytest.approx(np.std(presses, ddof=1))
    assert (hand.lateness, hand.dof, hand.n) == (pytest.approx(np.mean(presses)), 5, 6)
    assert hand.u_lateness == pytest.approx(hand.u / math.sqrt(6))
    assert hand.measured
    for few in ([], presses[:5], [0.1] * 10):
        assert hand_of(few) == Hand("hand")
    assert Hand("x").u == ASSUMED_S
    assert not Hand("x").measured


def test_two_presses_scatter_twice_and_share_one_estimate():
    """The scatter is √2·u(press) with the last digits; k is that of the test's degrees of freedom, not of twice as many."""
    hand = hand_of(np.linspace(-0.06, 0.06, 18), "hand/a")
    q = timed_by_hand(15.66, hand, hand)
    digits = 0.01 / math.sqrt(6)
    assert float(q.u) == pytest.approx(math.hypot(math.sqrt(2) * hand.u, digits))
    assert 2.08 < q.U95 / float(q.u) < 2.12
    assert {s.kind for s in q.sources} == {"reaction", "timing"}
    assumed = timed_by_hand(10.0, Hand("h"), Hand("h"))
    assert abs(assumed.U95 / (1.96 * 0.1 * math.sqrt(2)) - 1) < 2e-3


@pytest.mark.parametrize("tries", [8, 18])
@pytest.mark.parametrize("kinds", ["alike", "different"])
def test_times_by_hand_cover_the_truth(tries, kinds):
    """Persons with their own scatter and lateness, tested and then timing: 95 of 100 intervals hold the truth."""
    rng = np.random.default_rng(tries)
    hits, count = 0, 1500
    for _person in range(count):
        u = rng.uniform(0.02, 0.12)
        late = {"predicted": rng.normal(0, 0.03), "seen": rng.uniform(0.15, 0.3)}
        test = {k: hand_of(m + rng.normal(0, u, tries), k) for k, m in late.items()}
        start, stop = ("predicted", "predicted") if kinds == "alike" else ("seen", "predicted")
        true = rng.uniform(3, 30)
        begun, ended = late[start] + rng.normal(0, u), true + late[stop] + rng.normal(0, u)
        shown = math.floor(ended * 100) / 100 - math.floor(begun * 100) / 100
        hits += covered(timed_by_hand(shown, test[start], test[stop]), true)
    assert 0.94 <= hits / count <= 0.975


def test_lateness_is_taken_off_only_where_it_does_not_cancel():
    """A seen start and a foreseen stop: the time is longer by the difference, as unsure as that is."""
    rng = np.random.default_rng(2)
    slow, fast = hand_of(0.22 + rng.normal(0, 0.02, 20), "a"), hand_of(rng.normal(0, 0.02, 20), "b")
    alike = timed_by_hand(5.0, fast, fast)
    assert float(alike) == 5.0
    differs = timed_by_hand(5.0, slow, fast)
    assert float(differs) == pytest.approx(5.0 + slow.lateness - fast.lateness)
    assert float(differs.u) > math.hypot(slow.u, fast.u)
    # without a measured hand nothing is known to take off
    assert float(timed_by_hand(5.0, Hand("x"), fast)) == 5.0


@pytest.mark.parametrize(("U", "places"), [(0.12, 1), (0.28, 1), (0.03, 2), (0.004, 2), (2.0, 0), (0.0, 2)])
def test_digits_that_are_certain(U, places):
    """Digits finer than the hand can press are told apart."""
    assert certain_places(U) == places


@given(st.lists(st.floats(0, 100, allow_nan=False), max_size=30), st.integers(1, 12))
def test_the_watch_counts_from_zero_and_stops_by_itself(moments, planned):
    """Whatever comes, passes are in order, counting starts at zero, and after the last nothing counts."""
    watch = Watch(planned)
    for now in moments:
        before = list(watch.passes)
        took = watch.press(now)
        assert watch.passes == ([*before, now] if took else before)
        assert watch.count == max(len(watch.passes) - 1, 0) <= planned
    assert watch.passes == sorted(set(watch.passes))
    if watch.state == "stopped":
        assert watch.count == planned
        assert not watch.press(1e6)
        assert watch.elapsed(1e6) == watch.passes[-1] - watch.passes[0]
        assert watch.expected() is None
    elif watch.passes:
        assert watch.elapsed(200.0) == 200.0 - watch.passes[0]
    watch.again()
    assert (watch.state, watch.elapsed(7.0), watch.mean_cycle) == ("ready", 0.0, None)


def test_the_watch_expects_the_next_pass():
    """Mean of the cycles so far, and when the next is due."""
    watch = Watch(10)
    for now in (5.0, 6.5, 8.1):
        watch.press(now)
    assert watch.mean_cycle == pytest.approx(1.55)
    assert watch.expected() == pytest.approx(3.1 + 1.55)


@given(st.integers(0, 30), st.floats(-0.39, 0.39), st.floats(1.7, 4))
def test_a_press_belongs_to_the_crossing_it_is_next_to(number, late, period):
    """Its lateness is counted from where the mark stands on the line; too far from any it belongs to none."""
    at = period / 4 + number * period / 2
    assert abs(swing(at, period)) < 1e-9 * (1 + number)
    assert crossing(at + late, period) == pytest.approx((number, late), abs=1e-9)
    assert crossing(at + period / 4, period) is None
    assert swing(0.0, period) == -1


# -- planning ----------------------------------------------------------------------------------------


@given(st.floats(1e-4, 0.2), st.floats(0.05, 20), st.floats(1e-4, 0.5), st.booleans())
@settings(max_examples=200, deadline=None)
def test_the_fewest_cycles_that_are_enough(relative, period_s, U, by_line):
    """That many reach the wanted uncertainty, one fewer does not."""
    n = cycles_for(relative, period_s, U, by_line=by_line)
    if n is None:
        assert U_of_period(100_000, U, by_line=by_line) > 0.9 * relative * period_s
        return
    assert U_of_period(n, U, by_line=by_line) <= relative * period_s * (1 + 1e-6)
    if n > 1:
        assert U_of_period(n - 1, U, by_line=by_line) > relative * period_s * (1 - 1e-6)


def test_planning_knows_what_it_cannot_answer():
    """Nothing wanted, or endless counting: no number."""
    assert cycles_for(0.0, 1.0, 0.1) is None
    assert cycles_for(0.01, 0.0, 0.1) is None
    assert cycles_for(1e-12, 1.0, 0.1) is None
    assert cycles_for(0.01, 1.0, 0.0) == 1


# -- passings that were counted ----------------------------------------------------------------------


def bracket(at, rate, name):
    """A passing seen between two frames."""
    n = math.floor(at * rate)
    return bracketed(n / rate, (n + 1) / rate, instants("t"), name)


def test_periods_counted_in_frames_cover_the_truth():
    """First and last passing, each between two frames at any phase: 95 of 100 intervals hold the period."""
    rng = np.random.default_rng(4)
    hits, count = 0, 2000
    for _run in range(count):
        rate, period, n = rng.choice([24.0, 30.0, 60.0]), rng.uniform(0.3, 3), int(rng.integers(1, 30))
        start = rng.uniform(0, 1)
        made = counted([bracket(start + i * period, rate, str(i)) for i in range(n + 1)], by_line=False)
        assert made.count == n
        hits += covered(made.period, period)
    assert 0.94 <= hits / count <= 0.96


def test_half_cycles_count_half_and_asides_leave_numbers():
    """Twice a cycle: every second counts. A passing set aside leaves the others their numbers."""
    rng = np.random.default_rng(1)
    # the two passings of a cycle are not half a cycle apart
    times = [2.0 * i + (0.0 if k == 0 else 0.7) for i in range(8) for k in (0, 1)]
    every = [measured(t + rng.normal(0, 1e-4), 1e-4, SECOND, source(str(i))) for i, t in enumerate(times)]
    made = counted(every, per_cycle=2)
    assert made.count == 7
    assert float(made.period) == pytest.approx(2.0, abs=2e-4)
    without = counted(every[::2], aside={0, 3})
    assert without.numbers == (1, 2, 4, 5, 6, 7)
    assert (without.count, len(without.passings)) == (6, 6)
    assert float(without.period_from_ends) == pytest.approx(2.0, abs=2e-4)
    assert not without.warnings
    missed = counted([q for i, q in enumerate(every[::2]) if i != 4])
    assert any("passing 3" in w for w in missed.warnings)
    alone = counted(every[:1])
    assert (alone.period, alone.count) == (None, 0)
    assert "two in the same direction" in alone.warnings[0]
    assert counted([]).numbers == ()


# -- the clock of a take -----------------------------------------------------------------------------


def test_a_filmed_watch_tells_the_rate():
    """Coverage over rates, digits and moments; a watch that does not go on is a sentence."""
    rng = np.random.default_rng(6)
    hits, count = 0, 3000
    for _run in range(count):
        rate, step = rng.uniform(100, 1000), rng.choice([0.01, 0.1])
        frames = np.sort(rng.choice(5000, 2, replace=False)).astype(float)
        begun = rng.uniform(0, 1)
        shown = [math.floor((begun + f / rate) / step) * step for f in frames]
        if shown[1] - shown[0] < 2.5 * step:
            # too rough to be told
            count -= 1
            continue
        q = rate_by_watch(*(WatchReading(f, s, step) for f, s in zip(frames, shown, strict=True)))
        hits += covered(q, rate)
    assert 0.94 <= hits / count <= 0.97
    for frame, shown, says in ((9, 1.02, "too rough"), (9, 1e9, "No camera"), (10**7, 1.5, "No camera")):
        with pytest.raises(InstantError, match=says):
            rate_by_watch(WatchReading(0, 1.0, 0.1), WatchReading(frame, shown, 0.01))
    for first, last in (
        (WatchReading(5, 1.0, 0.01), WatchReading(5, 2.0, 0.01)),
        (WatchReading(0, 2.0, 0.01), WatchReading(9, 2.0, 0.01)),
    ):
        with pytest.raises(InstantError, match="must show more"):
            rate_by_watch(first, last)


def test_a_fall_tells_the_rate():
    """The acceleration seen at an assumed rate goes with the square of the true one, whatever its sign."""
    g = measured(9.81, 0.01, ACCELERATION, source("g"))
    seen = measured(-9.81 * (30 / 240) ** 2, 0.002, ACCELERATION, source("a"))
    q = rate_by_fall(30.0, seen, g)
    assert float(q) == pytest.approx(240.0)
    assert float(q.u) / 240 == pytest.approx(
        0.5 * math.hypot(0.002 / abs(float(seen)), 0.01 / 9.81), rel=1e-6
    )
    with pytest.raises(InstantError):
        rate_by_fall(30.0, exact(0.0, ACCELERATION), g)


def test_a_smear_is_as_wide_as_the_way_during_the_exposure():
    """v·t/√12, for either direction of motion."""
    assert smear_u(np.array([600.0, -600.0]), 0.002) == pytest.approx([1.2 / math.sqrt(12)] * 2)


# -- strobe ------------------------------------------------------------------------------------------


@given(st.floats(0.5, 200), st.integers(1, 6))
@settings(max_examples=100, deadline=None)
def test_what_stands_still_under_a_strobe(flashes, images):
    """At each rate listed a mark stands at just so many places; at the others named it would stand at fewer."""
    for true in strobe_candidates(flashes, images):
        places = {round((i * true / flashes) % 1.0 * 720) % 720 for i in range(12 * images)}
        assert len(places) == images
    assert strobe_candidates(flashes, images)[0] == pytest.approx(flashes / images)


def test_strobe_and_film_refuse_senseless_rates():
    """Zero, endless or absurd: one sentence."""
    for bad in ((0.0, 1), (math.inf, 1), (50.0, 0)):
        with pytest.raises(RateError):
            strobe_candidates(*bad)
    with pytest.raises(RateError, match="too far"):
        strobe_candidates(1.0, 1, 1e9)


@given(st.floats(5, 240), st.floats(0, 0.5), st.integers(0, 4), st.booleans())
@settings(max_examples=150, deadline=None)
def test_the_second_rate_tells_the_candidates_apart(rate, part, k, mirrored):
    """A true rate is always listed for what it looks like, and the second film shows it as no other."""
    true = abs(k * rate + (-part if mirrored else part) * rate)
    apparent = appears(true, rate)
    listed = candidates(apparent, rate)
    assert any(abs(f - true) < 1e-6 * rate for f in listed)
    other = settling_rate(listed, rate)
    assert other != pytest.approx(rate)
