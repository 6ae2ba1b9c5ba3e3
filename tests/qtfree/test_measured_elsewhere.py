"""What is measured in the picture, where it goes: films like a template, marks, files of others, the simulator."""

import json

import cv2
import made
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from test_measured_document import pair, typed, with_pin

from saltus.core.reading_check import check_readings
from saltus.exchange.eye_words import check_words
from saltus.exchange.geometry_charts import camera_shift, scale_along
from saltus.exchange.measured_words import part_words, scale_law_words, value_words
from saltus.exchange.motion_words import coordinate_words, coordinates_of
from saltus.exchange.picture_marks import MarksWanted, PictureMarks, gate_lines
from saltus.notebook.changes import changes, made_again
from saltus.notebook.derived.filmed_scales import scale_found
from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.derived.motion import body_motion, motion_in, segment_fit
from saltus.notebook.derived.points import points_found
from saltus.notebook.edits import geometry as geometry_edits
from saltus.notebook.edits import measuring as edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.edits.like_template import parts_like, set_up_like
from saltus.notebook.measuring import BackgroundRecord, Division
from saltus.notebook.storage import NotebookError, as_text, parse
from saltus.simulate.camera import pictures, truth_of
from saltus.simulate.hand_held import HELD, pose_of
from saltus.simulate.instruments import Instrument
from saltus.simulate.scenes import set_up

ROW = (0, 1.0, 2.0, 0.01, 0.0, 0.1, 0.1, 1e-4, 1e-4)


def full():
    """A notebook that holds a bit of everything that is measured in the picture."""
    notebook, take_id, body, _segment = made.measured(frames=20)
    notebook, pin = with_pin(notebook, take_id)
    notebook, other = reading_edits.add_body(notebook, take_id, "Other")
    for n in range(20):
        notebook = reading_edits.place_reading(notebook, take_id, other, made.Reading(n, 40.0 + n, 90.0))
    notebook = edits.set_mass(notebook, take_id, body, typed(0.2, "kg", 0.001))
    notebook = edits.set_mass(notebook, take_id, other, typed(0.1, "kg", 0.001))
    notebook, frame = edits.add_moving_frame(notebook, take_id, "both", (body, other))
    notebook, _segment = segment_edits.add_segment(
        notebook, take_id, body, of=f"x@{frame}", frames=(0, 19), model="constant-acceleration"
    )
    notebook, _id = edits.add_measure(notebook, take_id, "circle", ((9.0, 9.0), (20.0, 20.0), (9.0, 31.0)), 3)
    notebook, scale = edits.add_scale(notebook, take_id, "round", unit="s", middle=(100.0, 100.0))
    divisions = (Division(place=(100.0, 50.0), value=0.0, text="0"), Division(place=(150.0, 100.0)))
    notebook = edits.change_scale(notebook, take_id, scale, divisions=divisions, gap=typed(1, "mm"))
    notebook, _pointer = edits.read_pointer(notebook, take_id, scale, 4, (120.0, 60.0))
    places = tuple((float(n), 1.0) for n in range(5))
    notebook, _eye = edits.keep_eye(notebook, "Wren", "2026-11-28", places, places, 0.1)
    return notebook, take_id, body, pin


def test_all_of_it_survives_the_file_and_the_journal():
    """Saved and opened it is the same; the journal's differences lead from one state to the next; 10 opens."""
    notebook, take_id, *_rest = full()
    again = parse(as_text(notebook), "a.saltus")
    assert again == notebook
    assert geometry_of(again.take(take_id)).camera.motion is not None
    moved = edits.change_measure(notebook, take_id, "measure-1", u_px=0.3)
    written = json.loads(json.dumps(changes(notebook, moved)))
    assert made_again(notebook, written) == moved
    plain = json.loads(as_text(made.measured()[0])) | {"version": 10}
    for name in ("eyes",):
        del plain[name]
    for take in plain["takes"]:
        for name in ("steadying", "measures", "filmed_scales", "moving_frames"):
            del take[name]
        for body in take["bodies"]:
            for name in ("u_dof", "u_from", "fixed", "mass"):
                del body[name]
    old = parse(json.dumps(plain), "old.saltus")
    assert old.version == 12
    assert old.takes[0].steadying is None


