"""What sheet, tables, graphs and commands say of a scale: words, columns, the same numbers as the window."""

import json
import math
import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from made import measured as measured_take

from saltus.commands.tabular.results_json import results_json
from saltus.commands.tabular.segment_table import fit_table
from saltus.exchange.geometry_charts import edge_bend, lengths_compared, scale_along
from saltus.exchange.motion_table import motion_of_take, readings_of_take
from saltus.exchange.motion_words import coordinate_choice, coordinate_words
from saltus.exchange.picture_marks import gate_lines
from saltus.exchange.scale_words import axes_words, scale_words, unchecked_words
from saltus.exchange.sheet import describe
from saltus.exchange.tables import csv_text, parse_table
from saltus.notebook.derived.advice import progress, result_limits, scale_limits
from saltus.notebook.derived.geometry import geometry_of, mapping_of, references_differ
from saltus.notebook.derived.geometry_words import checked_words, disagreement, usual_words, verdict_words
from saltus.notebook.derived.motion import body_motion, headline, segment_fit
from saltus.notebook.derived.trust import trust_of
from saltus.notebook.edits import geometry as edits
from saltus.notebook.geometry import (
    AxesPlace,
    Geometry,
    KnownLens,
    PlanePoints,
    StraightEdges,
    TrackMark,
    TrackMarks,
    Typed,
    TypedOffset,
    UsualFaults,
)
from saltus.notebook.storage import NotebookError, as_text, parse, save
from saltus.notebook.timing import Gates
from saltus.simulate.demo import demo_notebook

E_NOTATION = re.compile(r"\d[eE][-+]?\d")


def metres(value, U95=0.001):
    """Type a length in metres."""
    return Typed(value=value, unit="m", U95=U95, U95_unit="m")


@pytest.fixture(scope="module")
def askew():
    """The take that was filmed askew."""
    return demo_notebook("askew")


@pytest.fixture
def taken():
    """A notebook with one take, scaled and measured, and the take's id."""
    notebook, take_id, *_rest = measured_take(40, noise_px=0.7, seed=5)
    return notebook, take_id


def variants(notebook, take_id):
    """The same take with each kind of geometry."""
    square = ((60.0, 330.0), (560.0, 330.0), (520.0, 60.0), (110.0, 60.0))
    plane = PlanePoints(seen=square, width=metres(0.8), height=metres(0.6))
    marks = tuple(TrackMark(place=(60.0 + 220 * n, 300.0), distance=0.4 * n + 0.02 * n * n) for n in range(3))
    yield "plain", notebook
    yield "plane", edits.change_geometry(notebook, take_id, plane=plane)
    yield "track", edits.change_geometry(notebook, take_id, track=TrackMarks(marks=marks))
    yield "lens", edits.change_geometry(notebook, take_id, lens=KnownLens(camera="lab", k1=-0.03, u_k1=0.002))
    offset = TypedOffset(value=3, unit="cm", U95=2, U95_unit="mm")
    yield "offset", edits.change_geometry(notebook, take_id, nearer=offset, distance=metres(1.5, 0.02))
    down = edits.positive_down(notebook, take_id, True)
    yield "down", down


@pytest.mark.parametrize("kind", ["plain", "plane", "track", "lens", "offset", "down"])
def test_tables_carry_every_geometry_to_the_model(taken, kind):
    """The exported motion, read by the commands, gives value and U95 of the window, whatever is laid."""
    notebook, take_id = taken
    take = dict(variants(notebook, take_id))[kind].take(take_id)
    segment = take.headline_segment
    header, rows = motion_of_take(take)
    table = parse_table(csv_text(header, rows), "motion.csv")
    mine = fit_table(table, segment.model, segment.of).parameters["acceleration"]
    theirs = segment_fit(take, segment).parameters["acceleration"]
    assert float(mine) == pytest.approx(float(theirs), rel=1e-6)
    # origin and direction stand in no column; they are no part of an acceleration here
    assert pytest.approx(theirs.U95, rel=2e-3) == mine.U95
    named = {name[2:].partition("(")[0] for name in header if name.startswith("c:")}
    wanted = {
        "plane": {f"corner-{n}-{axis}" for n in range(1, 5) for axis in "xy"} | {"width", "height"},
        "track": {"marks-1", "marks-2", "marks-3"},
        "lens": {"lens"},
        "offset": {"plane-offset", "camera-distance"},
    }
    assert named == wanted.get(kind, set())


