"""Graphs of motion against motions whose every quantity is known, and what is drawn on pictures."""

import math
from fractions import Fraction

import made
import moved
import numpy as np
import pytest
from made import RATE

from saltus.core.coverage import NORMAL_95
from saltus.core.motion.coordinates import PivotError
from saltus.core.motion.graphed import GRAVITY, KINDS, Course, NotGraphedError, graphed, model_course
from saltus.core.units import PIXEL
from saltus.exchange.motion_graph import (
    FILM,
    IMPACT,
    RELEASE,
    MotionGraph,
    ShownBody,
    axis_label,
    beginning,
    graphed_bodies,
    kind_words,
    motion_chart,
    motion_columns,
    point_words,
)
from saltus.exchange.picture_marks import MarksWanted, PictureMarks
from saltus.notebook.derived.event_sides import sides_about
from saltus.notebook.edits import before_after as event_edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.readings import Reading, Readings

U = 0.0003


def thrown(tilt=0.0, seed=None):
    """A throw, seen with axes turned by a tilt: times, positions read, and the truth by kind."""
    t = np.arange(0, 1.0, 1 / 120)
    level, up = 2.0 * t + 0.3, 3.0 * t - 0.5 * GRAVITY * t**2 + 0.1
    c, s = math.cos(tilt), math.sin(tilt)
    x, y = level * c + up * s, up * c - level * s
    vl, vu = np.full_like(t, 2.0), 3.0 - GRAVITY * t
    truth = {
        "t": t, "x": x, "y": y, "vx": vl * c + vu * s, "vy": vu * c - vl * s, "ax": np.full_like(t, -GRAVITY * s),
        "ay": np.full_like(t, -GRAVITY * c), "speed": np.hypot(vl, vu), "acceleration": np.full_like(t, GRAVITY),
        "radius": np.hypot(x, y), "angle": np.unwrap(np.arctan2(y, x)), "kinetic": 0.5 * (vl**2 + vu**2),
        "potential": GRAVITY * up,
    }  # fmt: skip
    truth["energy"] = truth["kinetic"] + truth["potential"]
    noise = (
        np.random.default_rng(seed).normal(0, U, (2, len(t))) if seed is not None else np.zeros((2, len(t)))
    )
    return Course(t, moved.read(x + noise[0], U), moved.read(y + noise[1], U, "y"), tilt), truth


@pytest.mark.parametrize("tilt", [0.0, 0.3])
def test_every_quantity_of_a_known_throw(tilt):
    """Without noise the truth, also with axes that are turned; energies along the vertical of the picture."""
    course, truth = thrown(tilt)
    middle = slice(4, -4)
    for kind, values in truth.items():
        found = graphed(course, kind)
        assert found.values[middle] == pytest.approx(values[middle], abs=2e-6), kind
    assert np.ptp(graphed(course, "energy").values) < 1e-9 + 1e-6
    way = graphed(course, "path").values
    steps = np.hypot(np.diff(truth["x"]), np.diff(truth["y"]))
    assert way[-1] == pytest.approx(steps.sum(), rel=1e-3)
    assert set(truth) | {"path", "omega", "alpha"} == set(KINDS)


def test_the_bars_of_a_graph_hold():
    """95 % of values within their bars, pooled over noise; a body at the origin has no angle, px no energy."""
    inside = {kind: [] for kind in KINDS if kind not in ("t", "path", "omega", "alpha")}
    for seed in range(30):
        course, truth = thrown(0.1, seed)
        for kind, hits in inside.items():
            found = graphed(course, kind)
            held = np.abs(found.values - truth[kind]) <= NORMAL_95 * found.u
            hits.extend(held[6:-6:7].tolist())
    for kind, hits in inside.items():
        assert 0.92 <= np.mean(hits) <= 0.98, kind
    t = np.linspace(0, 1, 20)
    through = Course(t, moved.read(t - 0.5, 0.1), moved.read(0 * t, 0.1, "y"))
    with pytest.raises(PivotError):
        graphed(through, "angle")
    seen = Course(t, moved.read(t, 0.1, unit=PIXEL), moved.read(t, 0.1, "y", unit=PIXEL))
    with pytest.raises(NotGraphedError):
        graphed(seen, "kinetic")


