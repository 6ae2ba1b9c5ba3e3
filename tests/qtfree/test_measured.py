"""Rules, dials, circles, angles and one's own eye: what is stated holds for what the simulator knows."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from saltus.core import sources
from saltus.core.geometry.angle import angle_above, angle_between
from saltus.core.geometry.circle import circle_through
from saltus.core.geometry.filmed_scale import DividedScale, read_scale
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.reference import nearer_factor
from saltus.core.geometry.seen import Seen
from saltus.core.motion.centre_of_mass import centre_of_mass
from saltus.core.quantities import family, measured
from saltus.core.reading_check import CheckError, check_readings
from saltus.core.units import KILOGRAM, METRE, SECOND
from saltus.simulate.instruments import HEIGHT, WIDTH, Instrument

SIGHT = ((WIDTH - 1) / 2, (HEIGHT - 1) / 2)
U_PX = 0.8


def divided(places, values, kind="straight", unit=METRE, **more):
    """A scale with its divisions at places, (D, 2) px."""
    places = np.array(places, dtype=float).T
    return DividedScale("t", "s", kind, places, np.array(values, dtype=float), unit, U_PX, **more)


def pointing(places, u=U_PX):
    """A pointer seen at places, (N, 2) px."""
    places = np.atleast_2d(np.array(places, dtype=float))
    spread = np.full(len(places), u)
    return Seen(places[:, 0], places[:, 1], spread, spread, np.arange(len(places)), "pointer")


def read_as_by_hand(rng, instrument, marked, middle=False):
    """What an instrument shows in five readings, everything clicked with the scatter of a hand."""
    factor, top = (0.01, 30.0) if instrument.kind == "rule" else (1.0, 59.0)
    values = rng.uniform(0.5, top, 5)
    clicks = [
        np.array([f(v) for v in at]) for f, at in ((instrument.place, marked), (instrument.pointer, values))
    ]
    clicks = [c + rng.normal(0, U_PX, c.shape) for c in clicks]
    more = {"sight": SIGHT}
    if instrument.gap:
        d = measured(instrument.gap + rng.normal(0, 5e-4), 5e-4, METRE, sources.plane_offset("t", "s"))
        away = measured(instrument.distance + rng.normal(0, 0.01), 0.01, METRE, sources.camera_distance("t"))
        more["nearer"] = nearer_factor(d, 1.0 / away)
    if middle:
        more["middle"] = tuple(instrument.pivot + rng.normal(0, U_PX, 2))
    kind, unit = ("straight", METRE) if instrument.kind == "rule" else ("round", SECOND)
    scale = divided(clicks[0], np.array(marked) * factor, kind, unit, **more)
    return read_scale(scale, pointing(clicks[1])), values * factor


@pytest.mark.parametrize(
    ("kind", "gap", "marked", "middle"),
    [
        ("rule", 0.0, (0, 10, 20, 30), False),
        ("rule", 0.0, (0, 30), False),
        ("rule", 0.02, (0, 10, 20, 30), False),
        ("dial", 0.0, (0, 15, 30, 45), False),
        ("dial", 0.0, (5, 20, 40), False),
        ("dial", 0.01, (0, 15, 30, 45), True),
        ("dial", 0.0, (10, 25), True),
    ],
)
def test_readings_of_a_filmed_scale_hold(kind, gap, marked, middle):
    """Rules and dials, with a pointer that stands off or not: 95 % of the intervals hold the reading."""
    rng, hits, count = np.random.default_rng(4), 0, 0
    for _run in range(150):
        turned = float(rng.uniform(-0.3, 0.3))
        found, true = read_as_by_hand(rng, Instrument(kind, turned, gap), marked, middle)
        for n, value in enumerate(true):
            hits += abs(float(found.value[n]) - value) <= found.value[n].U95
            count += 1
    # five readings share the divisions, so that they miss together
    assert 0.92 <= hits / count <= 0.98


def test_what_readings_of_one_scale_share_cancels():
    """The divisions are common: a difference of near readings is as good as two clicks; parallax is taken out."""
    rule = Instrument("rule", gap=0.02)
    places = [rule.place(v) for v in rule.marked]
    scale = divided(places, np.array(rule.marked) / 100, sight=SIGHT)
    seen = pointing([rule.pointer(12.0), rule.pointer(12.4), rule.pointer(29.0)])
    found = read_scale(scale, seen).value
    per_px = 0.01 / 14.0
    assert float((found[1] - found[0]).u) == pytest.approx(math.sqrt(2) * U_PX * per_px, rel=0.01)
    assert abs(float(found[2]) - 0.29) > 0.003
    factor = nearer_factor(
        measured(0.02, 1e-4, METRE, sources.plane_offset("t", "s")),
        1.0 / measured(0.6, 0.001, METRE, sources.camera_distance("t")),
    )
    straight = read_scale(divided(places, np.array(rule.marked) / 100, sight=SIGHT, nearer=factor), seen)
    assert straight.value.value == pytest.approx([0.12, 0.124, 0.29], abs=1e-9)
    assert not straight.beyond.any()
    assert read_scale(scale, pointing([rule.place(31.0)])).beyond.all()


def test_a_rule_seen_at_an_angle_is_straightened():
    """Four divisions tell that a rule is seen at an angle; two and three that are even do not pretend to."""
    s = np.array([0.0, 0.1, 0.2, 0.3])
    seen = np.column_stack([100 + 1500 * s / (1 + 0.8 * s), 200 + 300 * s / (1 + 0.8 * s)])
    at = np.array([0.25])
    place = np.column_stack([100 + 1500 * at / (1 + 0.8 * at), 200 + 300 * at / (1 + 0.8 * at)])
    found = read_scale(divided(seen, s), pointing(place))
    assert found.law.askew
    assert float(found.value[0]) == pytest.approx(0.25, abs=1e-6)
    even = read_scale(divided(np.column_stack([100 + 1500 * s, 200 + 0 * s]), s), pointing([[475, 210]]))
    assert not even.law.askew
    assert float(even.value[0]) == pytest.approx(0.25)


def test_a_dial_goes_the_way_its_values_do():
    """Anticlockwise dials, dials that close, and two divisions, which go clockwise."""
    turn = np.radians([200, 270, 340])
    places = np.column_stack([300 + 100 * np.cos(turn), 200 + 100 * np.sin(turn)])
    tip = [300 + 80 * math.cos(math.radians(305)), 200 + 80 * math.sin(math.radians(305))]
    for values, wanted in (((0, 7, 14), 10.5), ((14, 7, 0), 3.5)):
        found = read_scale(divided(places, values, "round", SECOND), pointing([tip]))
        assert float(found.value[0]) == pytest.approx(wanted, abs=1e-6)
        assert not found.law.closed
    watch = Instrument("dial", turned=0.0)
    whole = divided([watch.place(v) for v in watch.marked], watch.marked, "round", SECOND)
    late = read_scale(whole, pointing([watch.pointer(59.8), watch.pointer(0.2)]))
    assert late.law.closed
    assert late.value.value == pytest.approx([59.8, 0.2], abs=0.02)
    two = divided([watch.place(0), watch.place(15)], (0, 15), "round", SECOND, middle=watch.pivot)
    assert float(read_scale(two, pointing([watch.pointer(40)])).value[0]) == pytest.approx(40, abs=0.02)


RULE = [(100.0, 50.0), (100.0, 150.0), (100.0, 250.0)]
RIM = [(400.0, 200.0), (300.0, 300.0), (200.0, 200.0), (300.0, 100.0)]


@pytest.mark.parametrize(
    ("places", "values", "kind", "words"),
    [
        (RULE[:1], (0,), "straight", "two known divisions"),
        (RULE, (0, 2, 1), "straight", "order of their divisions"),
        (RULE, (0, 1, 1), "straight", "same value"),
        ([*RULE[:2], (100.0, 151.0)], (0, 1, 2), "straight", "lie on each other"),
        ([*RULE[:2], (180.0, 250.0)], (0, 1, 2), "straight", "not lie on a straight line"),
        (RULE, (0, 1, 20), "straight", "far from where"),
        ([*RULE, (100.0, 350.0)], (0, 1, 5, 6), "straight", "far from where"),
        (RIM[:2], (0, 15), "round", "three divisions, or two and the middle"),
        ([*RIM[:3], (300.0, 150.0)], (0, 15, 30, 45), "round", "do not lie on a circle"),
        (RIM, (0, 30, 15, 45), "round", "order of their divisions"),
        (RIM, (0, 15, 30, 58), "round", "far from where"),
        (RULE, (0, 1, 2), "round", "on a line"),
    ],
)
def test_divisions_that_make_no_scale_are_told(places, values, kind, words):
    """Out of order, off the line or the circle, alike, too few: one clear sentence each."""
    with pytest.raises(GeometryError, match=words):
        read_scale(divided(places, values, kind, SECOND), pointing([(150, 150)]))


@given(
    st.lists(st.tuples(st.floats(-50, 700), st.floats(-50, 500)), max_size=6),
    st.lists(st.floats(-100, 100), min_size=6, max_size=6),
    st.sampled_from(["straight", "round"]),
    st.tuples(st.floats(0, 640), st.floats(0, 480)),
)
@settings(max_examples=60, deadline=None)
def test_any_divisions_are_used_or_told(places, values, kind, tip):
    """Whatever is clicked gives a reading with a positive u, or a sentence."""
    try:
        found = read_scale(divided(places or np.empty((0, 2)), values[: len(places)], kind), pointing([tip]))
    except GeometryError:
        pass
    else:
        assert np.isfinite(found.value.value).all()
        assert (found.value.u >= 0).all()


def around(rng, count, arc, radius=0.3, u=1e-3):
    """Points on an arc of a circle about (1, 2) m, read with u."""
    angle = rng.uniform(0, 2 * math.pi) + np.linspace(0, arc, count)
    x, y = 1 + radius * np.cos(angle), 2 + radius * np.sin(angle)
    return tuple(
        family(c + rng.normal(0, u, count), np.full(count, u), METRE, sources.reading("t", "m", axis))
        for c, axis in ((x, "x"), (y, "y"))
    )


@pytest.mark.parametrize(
    ("count", "arc", "truly"), [(3, 4.0, 1.0), (8, 5.0, 1.0), (9, 2.0, 1.0), (12, 5.0, 3.0)]
)
def test_circles_hold_their_middle_and_radius(count, arc, truly):
    """95 % of the intervals hold, also where the points scatter three times more than stated."""
    rng, hits, runs = np.random.default_rng(8), 0, 200
    for _run in range(runs):
        x, y = around(rng, count, arc, u=1e-3 * truly)
        if truly > 1:
            x, y = (family(q.value, np.full(count, 1e-3), METRE, s) for q, s in zip(
                (x, y), (sources.reading("t", "m", a) for a in sources.AXES), strict=True))  # fmt: skip
        found = circle_through(x, y, "t", "m")
        hits += sum(
            abs(float(q) - v) <= q.U95 for q, v in ((found.x, 1.0), (found.y, 2.0), (found.radius, 0.3))
        )
    assert 0.925 <= hits / (3 * runs) <= 0.975


def test_points_on_a_line_are_no_circle():
    """Three on a line, nearly on a line, two: a sentence; a flat arc that is sure is a circle."""
    rng = np.random.default_rng(1)
    for x, y in [([0, 1, 2], [0, 1, 2]), ([0, 1, 2], [0, 1e-4, 0]), ([0, 0, 0], [0, 0, 0])]:
        with pytest.raises(GeometryError, match="line"):
            circle_through(*(family(c, [1e-3] * 3, METRE, sources.reading("t", "m", a)) for c, a in
                             zip((x, y), "xy", strict=True)), "t", "m")  # fmt: skip
    with pytest.raises(GeometryError, match="three points"):
        circle_through(*(q[:2] for q in around(rng, 3, 1.0)), "t", "m")
    assert circle_through(*around(rng, 9, 0.8), "t", "m").radius.U95 < 0.06


def test_angles_are_those_of_their_arms():
    """Above x with its sign, and between two arms, the smaller one; u is that of the ends over the arm."""

    def at(*places):
        return tuple(family(c, [1e-3] * len(places), METRE, sources.reading("t", "m", a))
                     for c, a in zip(np.array(places, dtype=float).T, "xy", strict=True))  # fmt: skip

    assert float(angle_above(*at((1, 1), (0, 1 + 1 / math.sqrt(3))))) == pytest.approx(math.radians(150))
    right = angle_between(*at((1, 0), (0, 0), (0, -2)))
    assert float(right) == pytest.approx(math.pi / 2)
    assert float(right.u) == pytest.approx(1e-3 * math.sqrt(1 + 1 / 4 + 1 + 1 / 4), rel=0.01)
    with pytest.raises(GeometryError, match="no length"):
        angle_above(*at((1, 1), (1, 1)))


@pytest.mark.parametrize("u_first", [None, 0.05])
def test_a_repeat_check_tells_the_eye_it_drew(u_first):
    """The u is that of one reading whichever way the first were read; honest readers are hardly ever accused."""
    rng, found = np.random.default_rng(3), []
    for _run in range(400):
        place = rng.uniform(0, 600, (6, 2))
        first = place + rng.normal(0, u_first or 0.9, place.shape)
        found.append(check_readings(first, place + rng.normal(0, 0.9, place.shape), u_first))
    assert math.sqrt(np.mean([c.u_px**2 for c in found])) == pytest.approx(0.9, rel=0.04)
    assert {c.dof for c in found} == {10}
    assert np.mean([c.shifted for c in found]) < 0.03
    elsewhere = check_readings(first, first + np.array([3.0, 0]) + rng.normal(0, 0.5, first.shape), u_first)
    assert elsewhere.shifted
    alike = check_readings(first, first)
    assert alike.at_least and alike.u_px == pytest.approx(1 / math.sqrt(12))  # noqa: PT018
    with pytest.raises(CheckError, match="at least 3"):
        check_readings(first[:2], first[:2])


def test_a_centre_of_mass_weighs_places_and_masses():
    """Σ m x / Σ m; a mass that both share a balance with stays out of it where the bodies meet."""
    x = [family(np.array(v), [1e-3, 1e-3], METRE, sources.reading("t", b, "x")) for v, b in
         (([0.0, 1.0], "a"), ([3.0, 1.0], "b"))]  # fmt: skip
    m = [measured(v, 0.01, KILOGRAM, sources.body_mass("t", b)) for v, b in ((2.0, "a"), (1.0, "b"))]
    middle = centre_of_mass(x, m)
    assert middle.value == pytest.approx([1.0, 1.0])
    of_masses = [float(middle[n].u_from("instruments")) for n in (0, 1)]
    assert of_masses[0] == pytest.approx(math.hypot(0.01 * 1 / 3, 0.01 * 2 / 3), rel=0.01)
    assert of_masses[1] == pytest.approx(0, abs=1e-12)