def test_motion_with_the_geometry_of_a_notebook_is_the_motion_of_the_window(tmp_path, saltus, askew):
    """Readings written out and mapped by --geometry are the positions of the window, with what they share."""
    take = askew.takes[0]
    (tmp_path / "r.csv").write_text(csv_text(*readings_of_take(take)), encoding="utf-8")
    save(askew, tmp_path / "a.saltus")
    code, _out, err = saltus(
        "motion", tmp_path / "r.csv", "--geometry", tmp_path / "a.saltus", "-o", tmp_path / "m.csv"
    )
    assert code == 0, err
    made = parse_table((tmp_path / "m.csv").read_text(encoding="utf-8"), "m.csv")
    header, rows = motion_of_take(take)
    shown = parse_table(csv_text(header, rows), "w.csv")
    assert set(made.columns) == set(shown.columns)
    fits = [fit_table(t, "constant-acceleration", "x", start=0.25) for t in (made, shown)]
    a, b = (fit.parameters["acceleration"] for fit in fits)
    assert (float(a), a.U95) == (pytest.approx(float(b), rel=1e-6), pytest.approx(b.U95, rel=1e-6))


def test_the_sheet_says_how_the_scale_came_about_and_what_nobody_checked(taken, askew):
    """Each kind in its own words; positive down and directions are told; doubts stand beside the result."""
    notebook, take_id = taken
    told = {kind: scale_words(nb.take(take_id)) for kind, nb in variants(notebook, take_id)}
    assert "from a length of 1.000 ± 0.002 m" in told["plain"]
    assert "rectangle of 0.8 ± 0.001 m by 0.6 ± 0.001 m seen at an angle" in told["plane"]
    assert "3 marks along a line" in told["track"]
    assert "bend of the lens" in told["lens"]
    assert "changes lengths by −2.0 %" in told["offset"]
    assert "Positive y points down" in axes_words(dict(variants(notebook, take_id))["down"].take(take_id))
    signs = [coordinate_words(of, notebook.take(take_id)) for of in ("y", "angle")]
    assert signs == ["along y, positive up", "angle about the origin"]
    down = edits.direct_by_path(edits.positive_down(notebook, take_id, True), take_id, 3.0, 0.1).take(take_id)
    assert coordinate_words("x", down) == "along x, positive along the motion"
    assert coordinate_words("y", down) == "along y, positive down"
    assert coordinate_words("angle", down).endswith("clockwise")
    listed = [coordinate_choice("y", t) for t in (down, notebook.take(take_id), None)]
    assert listed == ["along y ↓", "along y ↑", "along y"]
    take = askew.takes[0]
    method = " ".join(describe(askew, take).method)
    assert "in the plane, by two places" in method
    assert "plane of the motion (2.5 %)" in unchecked_words(take)
    assert unchecked_words(take) in method
    words = [*told.values(), method, *disagreement(take), verdict_words(take, "a")]
    assert not any(E_NOTATION.search(w) for w in words)
    unscaled = notebook.take(take_id).but(reference=None)
    assert "in pixels" in scale_words(unscaled)
    assert verdict_words(unscaled, "a").startswith("There is no scale")


def test_effects_have_words_for_every_fault_checked_or_not(taken, askew):
    """No fault without a name, a usual size and what came out; sizes are those that were typed."""
    take = askew.takes[0]
    trust = trust_of(take)
    for effect in trust.unchecked:
        assert usual_words(take, effect.what)
        assert effect.percent > 0
        assert effect.change == pytest.approx(effect.percent / 100 * abs(float(trust.value)), rel=0.02)
    for effect in trust.checked:
        assert checked_words(take, effect)
    assert [e.percent for e in trust.unchecked] == sorted((e.percent for e in trust.unchecked), reverse=True)
    notebook, take_id = taken
    usual = UsualFaults(
        tilt_deg=0, k1=0, offset_m=0, clock_percent=0, reference_percent=0, direction_deg=0, camera_px=0
    )
    careful = edits.change_geometry(notebook, take_id, usual=usual).take(take_id)
    assert max(e.percent for e in trust_of(careful).unchecked) < 1e-6
    assert verdict_words(careful, "a").startswith("Yes")
    unread = notebook.take(take_id).but(segments=(), headline=None)
    assert trust_of(unread).name == "length"
    assert trust_of(unread).unchecked[0].percent > 0


def test_ignored_faults_are_worth_what_they_were(taken):
    """A supposed clock, rule or offset changes an acceleration by exactly what physics says."""
    notebook, take_id = taken
    effects = {e.what: e.percent for e in trust_of(notebook.take(take_id)).unchecked}
    assert effects["reference"] == pytest.approx(0.1, rel=1e-6)
    assert effects["plane"] == pytest.approx(100 * 0.05 / 2, rel=1e-6)
    assert effects["clock"] == pytest.approx(100 * (1 - 1 / 1.003**2), rel=1e-3)
    axes = notebook.take(take_id).axes
    stated = edits.change_geometry(notebook, take_id)
    stated = stated.but(
        takes=(stated.take(take_id).but(axes=axes.but(u_angle_deg=0.5), clock_U95_percent=0.2),)
    )
    checked = {e.what for e in trust_of(stated.take(take_id)).checked}
    assert {"clock", "direction"} <= checked