@pytest.mark.parametrize(
    "spoil",
    [
        lambda t: t["measures"][0].update(places=[[0, 0]]),
        lambda t: t["measures"][0].update(places=[[0, 0]] * 101),
        lambda t: t["measures"][0].update(kind="area"),
        lambda t: t["measures"].append(t["measures"][0]),
        lambda t: t["measures"][0].update(frame=-1),
        lambda t: t["filmed_scales"][0].update(u_px=0),
        lambda t: t["filmed_scales"][0]["divisions"][0].update(value=1e300),
        lambda t: t["filmed_scales"][0]["divisions"][0].update(place=[1, 2, 3]),
        lambda t: t["filmed_scales"][0].update(pointers=t["filmed_scales"][0]["pointers"] * 2),
        lambda t: t["filmed_scales"][0].update(parallax="maybe"),
        lambda t: t["moving_frames"][0].update(bodies=["body-1", "nobody"]),
        lambda t: t["moving_frames"][0].update(bodies=["body-1"]),
        lambda t: t["steadying"].update(by="magic"),
        lambda t: t["steadying"].update(background={"steady": 5, "rows": [list(ROW), [1, *ROW[1:]]]}),
        lambda t: t["steadying"].update(background={"steady": 0, "rows": [list(ROW), list(ROW)]}),
        lambda t: t["bodies"][0].update(u_dof=0),
        lambda t: t["bodies"][0].update(mass={"value": -1, "unit": "kg", "U95": 0, "U95_unit": "kg"}),
        lambda t: t["segments"][-1].update(of="xy@body-1"),
    ],
)
def test_files_of_others_are_refused_in_a_sentence(spoil):
    """What a notebook cannot hold is refused where it is opened, whatever it is."""
    data = json.loads(as_text(full()[0]))
    spoil(data["takes"][0])
    with pytest.raises(NotebookError) as refused:
        parse(json.dumps(data), "odd.saltus")
    assert str(refused.value).startswith("odd.saltus")


@given(st.data())
@settings(max_examples=40, deadline=None)
def test_odd_backgrounds_and_divisions_break_nothing(data):
    """Any record of a background and any divisions that a file may hold lead to numbers or to sentences."""
    number = st.floats(-1e6, 1e6, allow_nan=False)
    small = st.floats(0, 1e6)
    rows = tuple(
        (n, *data.draw(st.tuples(*[number] * 4)), *data.draw(st.tuples(*[small] * 4))) for n in range(3)
    )
    notebook, take_id, body, _segment = made.measured(frames=6)
    record = BackgroundRecord(steady=1, turning=data.draw(st.floats(0, 1)), rows=rows)
    take = edits.steady_by_background(notebook, take_id, record).take(take_id)
    with np.errstate(all="ignore"):
        motion = body_motion(take, take.body(body))
        assert len(motion.t) <= 3
        geometry_of(take).camera.seen([(10.0, 10.0)], 0, 2)
    place = st.tuples(st.floats(-1e5, 1e5), st.floats(-1e5, 1e5))
    divisions = tuple(
        Division(place=p, value=v)
        for p, v in data.draw(st.lists(st.tuples(place, st.floats(-1e12, 1e12)), max_size=5))
    )
    kind = data.draw(st.sampled_from(["straight", "round"]))
    notebook, scale = edits.add_scale(notebook, take_id, kind, unit="cm", divisions=divisions, body=body)
    with np.errstate(all="ignore"):
        found = scale_found(notebook.take(take_id), notebook.take(take_id).filmed_scale(scale))
    assert found.problem or len(found.readings) in (0, 6)
    assert scale_law_words(found)


def test_a_film_like_a_template_gets_its_pins_masses_and_frames():
    """Fixed points, masses, eyes and moving frames of the template are those of the film, under ids of its own."""
    notebook, template_id, body, _pin = full()
    template = notebook.take(template_id)
    notebook, take_id = made.with_film(notebook, frames=20)
    notebook, ids = set_up_like(notebook, template, take_id)
    take = notebook.take(take_id)
    assert [b.fixed for b in take.bodies] == [b.fixed for b in template.bodies]
    assert take.body(ids[body]).mass == template.body(body).mass
    assert take.steadying is not None
    assert set(take.moving_frames[0].bodies) == {ids[b] for b in template.moving_frames[0].bodies}
    for one in template.bodies:
        for r in one.readings:
            notebook = reading_edits.place_reading(notebook, take_id, ids[one.id], r)
    stretches = {s.id: (s.first, s.last) for s in template.segments}
    notebook, parts = parts_like(notebook, template, take_id, ids, stretches)
    take = notebook.take(take_id)
    like, original = (t.segments[-1] for t in (take, template))
    assert like.of == f"x@{take.moving_frames[0].id}"
    fits = [segment_fit(t, s).parameters["acceleration"] for t, s in ((take, like), (template, original))]
    assert float(fits[0]) == pytest.approx(float(fits[1]))
    assert len(parts) == len(template.segments)


