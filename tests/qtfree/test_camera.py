"""The virtual camera films what its truth says: places, times, blur, noise, and the scale of the rule."""

import json
import math

import av
import numpy as np
import pytest

from saltus.core.progress import Cancelled, finished
from saltus.footage.opening import facts_of
from saltus.notebook.derived.motion import headline
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.films import reference
from saltus.notebook.geometry import Typed
from saltus.notebook.model import Notebook
from saltus.notebook.readings import Reading
from saltus.simulate.bodies import Disc, paint_disc
from saltus.simulate.camera import film, pictures, truth_of
from saltus.simulate.scene import SceneError
from saltus.simulate.scenes import SCENES, describe, set_up, settings_of

SMALL = {"width": 480, "height": 270}


@pytest.mark.parametrize("phase", [(0.0, 0.0), (0.25, 0.7), (0.5, 0.5), (0.93, 0.11)])
def test_a_disc_lies_where_it_is_said_to(phase):
    """Its centre of brightness is its place to 0.01 px at any sub-pixel phase, its area π r²."""
    place, radius = np.array([40 + phase[0], 36 + phase[1]]), 11.3
    covered = np.zeros((80, 90, 3), np.float32)
    paint_disc(covered, Disc("d", radius, (255, 255, 255), dot_px=radius), place[None])
    weight = covered[..., 1].astype(float)
    y, x = np.mgrid[:80, :90]
    assert (weight * x).sum() / weight.sum() == pytest.approx(place[0], abs=0.01)
    assert (weight * y).sum() / weight.sum() == pytest.approx(place[1], abs=0.01)
    assert weight.sum() / 238 == pytest.approx(math.pi * radius**2, rel=0.01)


def test_the_exposure_blurs_along_the_motion():
    """Places during the exposure are averaged: the smear is as long as the way, its middle the mean."""
    places = np.column_stack([np.linspace(30, 50, 41), np.full(41, 20.0)])
    covered = np.zeros((40, 80, 3), np.float32)
    paint_disc(covered, Disc("d", 4.0, (0, 0, 0), dot_px=4.0), places)
    row = covered[20, :, 0]
    assert row[:24].max() == 0
    assert row[57:].max() == 0
    assert (row * np.arange(80)).sum() / row.sum() == pytest.approx(40, abs=0.02)
    # off the picture nothing is painted and nothing breaks
    paint_disc(covered, Disc("d", 4.0, (9, 9, 9)), np.array([[-50.0, 10.0]]))


