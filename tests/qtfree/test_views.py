"""The virtual camera that looks askew, and the geometry that undoes it: two makers, one truth."""

import json
import math

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from saltus.core.geometry.axes import Axes
from saltus.core.geometry.lens import Lens
from saltus.core.geometry.mapping import Mapping
from saltus.core.geometry.plane import Plane
from saltus.core.geometry.seen import Seen
from saltus.core.geometry.tilt import Tilt
from saltus.core.geometry.track import Track
from saltus.simulate.camera import pictures, truth_of
from saltus.simulate.scene import SceneError
from saltus.simulate.scenes import SCENES, set_up
from saltus.simulate.view import View

ANGLE, BEND = st.floats(-25, 25), st.floats(-0.1, 0.1)


def view_of(pan, pitch, k1, nearer=0.0, distance=2.0):
    """Set a camera up before a plane of 2 m by 1.125 m."""
    chosen = {"pan_deg": pan, "pitch_deg": pitch, "lens_k1": k1, "nearer": nearer, "distance": distance}
    return View(1280, 720, 2.0 / 1280, chosen)


def read(places):
    """Take places, (N, 2) px, as read without scatter."""
    nothing = np.zeros(len(places))
    return Seen(places[:, 0], places[:, 1], nothing, nothing, np.arange(len(places)))


def flat_places(count=40, seed=0):
    """Places in the middle of a picture taken square-on, px."""
    rng = np.random.default_rng(seed)
    return np.column_stack([rng.uniform(300, 980, count), rng.uniform(160, 560, count)])


@given(pan=ANGLE, pitch=ANGLE, k1=BEND)
@settings(max_examples=40, deadline=None)
def test_corners_and_lens_undo_whatever_the_camera_does(pan, pitch, k1):
    """Any view: four corners of a rectangle and the lens give back every place to a thousandth of a px."""
    view = view_of(pan, pitch, k1)
    flat = np.array([[256.0, 576], [1024, 576], [1024, 144], [256, 144]])
    size = np.array([768.0, 432.0])
    lens = Lens(k1, (639.5, 359.5), view.radius)
    world = np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) * size
    mapping = Mapping("t", Axes(None), lens=lens, ground=Plane(view.seen(flat), world, 0.5, lens=lens))
    places = flat_places()
    x, y = mapping.world(read(view.seen(places)))
    assert x.value == pytest.approx(places[:, 0] - 256, abs=1e-3)
    assert y.value == pytest.approx(576 - places[:, 1], abs=1e-3)


@given(pan=ANGLE, pitch=ANGLE, k1=BEND, turn=st.floats(-0.6, 0.6))
@settings(max_examples=40, deadline=None)
def test_marks_along_a_line_undo_it_too(pan, pitch, k1, turn):
    """Any view, any direction of the line: three marks on it give every other distance along it."""
    view = view_of(pan, pitch, k1)
    lens = Lens(k1, (639.5, 359.5), view.radius)
    way = np.array([math.cos(turn), -math.sin(turn)])

    def on_line(s):
        return np.array([300.0, 360.0]) + np.outer(s, way)

    marks = np.array([0.0, 250.0, 600.0])
    track = Track(view.seen(on_line(marks)), marks, 0.5, lens=lens)
    wanted = np.linspace(-20, 640, 12)
    found = track.places(lens.straight(view.seen(on_line(wanted)).T))
    assert found[0] == pytest.approx(wanted, abs=1e-3)
    assert found[1] == pytest.approx(0, abs=1e-3)


@given(pan=ANGLE, pitch=ANGLE)
@settings(max_examples=30, deadline=None)
def test_the_supposed_tilt_is_that_of_a_camera(pan, pitch):
    """What the panel supposes keeps the middle in sight, and is undone by its own way back."""
    tilt = Tilt(math.radians(pan), math.radians(pitch), (639.5, 359.5), 1280.0)
    places = flat_places(seed=3).T
    assert tilt.straight(tilt.tilted(places)) == pytest.approx(places, abs=1e-6)
    there, by = tilt.straightened(tilt.tilted(places))
    assert there == pytest.approx(places, abs=1e-6)
    step = np.array([[1e-3], [0.0]])
    ahead, behind = (tilt.straight(tilt.tilted(places) + sign * step) for sign in (1, -1))
    assert by[:, 0] == pytest.approx((ahead - behind) / 2e-3, rel=1e-4, abs=1e-6)
    middle = np.array([[639.5], [359.5]])
    assert tilt.tilted(middle) == pytest.approx(middle)
    assert tilt.reaches(tilt.tilted(places)).all()