def test_what_models_say_of_all_quantities():
    """The curves of a throw with models of x and y are those of the truth; of x alone only what x tells."""
    _course, truth = thrown(0.2)
    tilt, parts = 0.2, {}
    for axis in ("x", "y"):
        v, a = truth[f"v{axis}"], truth[f"a{axis}"]
        parts[axis] = lambda _t, n, axis=axis, v=v, a=a: (truth[axis], v, a)[n]
    said = model_course(parts["x"], parts["y"], truth["t"], tilt)
    for kind in said:
        assert said[kind] == pytest.approx(truth[kind], abs=1e-9), kind
    assert set(model_course(parts["x"], None, truth["t"], tilt)) == {"t", "x", "vx", "ax"}


# -- graphs of a notebook --------------------------------------------------------------------------------


def with_body(notebook, take, name, x, y, u_px=0.1):
    """Read a body in every frame at places in m."""
    notebook, body = reading_edits.add_body(notebook, take, name)
    notebook = reading_edits.set_reading_uncertainty(notebook, take, body, u_px)
    rows = Readings([Reading(n, 50 + 500 * float(a), 300 - 500 * float(b))
                     for n, (a, b) in enumerate(zip(x, y, strict=True))])  # fmt: skip
    return reading_edits.change_body(notebook, take, body, readings=rows), body


@pytest.fixture
def two_takes():
    """Two runs of 2 m/s² let go after 0.2 and 0.7 s, each beside a cart of steady speed."""
    notebook, ids = None, []
    t = np.arange(60) / RATE
    for at in (0.2, 0.7):
        notebook, take = made.with_film(notebook, frames=60)
        notebook = made.scaled(notebook, take)
        run = 0.5 * 2.0 * np.clip(t - at, 0, None) ** 2
        notebook, puck = with_body(notebook, take, "Puck", run, 0 * t)
        notebook, cart = with_body(notebook, take, "Cart", 0.1 + 0.2 * t, 0.05 + 0 * t)
        first = math.ceil(at * RATE) + 1
        notebook, _segment = segment_edits.add_segment(notebook, take, puck, of="x", frames=(first, 59))
        ids.append((take, puck, cart))
    return notebook, ids


def test_takes_are_laid_over_each_other(two_takes):
    """From when each was let go, by its model; from an event marked in one only, the other is told."""
    notebook, ids = two_takes
    shown = tuple(ShownBody(take, puck) for take, puck, _cart in ids)
    for (take, _puck, _cart), at in zip(ids, (0.2, 0.7), strict=True):
        assert beginning(notebook.take(take), FILM) == 0
        assert beginning(notebook.take(take), RELEASE) == pytest.approx(at, abs=0.004)
        assert beginning(notebook.take(take), IMPACT) is None
    wanted = MotionGraph("t", "x", shown, RELEASE)
    (first, second), told = graphed_bodies(notebook, wanted)
    assert told == []
    together = np.interp(first.t, second.t, second.y.values, left=np.nan, right=np.nan)
    after = np.isfinite(together) & (first.t > 0)
    assert first.y.values[after] == pytest.approx(together[after], abs=0.003)
    assert [b.name.split(", ")[1] for b in (first, second)] == ["Puck", "Puck"]
    assert (first.look, second.look) == (0, 1)
    assert first.curves[0][0][-1] == pytest.approx(first.t[-1], abs=1e-9)
    notebook, event = timing_edits.add_event(notebook, "let go")
    notebook, _instant = timing_edits.mark_instant(notebook, ids[0][0], event=event, frame=7)
    found, told = graphed_bodies(notebook, MotionGraph("t", "x", shown, event))
    assert len(found) == len(told) == 1
    assert "Puck" in told[0]
    assert found[0].t[0] == pytest.approx(-6.5 / RATE)


def test_metres_and_pixels_do_not_share_an_axis(two_takes):
    """A take without a scale beside one that has it is left out, and said; alone it is shown in px."""
    notebook, ids = two_takes
    bare = scale_edits.remove_reference(notebook, ids[1][0])
    shown = tuple(ShownBody(take, puck) for take, puck, _cart in ids)
    (only,), told = graphed_bodies(bare, MotionGraph("t", "x", shown))
    assert only.of == shown[0]
    assert "give both a scale" in told[0]
    (alone,), told = graphed_bodies(bare, MotionGraph("t", "x", shown[1:]))
    assert (alone.y.unit.text, told) == ("px", [])