@pytest.mark.parametrize("scene", SCENES)
def test_films_hold_what_the_truth_says(tmp_path, scene):
    """Frames, times and size of the film are those of the truth; the body is seen where the truth puts it."""
    chosen = set_up(scene, {**SMALL, "noise": 0, "crf": 4, "duration": 0.5, "release": 0.05}
                    if scene != "pendulum" else {**SMALL, "noise": 0, "crf": 4, "duration": 0.5})  # fmt: skip
    film(chosen, tmp_path / "a.mp4", tmp_path / "a.json")
    truth = json.loads((tmp_path / "a.json").read_text())
    facts = facts_of(tmp_path / "a.mp4")
    assert facts.frames == truth["frames"] == len(truth["time_s"])
    assert facts.times == pytest.approx(truth["time_s"], abs=1e-9)
    assert (facts.width, facts.height) == (480, 270)
    body = truth["bodies"][chosen.body.name]
    with av.open(str(tmp_path / "a.mp4")) as container:
        shown = [f.to_ndarray(format="rgb24").astype(float) for f in container.decode(video=0)]
    still = np.median(shown, axis=0) if scene != "incline" else chosen.background()
    for n in (len(shown) // 2, len(shown) - 1):
        x, y, r = body["x_px"][n], body["y_px"][n], body["radius_px"]
        inside = [np.abs(shown[n] - still)[int(y + dy), int(x + dx)].sum()
                  for dx, dy in ((0, 0), (r / 2, 0), (-r / 2, 0))]  # fmt: skip
        if 0 <= y < 270:
            assert max(inside) > 25, (scene, n)
    assert not list(tmp_path.glob(".*part"))


@pytest.mark.parametrize("scene", SCENES)
def test_the_rule_is_as_long_as_it_says(scene):
    """The ends of the reference are the first and last mark of the drawn rule, at the stated scale."""
    chosen = set_up(scene, {"width": 1280, "height": 720})
    start, end, length = chosen.reference
    assert math.dist(start, end) * chosen.m_per_px == pytest.approx(length)
    ground = chosen.background().astype(float)
    along = (np.array(end) - start) / math.dist(start, end)
    across = np.array([along[1], -along[0]])
    centre = chosen.in_picture(np.zeros((1, 2)))[0]
    across = across if across @ (np.array(start) - centre) > 0 or scene != "incline" else -across
    step = 0.1 / chosen.m_per_px
    for side in (across, -across):
        at = [np.array(start) + along * k * step + 4 * side for k in (0, 5, round(10 * length))]
        between = [p + along * 0.004 / chosen.m_per_px for p in at]
        dark = [ground[round(p[1]), round(p[0])].sum() for p in at]
        light = [ground[round(p[1]), round(p[0])].sum() for p in between]
        if all(b > a + 60 for a, b in zip(dark, light, strict=True)):
            return
    pytest.fail(f"no marks at the ends of the rule of {scene}")


@pytest.mark.parametrize(
    ("scene", "of"), [("incline", "x"), ("free-fall", "y")],
)  # fmt: skip
def test_true_readings_give_the_true_acceleration(tmp_path, scene, of):
    """On a noise-free film, readings placed by edits at the true centres give the truth to 1e-6 relative."""
    chosen = set_up(scene, {**SMALL, "noise": 0, "release": 0.0, "duration": 0.5})
    film(chosen, tmp_path / "a.mp4")
    truth = truth_of(chosen)
    notebook, take_id = take_edits.add_take(
        Notebook(), reference(tmp_path / "a.mp4"), facts_of(tmp_path / "a.mp4"), simulated=True
    )
    ends = truth["reference"]
    notebook = scale_edits.lay_reference(notebook, take_id, ends["start_px"], ends["end_px"])
    typed = Typed(value=100 * ends["length_m"], unit="cm", U95=1, U95_unit="mm")
    notebook = scale_edits.set_reference_length(notebook, take_id, typed)
    notebook = scale_edits.place_origin(notebook, take_id, truth["axes"]["origin_px"])
    notebook = scale_edits.turn_axes(notebook, take_id, truth["axes"]["angle_deg"])
    notebook, body = reading_edits.add_body(notebook, take_id, "body")
    places = truth["bodies"][chosen.body.name]
    for n, (x, y) in enumerate(zip(places["x_px"], places["y_px"], strict=True)):
        notebook = reading_edits.place_reading(notebook, take_id, body, Reading(n, x, y))
    notebook, _segment = segment_edits.add_segment(
        notebook, take_id, body, of=of, frames=(0, truth["frames"] - 1), model="constant-acceleration"
    )
    name, value = headline(notebook.take(take_id))
    assert name == "acceleration"
    assert float(value) == pytest.approx(chosen.truth["acceleration"], rel=1e-6)
    assert 0 < value.U95 < abs(float(value))


def test_the_pendulum_obeys_its_law():
    """Its small-swing period is 2π√(l/g); damping shrinks the swing as exp(−damping·t)."""
    chosen = set_up("pendulum", {**SMALL, "amplitude_deg": 1.0, "damping": 0.1, "duration": 20})
    t = np.linspace(0, 12, 12001)
    x = chosen.path(t)[:, 0]
    crossings = t[1:][(x[:-1] > 0) & (x[1:] <= 0)]
    assert np.diff(crossings) == pytest.approx(chosen.truth["small_period"], rel=2e-3)
    peaks = x[1:-1][(x[1:-1] > x[:-2]) & (x[1:-1] >= x[2:])]
    assert np.diff(np.log(peaks)) == pytest.approx(-0.1 * chosen.truth["small_period"], abs=5e-3)


def test_noise_and_seed():
    """Sensor noise has the stated size, differs from frame to frame, and comes back with the seed."""
    quiet = next(pictures(set_up("free-fall", {**SMALL, "noise": 0}))).astype(float)
    first, second = (next(pictures(set_up("free-fall", {**SMALL, "noise": 4, "seed": 3}))) for _ in "ab")
    assert np.array_equal(first, second)
    frames = pictures(set_up("free-fall", {**SMALL, "noise": 4, "seed": 3}))
    assert not np.array_equal(next(frames), next(frames))
    bright = quiet.min(axis=2) > 20
    assert np.std((first - quiet)[bright]) == pytest.approx(4, rel=0.05)


def test_scenes_refuse_what_makes_no_sense():
    """An unknown scene or setting, a value out of reach, a puck that would not slide: one sentence each."""
    for name, changes, words in (
        ("roundabout", {}, "There is no scene"),
        ("incline", {"colour": 3}, "no setting"),
        ("incline", {"width": 10}, "between 64 and 4096"),
        ("pendulum", {"rate": math.nan}, "must lie between"),
        ("incline", {"friction": 2}, "would not slide"),
    ):
        with pytest.raises(SceneError, match=words):
            set_up(name, changes)
    assert all(describe(s).endswith(".") and settings_of(s)["g"] == 9.81 for s in SCENES)


def test_a_film_is_whole_or_not_there(tmp_path):
    """Cancelled in the middle, nothing is left behind."""

    def stop(done, _total):
        if done == 5:
            raise Cancelled

    with pytest.raises(Cancelled):
        finished(film.steps(set_up("free-fall", SMALL), tmp_path / "a.mp4", tmp_path / "a.json"), stop)
    assert list(tmp_path.iterdir()) == []