@pytest.mark.parametrize("scene", SCENES)
def test_every_scene_can_be_seen_askew_and_says_where_everything_is(scene):
    """The truth of a view holds rectangle, edge, marks and axes: with them its own world comes out again."""
    changes = {"pan_deg": 14.0, "pitch_deg": -11.0, "lens_k1": -0.04, "width": 640, "height": 360}
    told = truth_of(set_up(scene, changes))
    view, body = told["view"], next(iter(told["bodies"].values()))
    lens = Lens(view["lens_k1"], tuple(view["lens_centre_px"]), view["lens_radius_px"])
    width, height = view["rectangle"]["size_m"]
    world = np.array([[0, 0], [width, 0], [width, height], [0, height]])
    plane = Plane(np.array(view["rectangle"]["corners_px"]), world, 0.5, lens=lens)
    origin = tuple(told["axes"]["origin_px"])
    along = np.array(view["marks"]["px"])
    mapping = Mapping("t", Axes(origin), lens=lens, ground=plane)
    x, y = mapping.world(read(along[[0, -1]]))
    turn = math.atan2(float(y.value[1] - y.value[0]), float(x.value[1] - x.value[0]))
    mapping = Mapping("t", Axes(origin, turn), lens=lens, ground=plane)
    x, y = mapping.world(read(np.column_stack([body["x_px"], body["y_px"]])))
    assert x.value == pytest.approx(np.array(body["x_m"]), abs=2e-4)
    assert y.value == pytest.approx(np.array(body["y_m"]), abs=2e-4)
    edge = lens.straight(np.array(view["edge_px"]).T).T
    away = edge - edge[0]
    assert np.max(np.abs(away[:, 0] * away[-1, 1] - away[:, 1] * away[-1, 0])) / np.hypot(*away[-1]) < 1e-6
    reference = told["reference"]
    ends = mapping.world(read(np.array([reference["start_px"], reference["end_px"]])))
    assert math.hypot(*(float(q.value[1] - q.value[0]) for q in ends)) == pytest.approx(reference["length_m"])
    assert json.loads(json.dumps(told)) == told


def test_a_body_nearer_to_the_camera_moves_faster_in_the_picture():
    """(D − d)/D square to the plane, also askew: what is measured on the plane is too long by D/(D − d)."""
    for pan, pitch in ((0.0, 0.0), (25.0, -15.0)):
        view = view_of(pan, pitch, 0.0, nearer=0.2)
        flat = np.array([[256.0, 576], [1024, 576], [1024, 144], [256, 144]])
        world = np.array([[0, 0], [768.0, 0], [768, 432], [0, 432]])
        mapping = Mapping("t", Axes(None), ground=Plane(view.seen(flat), world, 0.5))
        places = flat_places(6)
        x, y = mapping.world(read(view.seen(places, nearer=0.2)))
        measured = np.hypot(np.diff(x.value), np.diff(y.value))
        true = np.hypot(*np.diff(places, axis=0).T)
        assert measured / true == pytest.approx(np.full(5, view.to_plane / (view.to_plane - 0.2)), rel=1e-6)


def test_the_film_shows_the_body_where_the_truth_has_it():
    """The puck's dot in rendered pictures lies where the view says, larger when nearer, and the rule leans with it."""
    changes = {"pan_deg": 18.0, "pitch_deg": -14.0, "lens_k1": -0.05, "nearer": 0.1, "noise": 0.0, "width": 640,
               "height": 360, "duration": 0.2, "rate": 10, "seed": 5}  # fmt: skip
    scene = set_up("incline", changes)
    square = set_up("incline", changes | {"pan_deg": 0.0, "pitch_deg": 0.0, "lens_k1": 0.0, "nearer": 0.0})
    told = truth_of(scene)["bodies"]["Felt puck"]
    picture, plain = next(iter(pictures(scene))), next(iter(pictures(square)))
    assert picture.shape == plain.shape
    assert np.mean(np.abs(picture.astype(float) - plain)) > 5
    x, y = told["x_px"][0], told["y_px"][0]
    red = picture[:, :, 0].astype(float) - picture[:, :, 1]
    yy, xx = np.mgrid[:360, :640]
    near = (np.hypot(xx - x, yy - y) < 30) & (red > 60)
    assert (np.mean(xx[near]), np.mean(yy[near])) == (pytest.approx(x, abs=0.6), pytest.approx(y, abs=0.6))
    grown = scene.view.grown(scene.flat(scene.path(np.zeros(1)))[0], nearer=0.1)
    assert grown > 1.02
    around = plain[:, :, 0].astype(float) - plain[:, :, 1]
    plain_x, plain_y = (
        truth_of(square)["bodies"]["Felt puck"]["x_px"][0],
        truth_of(square)["bodies"]["Felt puck"]["y_px"][0],
    )
    before = np.sum((np.hypot(xx - plain_x, yy - plain_y) < 30) & (around > 60))
    assert np.sum(near) / before == pytest.approx(grown**2, rel=0.12)


def test_the_warped_ground_fits_its_truth():
    """A painted cross on the plane is seen where the view says, to a third of a px."""
    view = view_of(22.0, -12.0, -0.06)
    canvas = np.full((720, 1280, 3), 40.0, dtype=np.float32)
    spots = np.array([[300, 200], [900, 260], [500, 560], [1000, 500]])
    for x, y in spots:
        cv2.circle(canvas, (int(x), int(y)), 6, (255.0, 255.0, 255.0), -1)
    seen = view.pictured(canvas)[:, :, 0]
    yy, xx = np.mgrid[:720, :1280]
    for x, y in view.seen(spots.astype(float)):
        weight = np.where(np.hypot(xx - x, yy - y) < 14, seen - 40.0, 0.0)
        assert np.sum(weight * xx) / np.sum(weight) == pytest.approx(x, abs=0.35)
        assert np.sum(weight * yy) / np.sum(weight) == pytest.approx(y, abs=0.35)
    assert view_of(0, 0, 0).pictured(canvas) is canvas


@pytest.mark.parametrize(
    ("changes", "words"),
    [({"pan_deg": 80}, "pan_deg"), ({"lens_k1": 2}, "lens_k1"), ({"distance": 0}, "distance"), ({"roll": 1}, "roll")],
)  # fmt: skip
def test_views_that_make_no_sense_are_refused(changes, words):
    """Looking along the plane, a lens that folds, a camera in the plane, a setting that is none."""
    with pytest.raises(SceneError, match=words):
        set_up("incline", changes)