def test_marks_lie_on_the_scene_in_every_frame():
    """Gates, axes and older places are drawn where the scene is in the frame that is shown."""
    notebook, take_id, body, _segment = made.measured(frames=24)
    still = notebook.take(take_id)
    notebook, _pin = with_pin(notebook, take_id, sway=8.0, u=0.02)
    notebook, gates = timing_edits.add_gates(notebook, take_id, body=body, of="x", place=(200.0, 200.0))
    take = notebook.take(take_id)
    camera = geometry_of(take).camera
    one = next(g for g in take.timing.gates if g.id == gates)
    middles = {}
    for frame in (0, 9):
        (line,) = gate_lines(take, one, 40.0, frame)
        middles[frame] = (np.array(line.start) + np.array(line.end)) / 2
    away = np.array(camera.seen([(200.0, 200.0)], 0, 9)[0]) - [200, 200]
    assert middles[9] - middles[0] == pytest.approx(away, abs=1e-6)
    assert np.hypot(*away) > 5
    used = take.body(body).readings.used
    x, _y = camera.all_seen(used.x, used.y, used.frame, 0)
    assert x == pytest.approx(still.body(body).readings.used.x, abs=2.5)
    marks = PictureMarks(take, MarksWanted(trail=True, numbers=True))
    assert [b.name for b in marks.bodies] == ["Cart"]
    xs, _ys = marks.trail(take.body(body), 9)
    assert xs[-1] == pytest.approx(used.x[9], abs=1e-6)
    assert xs[0] - used.x[0] == pytest.approx(float(away[0]), abs=2.0)
    assert marks.numbered(take.body(body), 9)[0][1] == pytest.approx(xs[0])
    back = camera.laid(camera.seen([(80.0, 90.0)], 0, 9)[0], 9, 0)
    assert back == pytest.approx((80.0, 90.0), abs=1e-6)
    origin = mapping_of(take).in_frame(9)
    assert origin.headings(*origin.origin)[0] == pytest.approx([1, 0], abs=0.02)
    chart = camera_shift(take)
    assert len(chart.points) == 2
    assert camera_shift(still) is None
    assert scale_along(take) is not None
    line = geometry_edits.direct_axes(notebook, take_id, ((50.0, 300.0), (250.0, 260.0)), "points", 0.5)
    assert mapping_of(line.take(take_id)).axes.angle == pytest.approx(np.arctan2(40, 200))


def test_coordinates_from_elsewhere_have_words_and_points():
    """A list of coordinates, their words, and characteristic points as seen from another body."""
    notebook, take_id, heavy, light = pair(noise=0.05)
    take = notebook.take(take_id)
    assert f"radius@{heavy}" in coordinates_of(take, take.body(light))
    assert coordinates_of(take, take.body(light), heavy) == [
        f"{kind}@{heavy}" for kind in ("x", "y", "angle", "radius", "path")
    ]
    for kind, words in (("x", "along x, seen from Heavy"), ("angle", "angle about Heavy")):
        assert coordinate_words(f"{kind}@{heavy}", take) == words
    found = points_found(take, take.body(light), f"x@{heavy}")
    assert {p.kind for p in found.points} <= {"turning", "extremum", "zero", "fastest", "rest"}
    moved = reading_edits.place_reading(notebook, take_id, heavy, made.Reading(3, 300.0, 200.0)).take(take_id)
    assert motion_in(moved, moved.body(light), f"x@{heavy}").x.value[3] != pytest.approx(
        motion_in(take, take.body(light), f"x@{heavy}").x.value[3]
    )