def test_seen_from_another_body_and_against_each_other(two_takes):
    """What both share cancels; a phase plot has its model; the table has a column for all that is drawn."""
    notebook, ids = two_takes
    take, puck, cart = ids[0]
    (seen,), _told = graphed_bodies(notebook, MotionGraph("t", "vx", (ShownBody(take, puck, cart),)))
    t = np.arange(60) / RATE
    assert seen.y.values[10:-4] == pytest.approx((2 * (t - 0.2) - 0.2)[10:-4], abs=1e-6)
    assert seen.name == "Puck seen from Cart"
    assert seen.curves == ()
    wanted = MotionGraph("x", "vx", (ShownBody(take, puck), ShownBody(take, cart)))
    bodies, _told = graphed_bodies(notebook, wanted)
    (x, v), *_rest = bodies[0].curves
    assert v**2 == pytest.approx(2 * 2 * x, abs=1e-4)
    chart = motion_chart(bodies, wanted)
    assert [(c.symbol, c.unit) for c in (chart.x, chart.y)] == [("x", "m"), ("v along x", "m/s")]
    assert [p.look for p in chart.points] == [b.look for b in notebook.take(take).bodies]
    assert all(p.U is not None and p.U_x is not None for p in chart.points)
    header, rows = motion_columns(bodies, wanted)
    assert header[:6] == ["body 1", "frame 1 [1]", "x 1 [m]", "u(x 1) [m]", "vx 1 [m/s]", "u(vx 1) [m/s]"]
    assert len(rows) == 60
    assert rows[30][2] == pytest.approx(0.5 * 2 * (30 / RATE - 0.2) ** 2)
    said = point_words(bodies[0], 30, chart)
    assert said[0].startswith("x = 0.64")
    assert "±" in said[1]
    assert said[1].endswith("m/s")
    one, _rows = motion_columns(bodies[:1], wanted)
    assert one[1] == "frame [1]"
    assert [
        b.name for b in graphed_bodies(notebook, MotionGraph("t", "x", (ShownBody("take-9", puck),)))[0]
    ] == []
    for kind in KINDS:
        assert kind_words(kind)
        assert axis_label(kind, None).symbol


def test_a_graph_begins_at_an_impact_and_says_what_it_needs():
    """A ball on a slate: the impact is time zero; without a scale there are no energies, about itself no angle."""
    notebook, take = made.with_film(frames=120, time_base=Fraction(1, 120))
    t = np.arange(120) / 120
    height, impacts, _tops = moved.bouncing(t, 0.4, 0.7)
    notebook, ball = with_body(notebook, take, "Ball", 0 * t, height)
    bare, told = graphed_bodies(notebook, MotionGraph("t", "kinetic", (ShownBody(take, ball),)))
    assert bare == []
    assert "scale" in told[0]
    notebook = made.scaled(notebook, take)
    hit = int(impacts[0] * 120)
    for frames in ((0, hit), (hit + 1, hit + 40)):
        notebook, segment = segment_edits.add_segment(
            notebook, take, ball, of="y", frames=frames, model="constant-acceleration"
        )
    sides = sides_about(notebook.take(take), "y", segment)
    notebook, _event = event_edits.add_event(notebook, take, name="hit", of="y", sides=sides)
    assert beginning(notebook.take(take), IMPACT) == pytest.approx(impacts[0], abs=0.002)
    (energy,), _told = graphed_bodies(notebook, MotionGraph("t", "energy", (ShownBody(take, ball),), IMPACT))
    before = energy.y.values[(energy.t < -0.05) & (energy.t > -0.2)]
    assert before == pytest.approx(GRAVITY * 0.4, rel=0.01)
    notebook = scale_edits.place_origin(notebook, take, (50.0, 300.0 - 500 * 0.4))
    _none, told = graphed_bodies(notebook, MotionGraph("t", "angle", (ShownBody(take, ball),)))
    assert "Ball" in told[0]


# -- marks on the picture --------------------------------------------------------------------------------


