"""Many films of one set-up: what is found against what was filmed, and what is told of films that do not belong."""

import contextlib
import io
import json
import math

import cv2
import made
import numpy as np
import pytest
from clips import encode, plain_decode
from filmed import covered
from made import RATE

from saltus.commands.main import run
from saltus.core.following.elsewhere import Known, found_together
from saltus.core.following.fixed_scene import scene_shift
from saltus.core.following.patch import Box
from saltus.core.progress import Partial, Progress, finished
from saltus.core.quantities import exact
from saltus.jobs.batch import TemplateError, follow_films, require_template
from saltus.jobs.following import Steering
from saltus.notebook.derived.frame_clock import clock_of
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.like_template import stretches_like
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.edits import before_after as event_edits
from saltus.notebook.edits import following as following_edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.edits.like_template import parts_like, take_like
from saltus.notebook.model import Notebook
from saltus.notebook.readings import Reading, Readings
from saltus.notebook.storage import load, parse, save
from saltus.session.batch import all_taken_in, batch
from saltus.simulate.demo_runs import prepared, run_films, scene_of

KEYS = {"film", "bodies", "results", "problem"}
QUANTITY = {"value", "u", "U95", "k", "dof", "unit", "text"}


def laid(move, size=(480, 270)):
    """What moves a picture as a 2 × 3 matrix says."""
    matrix = np.array(move, dtype=float)
    return lambda picture: cv2.warpAffine(picture, matrix, size, borderMode=cv2.BORDER_REFLECT)