def test_graphs_show_the_scale_along_the_way_the_lengths_and_the_edge(taken, askew):
    """Askew the scale changes along x and leaves the one scale; square-on it is one; lengths have bars."""
    take = askew.takes[0]
    chart = scale_along(take)
    at, low, high = chart.ribbon
    assert np.all(np.diff(at) > 0)
    assert np.ptp(chart.curves[0].y) > 0.1
    assert np.all(high > low)
    middle = 1000 * mapping_of(take).per_px
    assert chart.curves[0].y.min() < middle < chart.curves[0].y.max()
    assert len(lengths_compared(take).points[0].x) == 1
    filmed, left = edge_bend(take).points
    assert np.max(np.abs(filmed.y)) > 4 * np.max(np.abs(left.y))
    notebook, take_id = taken
    plain = scale_along(notebook.take(take_id))
    assert np.ptp(plain.curves[0].y) == pytest.approx(0, abs=1e-9)
    assert lengths_compared(notebook.take(take_id)) is None
    assert edge_bend(notebook.take(take_id)) is None
    assert scale_along(notebook.take(take_id).but(reference=None)) is None


def test_limits_and_marks_follow_the_geometry(taken, askew):
    """The limit bar names corners and what halves them; the rail asks for a look where lengths differ."""
    limits = scale_limits(askew.takes[0])
    assert limits.items[0][0] == "Corners of the plane"
    assert "Placing the corners twice as well" in limits.sentence
    assert result_limits(askew.takes[0]) is not None
    notebook, take_id = taken
    assert progress(notebook.take(take_id))["scale"] == "done"
    differing, other = edits.add_length(notebook, take_id, (50.0, 40.0), (530.0, 40.0), check=False)
    differing = edits.change_length(differing, take_id, other, length=metres(1.0))
    take = differing.take(take_id)
    assert references_differ(take)
    assert progress(take)["scale"] == "look"
    assert "References that agree" in scale_limits(take).sentence
    told = results_json("n", differing, None)["takes"][0]["scale"]
    assert told["u"] > results_json("n", notebook, None)["takes"][0]["scale"]["u"]


def test_gates_lie_square_to_the_axis_of_the_plane(askew):
    """Lines ten centimetres apart on the plane cross the picture where those places are seen."""
    take = askew.takes[0]
    place = mapping_of(take).origin
    gates = Gates(id="gates-1", body=take.bodies[0].id, of="x", place=place, spacing=0.1, number=4)
    lines = gate_lines(take, gates, 50.0, 0)
    middles = np.array([[(a + b) / 2 for a, b in zip(line.start, line.end, strict=True)] for line in lines])
    x, _y = (np.array([float(mapping_of(take).place(*m)[n]) for m in middles]) for n in (0, 1))
    assert x - x[0] == pytest.approx(np.arange(4) * 0.1, abs=1e-6)
    assert np.all(np.diff(np.hypot(*np.diff(middles, axis=0).T)) < 0)


def test_readings_behind_the_horizon_are_left_out_in_the_window_and_told_by_the_command(
    tmp_path, saltus, taken
):
    """A place in the sky of a plane has no position: the window goes on without it, the command names its frame."""
    notebook, take_id = taken
    square = ((200.0, 350.0), (400.0, 350.0), (330.0, 200.0), (270.0, 200.0))
    plane = PlanePoints(seen=square, width=metres(0.3), height=metres(0.6))
    laid = edits.change_geometry(notebook, take_id, plane=plane)
    take = laid.take(take_id)
    mapping = mapping_of(take)
    body = take.bodies[0]
    sky = np.array([[300.0], [-4000.0]])
    assert not mapping.reaches(sky).all()
    used = body.readings.used
    there = mapping.reaches(np.stack([used.x, used.y]))
    assert len(body_motion(take, body).t) == int(there.sum())
    lines = [
        "body,frame,t [s],x [px],y [px],status",
        "b,0,0.0,300,300,",
        "b,7,0.1,300,-4000,",
        "b,8,0.2,300,310,",
    ]
    (tmp_path / "r.csv").write_text("\n".join(lines) + "\n", encoding="utf-8")
    options = ["--plane", ",".join(str(v) for p in square for v in p), "--plane-size", "0.3,0.6"]
    code, _out, err = saltus("motion", tmp_path / "r.csv", *options, "-o", tmp_path / "m.csv")
    assert code == 2
    assert "frame 7" in err