def marks_of(tilt_deg=0.0, every=0, **wanted):
    """Marks of a body that moves at 1 m/s along x and falls at 2 m/s² along y, axes turned."""
    notebook, take = made.with_film(frames=40)
    notebook = made.scaled(notebook, take)
    notebook = scale_edits.turn_axes(notebook, take, tilt_deg)
    t = np.arange(40) / RATE
    notebook, body = with_body(notebook, take, "Ball", 0.1 + 1.0 * t * 0.5, 0.3 - 0.5 * 2 * t**2 * 0.2)
    notebook, _gates = timing_edits.add_gates(
        notebook, take, body=body, of="x", place=(150.0, 100.0), spacing=0.1, number=3
    )
    return PictureMarks(notebook.take(take), MarksWanted(every=every, **wanted)), body


@pytest.mark.parametrize("tilt", [0.0, 25.0, -70.0])
def test_arrows_point_the_way_the_picture_shows(tilt):
    """However the axes are turned: along the way of the body, as long as their scale says."""
    marks, _body = marks_of(tilt, acceleration=True)
    velocity, pull = marks.scales
    assert (velocity.unit, pull.unit) == ("m/s", "m/s²")
    assert velocity.words == "0.5 m/s"
    assert max(velocity.length, pull.length) <= 0.16 * 360
    for frame in (10, 20, 30):
        arrows = {a.kind: a for a in marks.arrows(frame)}
        v = 500 * np.array([0.5, 0.4 * frame / RATE])
        along = np.subtract(arrows["velocity"].end, arrows["velocity"].start)
        assert along / np.hypot(*along) == pytest.approx(v / np.hypot(*v), abs=1e-3)
        assert np.hypot(*along) == pytest.approx(
            np.hypot(*v) / 500 / velocity.value * velocity.length, rel=1e-3
        )
        down = np.subtract(arrows["acceleration"].end, arrows["acceleration"].start)
        assert down / np.hypot(*down) == pytest.approx([0, 1], abs=1e-2)


def test_numbers_times_and_trails_go_up_to_the_frame():
    """At equal times, numbered from the first reading; what was not read has no arrow and keeps its number."""
    marks, body = marks_of()
    assert marks.every == 4
    assert marks.number_words() == "numbers every 0.133 s"
    assert marks.strobe_rate() == pytest.approx(RATE / 4)
    take = marks.take
    shown = take.bodies[0]
    assert [n for n, _x, _y in marks.numbered(shown, 17)] == [0, 1, 2, 3, 4]
    assert len(marks.trail(shown, 17)[0]) == 18
    assert marks.clock_words(15) == "t = 0.500 s"
    assert marks.numbered_frames() == list(range(0, 40, 4))
    gone = take.but(bodies=(shown.but(readings=shown.readings.without(8)),))
    holed = PictureMarks(gone, MarksWanted(every=4))
    assert [n for n, _x, _y in holed.numbered(gone.bodies[0], 17)] == [0, 1, 3, 4]
    assert holed.arrows(8) == []
    assert len(holed.arrows(9)) == 1
    uneven = take.but(facts=take.facts.but(ticks=tuple(n * n for n in range(40))))
    assert PictureMarks(uneven, MarksWanted(every=4)).number_words() == "numbers every 4 frames"
    assert body == shown.id


def test_gates_and_angles_lie_where_they_are_measured():
    """Gates across x stand along y, a spacing apart; an angle opens from the x axis to the body."""
    marks, _body = marks_of(20.0, angles=True)
    along = np.array([math.cos(math.radians(20)), -math.sin(math.radians(20))])
    lines = marks.gates(0)
    assert [line.words for line in lines] == ["0", "1", "2"]
    for n, line in enumerate(lines):
        ends = np.array([line.start, line.end])
        assert (ends - (150, 100)) @ along == pytest.approx([50 * n] * 2, abs=1e-6)
        assert np.ptp(ends, axis=0) @ np.abs(along[::-1]) > 600
    (angle,) = marks.angles(20)
    x, y = marks.trail(marks.take.bodies[0], 20)
    seen = math.atan2(-(y[-1] - 300), x[-1] - 50)
    assert angle.start + angle.span == pytest.approx(seen, abs=1e-9)
    assert angle.words == f"{math.degrees(seen) - 20:.1f}°".replace("-", "\u2212")
    still = take_edits.change_take(made.with_film()[0], "take-1", name="x").takes[0]
    assert PictureMarks(still, MarksWanted()).scales == []