def test_words_say_what_was_measured():
    """Angles in degrees, radii as such, what a check found, whether it is too little."""
    notebook, take_id, *_rest = full()
    take = notebook.take(take_id)
    assert {part_words(p) for p in ("length", "height", "angle", "radius", "diameter", "x", "y")}
    q = mapping_of(take).place(100.0, 200.0)[0]
    assert value_words(q).endswith(" m")
    places = np.random.default_rng(0).uniform(0, 9, (6, 2))
    alike = check_words(check_readings(places, places), None)
    assert "no more than a pixel" in alike
    away = check_readings(places, places + [4.0, 0.0] + 0.1 * (places - 4.5))
    assert "another point" in check_words(away, None)
    assert "another point was clicked" in check_words(away, 0.1)
    near = check_readings(places, places + 0.3 * np.array([[1, -1], [-1, 1]] * 3), 0.1)
    assert "they agree" in check_words(near, 0.1)


@given(seed=st.integers(0, 50), t=st.floats(0, 1), size=st.floats(0, 5))
@settings(max_examples=30, deadline=None)
def test_a_held_camera_turns_rigidly_and_keeps_its_seed(seed, t, size):
    """Its pose is a rotation and a positive zoom, the same for the same seed; without settings it stands still."""
    chosen = HELD | {
        "shake_deg": size,
        "roll_deg": size,
        "sweep_deg": size,
        "zoom": 0.3,
        "duration": 1.0,
        "seed": seed,
    }
    pose = pose_of(chosen, t)
    assert pose.turned @ pose.turned.T == pytest.approx(np.eye(3), abs=1e-12)
    assert np.linalg.det(pose.turned) == pytest.approx(1.0)
    assert 1.0 <= pose.zoom <= 1.3
    assert np.array_equal(pose.turned, pose_of(chosen, t).turned)
    assert pose_of(HELD | {"duration": 1.0, "seed": seed}, t) is None


def test_pictures_of_a_held_camera_show_what_its_truth_says():
    """The white dot of the puck lies where the truth has it, in the first and in the last frame."""
    scene = set_up("incline", {"width": 640, "height": 360, "rate": 10, "duration": 0.8, "noise": 0.0,
                               "shake_deg": 0.8, "roll_deg": 4, "sweep_deg": 3, "zoom": 0.1})  # fmt: skip
    truth, films = truth_of(scene), list(pictures(scene))
    seen = truth["bodies"]["Felt puck"]
    assert np.ptp(truth["fixed"][0]["x_px"]) > 10
    for n in (0, -1):
        x, y = seen["x_px"][n], seen["y_px"][n]
        left, top = round(x) - 8, round(y) - 8
        part = cv2.cvtColor(films[n], cv2.COLOR_RGB2GRAY)[top : top + 17, left : left + 17].astype(float)
        weight = np.clip(part - 110, 0, None)
        down, right = np.mgrid[0:17, 0:17]
        at = (weight * right).sum() / weight.sum() + left, (weight * down).sum() / weight.sum() + top
        assert at == pytest.approx((x, y), abs=0.35)


@pytest.mark.parametrize("kind", ["rule", "dial"])
def test_stills_show_the_pointer_where_it_is_said_to_be(kind):
    """The red tip of the pointer lies at its place; a gap moves it away from the middle of the picture."""
    instrument = Instrument(kind)
    value = 22.5 if kind == "rule" else 20.0
    picture = instrument.picture(value).astype(float)
    red = np.clip(picture[..., 0] - picture[..., 1] - 60, 0, None)
    x, y = instrument.pointer(value)
    rows, columns = np.nonzero(red > 20)
    near = np.hypot(columns - x, rows - y).min()
    assert near < 2
    assert red[round(y), round(x) + (3 if kind == "rule" else -2)] > 0 or near < 2
    far = Instrument(kind, gap=0.1).pointer(value)
    middle = np.array([319.5, 239.5])
    assert np.hypot(*(far - middle)) == pytest.approx(np.hypot(*(np.array([x, y]) - middle)) * 0.6 / 0.5)


def test_takes_of_one_camera_share_what_is_laid_and_not_how_it_moved():
    """A length laid in one take counts in the other as it lies there, however each camera moved."""
    notebook, first, *_rest = made.measured(frames=12)
    notebook, _pin = with_pin(notebook, first)
    notebook, second = made.with_film(notebook, frames=12)
    take = notebook.take(first)
    notebook = take_edits.change_take(
        notebook, second, camera=first, reference=take.reference.but(frame=9), axes=take.axes
    )
    shared = geometry_of(notebook.take(second))
    assert shared.camera.shared
    assert shared.mapping.axes.origin == take.axes.origin
    assert float(shared.mapping.scale) == pytest.approx(0.002)