def filmed_again(source, target, change, frames=slice(None)):
    """The pictures of a film, changed, as another of the same rate."""
    pictures = [np.ascontiguousarray(change(p)) for p, _pts, _base in plain_decode(source)[frames]]
    encode(target, pictures, options={"crf": "18"}, ticks=[512 * i for i in range(len(pictures))],
           base=made.Fraction(1, 512 * 60))  # fmt: skip


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Four runs of the demo and films that do not belong to them."""
    here = tmp_path_factory.mktemp("films")
    paths = run_films()
    for n in (0, 3, 6, 9):
        (here / paths[n].name).write_bytes(paths[n].read_bytes())
    second = paths[3]
    (here / "again.mp4").write_bytes(paths[9].read_bytes())
    filmed_again(second, here / "moved.mp4", laid([[1, 0, 9], [0, 1, 4]]))
    filmed_again(second, here / "far.mp4", laid([[1, 0, 60], [0, 1, -25]]))
    filmed_again(second, here / "small.mp4", lambda p: p[:240, :400])
    filmed_again(second, here / "bright.mp4", lambda p: cv2.convertScaleAbs(p, alpha=1.2, beta=10))
    rng = np.random.default_rng(3)
    other = cv2.resize(rng.integers(0, 255, (34, 60, 3), dtype=np.uint8), (480, 270))
    filmed_again(second, here / "other.mp4", lambda _p: other)
    last = plain_decode(second)[-1][0]
    covered_up = plain_decode(second)[0][0].copy()
    covered_up[130:170, 60:110] = last[130:170, 60:110]
    filmed_again(second, here / "nobody.mp4", lambda _p: covered_up)
    slow = [p for p, _pts, _base in plain_decode(second)]
    encode(here / "slow.mp4", slow)
    (here / "torn.mp4").write_bytes(second.read_bytes()[:6000])
    (here / "text.mp4").write_text("no film")
    (here / "notes.txt").write_text("not looked at")
    return here


@pytest.fixture(scope="module")
def template(tmp_path_factory):
    """The notebook of the demo with its first film as a template and a table that waits."""
    notebook, _take = prepared(run_films())
    path = tmp_path_factory.mktemp("template") / "template.saltus"
    save(notebook, path)
    first = run_films()[0]
    path.with_name(first.name).write_bytes(first.read_bytes())
    return path


@pytest.fixture(scope="module")
def lines_of(folder, template, tmp_path_factory):
    """What the command says of the folder, by film, and the notebook it writes."""
    out, said = tmp_path_factory.mktemp("out") / "all.saltus", io.StringIO()
    with pytest.raises(SystemExit) as left, contextlib.redirect_stdout(said):
        run(["batch", str(folder), "--template", str(template), "-o", str(out), "--json"])
    assert left.value.code == 0
    lines = [json.loads(line, parse_constant=pytest.fail) for line in said.getvalue().splitlines()]
    assert [one["film"] for one in lines] == sorted(p.name for p in folder.glob("*.mp4"))
    return {one["film"]: one for one in lines}, load(out)


def test_each_film_is_followed_and_its_result_holds(lines_of):
    """Accelerations within their intervals, whatever the moment the puck was let go; counts of frames."""
    lines, _notebook = lines_of
    for name, number in (("run-01.mp4", 0), ("run-04.mp4", 3), ("run-07.mp4", 6), ("again.mp4", 9)):
        line, truth = lines[name], scene_of(number).truth["acceleration"]
        assert set(line) == KEYS
        assert line["problem"] is None
        assert line["bodies"] == {"Felt puck": {"found": 60, "weak": 0, "lost": 0}}
        q = line["results"]["acceleration"]
        assert set(q) == QUANTITY
        assert abs(q["value"] - truth) <= q["U95"]
        assert q["U95"] < 0.03 * truth
    assert lines["bright.mp4"]["problem"] is None


PROBLEMS = {
    "moved.mp4": "moved by 9",
    "far.mp4": "moved by 6",
    "small.mp4": "400 × 240",
    "other.mp4": "another scene",
    "nobody.mp4": "“Felt puck” is not seen",
    "slow.mp4": "30 frames a second, the template 60",
    "run-10.mp4": "the same film as again.mp4",
    "torn.mp4": "damaged",
    "text.mp4": "not a film",
}


@pytest.mark.parametrize("name", PROBLEMS)
def test_what_does_not_belong_is_told_in_a_sentence(lines_of, name):
    """One sentence each, nothing measured; the others go on."""
    line = lines_of[0][name]
    assert PROBLEMS[name] in line["problem"]
    assert name in line["problem"] or name == "run-10.mp4"
    assert (line["bodies"], line["results"]) == ({}, {})
    assert "\n" not in line["problem"]


def test_the_notebook_has_a_take_and_a_row_for_each(lines_of):
    """Takes in the order of names; each fills the row of its place, those of failed films stay empty; what is common stays common."""
    _lines, notebook = lines_of
    assert [t.film.name for t in notebook.takes] == [
        "run-01.mp4", "again.mp4", "bright.mp4", "run-04.mp4", "run-07.mp4",
    ]  # fmt: skip
    first, *others = notebook.takes
    assert all(t.camera == first.id for t in others)
    assert all(t.reference == first.reference and t.axes == first.axes for t in others)
    filled = [t for t in notebook.trials.trials if t.links]
    assert [t.links["acceleration"].source for t in filled] == [t.id for t in notebook.takes]
    assert [t.cells["slope"] for t in filled] == ["13", "13", "15", "19", "21"]
    assert parse(json.dumps(json.loads(notebook.model_dump_json())), "again.saltus") == notebook
    results = [segment_fit(t, t.segments[0]).parameters["acceleration"] for t in notebook.takes]
    ratio = results[1] / results[3]
    whole, scale = float(ratio.u) / float(ratio), mapping_of(first).u_relative
    assert whole < scale * math.sqrt(2)
    mean = sum(results[1:], results[0]) * (1 / len(results))
    assert float(mean.u_from("scale")) == pytest.approx(float(mean) * scale, rel=0.01)


def test_bad_input_to_a_batch(saltus, tmp_path, template, folder):
    """No folder, no films, a template without boxes, an output that is read: exit code 2; all bad films: 1."""
    empty = tmp_path / "empty"
    empty.mkdir()
    bare = tmp_path / "bare.saltus"
    save(made.measured(12)[0], bare)
    out = tmp_path / "o.saltus"
    for words, told in (
        ((tmp_path / "nowhere", "--template", template), "not a folder"),
        ((empty, "--template", template), "no films"),
        ((folder, "--template", bare), "not here"),
        ((folder, "--template", tmp_path / "gone.saltus"), "gone.saltus"),
    ):
        code, shown, err = saltus("batch", *words, "-o", out)
        assert (code, shown) == (2, "")
        assert told in err
        assert len(err.splitlines()) == 1
    code, _shown, err = saltus("batch", folder, "--template", template, "-o", template)
    assert code == 2
    assert "choose another name" in err
    (empty / "text.mp4").write_text("no film")
    code, shown, _err = saltus("batch", empty, "--template", template, "-o", out)
    assert code == 1
    assert shown.startswith("text.mp4: ")
    assert len(load(out).takes) == 1


def test_a_batch_is_stopped_and_keeps_what_is_done():
    """Stopped at the first film that is done, the films after it say so and nothing of them is taken in."""
    paths = run_films()[:6]
    notebook, take_id = prepared(paths)
    steering, seen = Steering(), []
    steps = batch(notebook, take_id, None, paths, steering=steering)
    try:
        while True:
            step = next(steps)
            if isinstance(step, Partial):
                seen.append(step.value.number)
                steering.stop()
            else:
                assert isinstance(step, Progress)
    except StopIteration as end:
        outcome = end.value
    stopped = [line for line in outcome.lines if "stopped" in line.problem]
    assert stopped
    assert len(outcome.notebook.takes) == 1 + sum(
        line.take is not None and line.take != take_id for line in outcome.lines
    )
    assert outcome.before is notebook


def test_a_notebook_of_others_that_counts_no_ids_can_be_a_template():
    """Without the note of ids that were given, a new run does not take the name of one that is there."""
    notebook, take_id = prepared(run_films()[:1])
    notebook = notebook.but(last_ids={})
    body = notebook.take(take_id).bodies[0]
    again, run_id = following_edits.begin_run(
        notebook, take_id, body.id, method="pattern", box=(9, 9, 9, 9), point=(14, 14), start=0, end=9
    )
    assert run_id not in {r.id for r in body.runs}
    assert len(again.take(take_id).bodies[0].runs) == 2


def test_what_a_template_must_have():
    """Bodies, each with a box, all from one frame."""
    notebook, take_id, body, _segment = made.measured(12)
    with pytest.raises(TemplateError, match="Cart"):
        require_template(notebook.take(take_id))
    with pytest.raises(TemplateError, match="no bodies"):
        require_template(made.with_film()[0].takes[0])
    box = {"method": "pattern", "box": (10, 10, 8, 8), "point": (14, 14), "end": 11}
    notebook, _run = following_edits.begin_run(notebook, take_id, body, start=0, **box)
    require_template(notebook.take(take_id))
    notebook, other = reading_edits.add_body(notebook, take_id, "Other")
    notebook, _run = following_edits.begin_run(notebook, take_id, other, start=3, **box)
    with pytest.raises(TemplateError, match="different frames"):
        require_template(notebook.take(take_id))
    with pytest.raises(TemplateError):
        finished(follow_films.steps(notebook.take(take_id), run_films()[0], run_films()))


# -- the fixed scene and the body in it ------------------------------------------------------------------


def scene(seed=1, size=(360, 640)):
    """Patches of many shades, smooth as a lens leaves them."""
    rng = np.random.default_rng(seed)
    rough = rng.integers(40, 210, (size[0] // 12, size[1] // 12), dtype=np.uint8)
    return cv2.GaussianBlur(cv2.resize(rough, size[::-1], interpolation=cv2.INTER_NEAREST), (0, 0), 1.5)


def noisy(picture, seed, sd=2.0):
    """The picture as a camera would see it."""
    rng = np.random.default_rng(seed)
    return np.clip(picture + rng.normal(0, sd, picture.shape), 0, 255).astype(np.uint8)


@pytest.mark.parametrize(
    ("move", "moved"),
    [
        ([[1, 0, 0], [0, 1, 0]], 0.0),
        ([[1, 0, 0.5], [0, 1, 0.3]], math.hypot(0.5, 0.3)),
        ([[1, 0, 7.2], [0, 1, -3.1]], math.hypot(7.2, 3.1)),
        ([[1, 0, 84], [0, 1, 30]], math.hypot(84, 30)),
        ([[1.02, 0, 0], [0, 1.02, 0]], 0.02 * math.hypot(640, 360)),
        ([[math.cos(0.02), -math.sin(0.02), 0], [math.sin(0.02), math.cos(0.02), 0]], 0.02 * math.hypot(640, 360)),
    ],
)  # fmt: skip
def test_how_far_a_camera_moved(move, moved):
    """Shifts to a tenth of a pixel, enlargement and turn by what they do at the farthest corner."""
    first = scene()
    second = cv2.warpAffine(first, np.array(move, dtype=float), (640, 360), borderMode=cv2.BORDER_REFLECT)
    found = scene_shift(noisy(first, 1), noisy(second, 2))
    assert found.same
    assert found.moved_px == pytest.approx(moved, abs=0.15 + 0.01 * moved)


def test_bodies_do_not_count_as_the_scene_and_a_blank_wall_tells_nothing():
    """A large body that moves is left out; another scene is one; nothing marked is not told."""
    first, second = scene(), scene()
    for picture, x in ((first, 60), (second, 300)):
        cv2.rectangle(picture, (x, 60), (x + 200, 300), 250, -1)
    found = scene_shift(noisy(first, 1), noisy(second, 2), [Box(40, 40, 500, 280)])
    assert found.same
    assert found.moved_px < 0.2
    assert scene_shift(noisy(scene(1), 1), noisy(scene(2), 2)).same is False
    blank = np.full((360, 640), 90, dtype=np.uint8)
    assert scene_shift(noisy(blank, 1), noisy(blank, 2)).same is None


def with_balls(*places):
    """The scene with marked balls at places of fractions of a pixel, as a lens leaves them."""
    picture, shift = scene(), 4
    for x, y in places:
        at = (round(x * 2**shift), round(y * 2**shift))
        cv2.circle(picture, at, 14 << shift, 235, -1, cv2.LINE_AA, shift)
        cv2.circle(picture, (at[0] + (4 << shift), at[1]), 4 << shift, 30, -1, cv2.LINE_AA, shift)
    return cv2.GaussianBlur(picture, (0, 0), 0.8)


def test_a_body_is_found_in_another_film():
    """To a fraction of a pixel wherever it is; the nearer of two alike; not at all where it is not."""

    def found_in(grey):
        return found_together([known], grey, cv2.cvtColor(grey, cv2.COLOR_GRAY2RGB))[0]

    first = noisy(with_balls((200, 150)), 1)
    known = Known(first, cv2.cvtColor(first, cv2.COLOR_GRAY2RGB), Box(184, 134, 32, 32), (200, 150))
    for seed, (x, y) in enumerate([(200.3, 150.6), (411.2, 88.7), (61.5, 302.4)]):
        found = found_in(noisy(with_balls((x, y)), 5 + seed))
        assert math.hypot(found.point[0] - x, found.point[1] - y) < 0.25
        assert found.box.width == 32
        assert 0 < max(found.u) < 0.5
    found = found_in(noisy(with_balls((215, 160), (470, 240)), 9))
    assert math.hypot(found.point[0] - 215, found.point[1] - 160) < 0.5
    assert found_in(noisy(with_balls((420, 60), (470, 240)), 9)) is None
    assert found_in(noisy(scene(), 7)) is None


# -- what a take gets of the template --------------------------------------------------------------------


def read_with(values, notebook=None, *, u_px=0.1):
    """A take whose body is read at values along x, m; gives notebook, take and body."""
    notebook, take_id = made.with_film(notebook, frames=len(values))
    if len(notebook.takes) == 1:
        notebook = made.scaled(notebook, take_id)
    notebook, body = reading_edits.add_body(notebook, take_id, "Cart")
    rows = Readings([Reading(n, 50 + 500 * float(x), 200.0) for n, x in enumerate(values)])
    take = notebook.take(take_id)
    take = take.but(bodies=(take.body(body).but(readings=rows, u_px=u_px),))
    return take_edits.with_take(notebook, take), take_id, body


def released(at, acceleration, frames=80, seed=0, stop=None):
    """At rest until a frame, then constant acceleration, then still where it stops; noise of 0.1 px."""
    t = np.arange(frames) / RATE
    since = np.clip(t - at / RATE, 0, None if stop is None else (stop - at) / RATE)
    return 0.5 * acceleration * since**2 + np.random.default_rng(seed).normal(0, 0.0002, frames)


@pytest.mark.parametrize(("at", "acceleration", "stop"), [(10, 0.3, 70), (25, 0.5, 60), (33, 0.25, 78)])
def test_a_stretch_goes_with_the_motion(at, acceleration, stop):
    """Let go later, faster, stopped earlier: rest and run are found again within a few frames, never beyond."""
    notebook, template, body = read_with(released(10, 0.3, stop=70))
    for frames, model in (((0, 9), "rest"), ((12, 69), "constant-acceleration")):
        notebook, _id = segment_edits.add_segment(
            notebook, template, body, of="x", frames=frames, model=model
        )
    notebook, take, other = read_with(released(at, acceleration, seed=at, stop=stop), notebook)
    first, last = notebook.take(template), notebook.take(take)
    found = stretches_like(first, last, {body: other})
    rest, run = (found[s.id] for s in first.segments)
    assert rest[0] == 0
    assert 8 <= rest[1] <= at + 3
    assert at - 1 <= run[0] <= at + 8
    assert stop - 4 <= run[1] <= stop


def test_a_template_that_was_not_read_through_keeps_to_one_piece():
    """Typed frames that reach into the rest of another film stop where its motion changes."""
    notebook, template, body = read_with(released(10, 0.3))
    bare = notebook.take(template).but(bodies=(notebook.take(template).bodies[0].but(readings=Readings()),))
    notebook = take_edits.with_take(notebook, bare)
    notebook, segment = segment_edits.add_segment(
        notebook, template, body, of="x", frames=(12, 79), model="constant-acceleration"
    )
    notebook, take, other = read_with(released(28, 0.5, seed=2), notebook)
    first, last = stretches_like(notebook.take(template), notebook.take(take), {body: other})[segment]
    assert 27 <= first <= 34
    assert last == 79


def test_no_stretch_is_made_up():
    """A body that never moved has no run; one read in two frames has nothing."""
    notebook, template, body = read_with(released(10, 0.3))
    notebook, _id = segment_edits.add_segment(
        notebook, template, body, of="x", frames=(12, 79), model="constant-acceleration"
    )
    still, take, other = read_with(released(300, 0.3, seed=5), notebook)
    assert stretches_like(still.take(template), still.take(take), {body: other}) == {}
    few, take, other = read_with(released(10, 0.3)[:3], notebook)
    assert stretches_like(few.take(template), few.take(take), {body: other}) == {}


def test_swings_keep_their_stretch_and_gates_and_events_go_along():
    """What is no piece of constant acceleration keeps its frames; ids are new and lead to the new parts."""
    t = np.arange(90) / RATE
    notebook, template, body = read_with(0.2 * np.cos(5 * t))
    notebook, swing = segment_edits.add_segment(
        notebook, template, body, of="x", frames=(0, 89), model="oscillation"
    )
    notebook, count = timing_edits.add_count(
        notebook, template, how="readings", name="Cart", body=body, of="x"
    )
    notebook, gates = timing_edits.add_gates(notebook, template, body=body, of="x", place=(100.0, 200.0))
    notebook, marked = timing_edits.add_count(notebook, template, how="frames", name="seen", frames=(1, 9))
    notebook, event = event_edits.add_event(
        notebook, template, name="turn", of="x", sides=({"body": body, "before": swing, "after": swing},)
    )
    first = notebook.take(template)
    made_of, take, bodies = take_like(
        notebook, first, first.film.but(sha256="1" * 64), first.facts.film_facts()
    )
    made_of = take_edits.with_take(
        made_of,
        made_of.take(take).but(
            bodies=tuple(b.but(readings=first.bodies[0].readings) for b in made_of.take(take).bodies)
        ),
    )
    stretches = stretches_like(first, made_of.take(take), bodies)
    assert stretches == {swing: (0, 89)}
    made_of, ids = parts_like(made_of, first, take, bodies, stretches)
    like = made_of.take(take)
    assert set(ids) == {swing, count, gates, event}
    assert marked not in ids
    assert like.headline == ids[swing]
    assert like.events[0].sides[0].before == ids[swing]
    assert like.timing.gates[0].body == like.timing.counts[0].body == bodies[body]
    names = [first.id, take, *ids, *ids.values(), *bodies, *bodies.values()]
    assert len(set(names)) == len(names)


def test_takes_of_one_camera_share_scale_and_clock():
    """An edit of one holds for all of its camera and for no other; the rate is one source."""
    notebook, template, _body = read_with(released(10, 0.3))
    first = notebook.take(template)
    notebook, like, _bodies = take_like(
        notebook, first, first.film.but(sha256="1" * 64), first.facts.film_facts()
    )
    notebook, apart = made.with_film(notebook)
    notebook = scale_edits.place_origin(notebook, like, (70.0, 80.0))
    notebook = take_edits.set_clock(notebook, template, 240.0, 1.0)
    for take_id in (template, like):
        take = notebook.take(take_id)
        assert take.axes.origin == (70.0, 80.0)
        assert take.capture_rate == 240.0
    assert notebook.take(apart).axes is None
    assert notebook.take(apart).capture_rate is None
    alone = take_edits.apart(notebook, like)
    alone = scale_edits.place_origin(alone, like, (1.0, 2.0))
    assert alone.take(template).axes.origin == (70.0, 80.0)
    assert take_edits.takes_of_camera(alone, alone.take(template)) == []
    assert (
        mapping_of(alone.take(like)).place(1.0, 1.0)[0].shares.keys()
        != mapping_of(notebook.take(like)).place(1.0, 1.0)[0].shares.keys()
    )
    clocks = [clock_of(notebook.take(t)).rate_source for t in (template, like, apart)]
    assert clocks[0] == clocks[1] != clocks[2]
    scales = [mapping_of(notebook.take(t)).scale for t in (template, like)]
    assert float((scales[0] / scales[1]).u) == 0
    places = [mapping_of(notebook.take(t)).place(100.0, 100.0)[0] for t in (template, like)]
    assert float((places[0] - places[1]).u) == 0
    assert covered(places[0] - places[1] + exact(0.0, places[0].unit), 0.0)


def test_rows_for_takes_of_a_batch():
    """What is varied stays empty unless all repeat it; other cells are copied; rows that wait come first."""
    paths = run_films()[:3]
    notebook, take_id = prepared(paths)
    done = finished(follow_films.steps(notebook.take(take_id), paths[0], paths))
    table = notebook.trials
    notebook = trial_edits.change_table(notebook, trials=table.trials[:2])
    for repeats, slope in ((False, None), (True, "13")):
        made_of = finished(all_taken_in(notebook, take_id, done, repeats=repeats)).notebook
        cells = [t.cells for t in made_of.trials.trials]
        assert len(cells) == 3
        assert [c.get("slope") for c in cells] == ["13", "13", slope]
        assert all(c["acceleration"].endswith("m/s^2") for c in cells[1:])
    assert isinstance(made_of, Notebook)