PLACE = st.tuples(st.floats(-200, 1500), st.floats(-200, 900))
LENGTH = st.one_of(
    st.none(),
    st.builds(Typed, value=st.floats(1e-6, 1e6), unit=st.sampled_from(["m", "cm", "kg", "?"]), U95=st.floats(0, 9),
              U95_unit=st.sampled_from(["m", "mm"])),
)  # fmt: skip
PLANES = st.builds(PlanePoints, seen=st.tuples(PLACE, PLACE, PLACE, PLACE), width=LENGTH, height=LENGTH)
MARKS = st.lists(
    st.builds(TrackMark, place=PLACE, distance=st.one_of(st.none(), st.floats(-9, 9))), min_size=1, max_size=6
)
TRACKS = st.builds(TrackMarks, marks=MARKS.map(tuple))
EDGES = st.builds(
    StraightEdges, edges=st.lists(st.lists(PLACE, min_size=1, max_size=7).map(tuple), max_size=3).map(tuple)
)
OFFSETS = st.builds(
    TypedOffset, value=st.floats(-9, 9), unit=st.just("m"), U95=st.floats(0, 1), U95_unit=st.just("m")
)
GEOMETRIES = st.builds(
    Geometry,
    plane=st.none(),
    edges=st.one_of(st.none(), EDGES),
    lens=st.one_of(
        st.none(), st.builds(KnownLens, camera=st.just("c"), k1=st.floats(-1, 1), u_k1=st.floats(0, 1))
    ),
    nearer=st.one_of(st.none(), OFFSETS),
    distance=LENGTH,
).flatmap(
    lambda g: st.one_of(
        st.just(g), PLANES.map(lambda p: g.but(plane=p)), TRACKS.map(lambda t: g.but(track=t))
    )
)
AXES = st.one_of(
    st.none(),
    st.builds(AxesPlace, origin=st.one_of(st.none(), PLACE), angle_deg=st.floats(-360, 360), y_down=st.booleans()),
    st.builds(AxesPlace, origin=PLACE, by=st.sampled_from(["points", "plumb"]), line=st.tuples(PLACE, PLACE)),
)  # fmt: skip
HELD = measured_take(12, noise_px=0.7, seed=9)


@given(geometry=GEOMETRIES, axes=AXES)
@settings(max_examples=150, deadline=None)
def test_whatever_is_laid_is_used_or_told_and_never_breaks(geometry, axes):
    """Random planes, tracks, edges, lenses, offsets and axes: a sentence or finite positions, and words for all."""
    notebook, take_id, *_rest = HELD
    take = notebook.take(take_id).but(geometry=geometry, axes=axes)
    found = geometry_of(take)
    for words in found.problems.values():
        assert words.endswith(".")
        assert words.count("\n") == 0
    motion = body_motion(take, take.bodies[0])
    for q in (motion.x, motion.y):
        assert np.all(np.isfinite(q.value))
        assert np.all(np.isfinite(q.u))
    assert scale_words(take)
    trust = trust_of(take)
    for effect in (*trust.unchecked, *trust.checked) if trust is not None else ():
        assert effect.percent is None or math.isfinite(effect.percent)
    assert parse(as_text(notebook.but(takes=(take,))), "n.saltus").takes[0].geometry == geometry


SPOILED = {
    "three corners": lambda g: g.update(plane={"seen": [[0, 0], [9, 0], [9, 9]]}),
    "points that are not counted": lambda g: g.update(plane={"seen": [[0, 0]] * 6, "columns": 2, "rows": 2}),
    "a place that is none": lambda g: g.update(track={"marks": [{"place": ["here", 2]}]}),
    "too many marks": lambda g: g.update(track={"marks": [{"place": [0, 0]}] * 201}),
    "a plane and a track": lambda g: g.update(
        plane={"seen": [[0, 0], [9, 0], [9, 9], [0, 9]]}, track={"marks": [{"place": [0, 0]}]}
    ),
    "a lens beyond all": lambda g: g.update(lens={"camera": "c", "k1": 40}),
    "a lens of nobody": lambda g: g.update(lens={"camera": "", "k1": 0.1}),
    "an unknown fault": lambda g: g.update(usual={"earthquake": 3}),
    "a negative distance": lambda g: g.update(distance={"value": -2, "unit": "m", "U95": 0, "U95_unit": "m"}),
    "two lengths of one id": lambda g: g.update(
        others=[{"id": "check-1", "start": [0, 0], "end": [9, 9]}] * 2
    ),
    "a length without id": lambda g: g.update(others=[{"start": [0, 0], "end": [9, 9]}]),
}


@pytest.mark.parametrize("kind", SPOILED)
def test_strange_geometry_in_a_file_is_refused_in_a_sentence(kind):
    """What cannot be is named with its place; nothing is guessed."""
    data = json.loads(as_text(HELD[0]))
    SPOILED[kind](data["takes"][0]["geometry"])
    with pytest.raises(NotebookError) as caught:
        parse(json.dumps(data), "n.saltus")
    assert "n.saltus" in str(caught.value)
    assert "takes.0" in str(caught.value)
    assert headline(HELD[0].takes[0]) is not None
