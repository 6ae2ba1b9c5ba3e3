"""Followed readings in the document: what they have in common, kept, undone, exported, and told."""

import json
import re

import numpy as np
import pytest
from drawn import DrawnBody, DrawnScene
from hypothesis import given
from hypothesis import strategies as st
from made import scaled, with_film, work

from saltus.commands.tabular.segment_table import fit_table
from saltus.core.following.evidence import cut_about, likeness_about
from saltus.core.following.patch import Box
from saltus.core.following.run import Frame, Start
from saltus.core.progress import finished
from saltus.exchange.motion_table import motion_of_take, readings_of_take
from saltus.exchange.sheet import describe
from saltus.exchange.tables import csv_text, parse_table
from saltus.footage.facts import FilmError
from saltus.footage.opening import facts_of
from saltus.jobs import following as following_jobs
from saltus.jobs.following import Steering, follow
from saltus.notebook.changes import changes, made_again
from saltus.notebook.derived.following import counts, doubtful, lost_stretches, renewed_words, why
from saltus.notebook.derived.motion import body_motion, segment_fit
from saltus.notebook.edits import following as edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits.following import Block
from saltus.notebook.films import reference
from saltus.notebook.following import (
    FollowedRun,
    FrameRecord,
    PatchRenewal,
    RecordError,
    RunRecord,
    record_from_rows,
)
from saltus.notebook.model import TakeFacts
from saltus.notebook.readings import Reading, ReadingError, readings_from_rows
from saltus.notebook.storage import NotebookError, as_text, parse
from saltus.session.following import FollowingRun, Wanted, frames_of
from saltus.session.session import Session

COUNT, POST = 50, (130.0, 146.0)
PATH = np.stack([60 + 2.6 * np.arange(COUNT), 80 + 0.02 * np.arange(COUNT) ** 2], axis=1)


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    """A body that passes behind a post."""
    path = tmp_path_factory.mktemp("film") / "puck.mp4"
    scene = DrawnScene((DrawnBody(PATH, size=22, seed=3),), width=320, height=180, posts=(POST,), seed=5)
    scene.film(path, crf=18)
    return path


@pytest.fixture
def begun(film):
    """A notebook with the film and a body; gives it, the take's and the body's ids, and the run that is set up."""
    notebook, take_id = with_film()
    take = notebook.take(take_id).but(film=reference(film), facts=TakeFacts.of(facts_of(film)))
    notebook, body = reading_edits.add_body(notebook.but(takes=(take,)), take_id, "Puck")
    run = FollowingRun(notebook.take(take_id), [wanted(body, 0)], frames_of(0, COUNT - 1))
    return notebook, take_id, body, run


def wanted(body, frame, size=24):
    """The body with a box about its true place."""
    x, y = PATH[frame]
    return Wanted(body, Box(x - size / 2, y - size / 2, size, size), (x, y))


def followed(notebook, run, folder):
    """Do all of a run on a notebook; block by block must lead where the end leads, but for what is settled."""
    notebook = run.begun(notebook)
    blocks = []
    ended = finished(run.steps(folder), take=blocks.append)
    for handed in blocks:
        after = run.frames.index(handed.found.frames[-1]) + 1
        if after < len(run.frames):
            # it is looked for where it will be
            x, y, reach = handed.found.seen.next[0]
            assert np.abs(PATH[run.frames[after]] - (x, y)).max() < reach
        notebook = run.added(notebook, handed)
    return run.ended(notebook, ended)


def test_a_run_becomes_readings_with_what_they_share(begun, film):
    """Found, weak and lost; the patch is common to the run's places and cancels in differences; it is kept."""
    notebook, take_id, body_id, run = begun
    notebook = scaled(followed(notebook, run, film.parent), take_id)
    take = notebook.take(take_id)
    body = take.body(body_id)
    used = body.readings.used
    assert np.hypot(*(np.stack([used.x, used.y], 1) - PATH[used.frame]).T).max() < 0.5
    assert counts(body)["found"] + counts(body)["weak"] + counts(body)["lost"] == COUNT
    assert counts(body)["lost"] == sum(d.frames for d in lost_stretches(body)) > 3
    assert all(why(d) for d in doubtful(take))
    motion = body_motion(take, body)
    ux = body.runs[0].u_common[0] * 1.0 / 500
    apart = motion.x[5] - motion.x[2]
    assert float(motion.x[5].u) ** 2 > motion.x.u_own[5] ** 2 + 0.9 * ux**2
    own = motion.x.u_own[[5, 2]]
    assert apart.u == pytest.approx(np.hypot(*own), rel=0.2)  # the patch and the origin are in neither
    assert parse(as_text(notebook), "n.saltus") == notebook
    told = changes(begun[0], notebook)
    assert made_again(begun[0], json.loads(json.dumps(told))) == notebook
    told = changes(notebook, begun[0])
    assert work(made_again(notebook, json.loads(json.dumps(told)))) == work(begun[0])


def test_tables_and_sheet_say_what_was_followed(begun, film):
    """CSV marks followed and weak, holds run and patch; the segment of its motion is that of the notebook."""
    notebook, take_id, body_id, run = begun
    notebook = scaled(followed(notebook, run, film.parent), take_id)
    notebook, segment = segment_edits.add_segment(notebook, take_id, body_id, of="x", frames=(0, 20))
    take = notebook.take(take_id)
    header, rows = readings_of_take(take)
    assert {row[header.index("status")] for row in rows} <= {"followed", "weak"}
    assert {row[header.index("run")] for row in rows} == {1}
    assert all(row[header.index("u_template(x) [px]")] > 0 for row in rows)
    table = parse_table(csv_text(*motion_of_take(take)), "motion.csv")
    t = float(body_motion(take, take.body(body_id)).t[20])
    ours, theirs = (
        segment_fit(take, take.segment(segment)),
        fit_table(table, ours_model(take, segment), "x", stop=t),
    )
    assert theirs.parameters["velocity"].u == pytest.approx(ours.parameters["velocity"].u, rel=0.1)
    assert float(theirs.parameters["position"]) == pytest.approx(float(ours.parameters["position"]), rel=1e-4)
    assert "followed through the film" in " ".join(describe(notebook, notebook.take(take_id)).method)


def test_what_a_renewed_patch_may_have_drifted_is_common_and_stays(begun):
    """It grows up to each new patch; a run that goes on has what it had there; older files renewed nothing."""
    notebook, take_id, body_id, run = begun
    notebook = scaled(run.begun(notebook), take_id)
    (run_id,) = run.runs.values()
    made = [Reading(n, 100.0 + n, 50.0, 0.1, "followed", "used", 0.1, run_id) for n in range(1, 21)]
    renewals = tuple(PatchRenewal(frame=n, u=(u, 2 * u)) for n, u in ((10, 0.2), (20, 0.3)))
    block = Block(
        run_id, tuple(FrameRecord(r.frame, "found") for r in made), tuple(made), (0.05, 0.05), renewals
    )
    notebook = edits.add_found(notebook, take_id, {body_id: block})
    again = (notebook, take_id, body_id)
    notebook, second = edits.begin_run(
        *again, method="pattern", box=(110, 40, 20, 20), point=(110, 50), start=15, end=25, renewed=False
    )
    more = [Reading(n, 100.0 + n, 50.0, 0.1, "followed", "used", 0.1, second) for n in range(21, 25)]
    block = Block(second, tuple(FrameRecord(r.frame, "found") for r in more), tuple(more), (0.01, 0.01))
    notebook = edits.add_found(notebook, take_id, {body_id: block})
    body = notebook.take(take_id).body(body_id)
    patches = {p.run: p for p in body_motion(notebook.take(take_id), body).patches}
    first = patches[run_id].u_x - body.run(run_id).u_common[0]
    assert first[[4, 9, 14, 19]] == pytest.approx([0.1, 0.2, 0.35, 0.5])
    assert first[20:] == pytest.approx(np.full(4, 0.35))
    assert np.all(patches[second].u_x[:20] == 0)
    assert renewed_words(body, 9) == ""
    assert "renewed 2 times" in renewed_words(body, 20)
    method = " ".join(describe(notebook, notebook.take(take_id)).method)
    told = re.search(r"made anew 2 times; places after that may lie off together by ±\s([\d.]+)\spx", method)
    assert float(told[1]) == pytest.approx(1.96 * 1.05, abs=0.05)
    assert parse(as_text(notebook), "n.saltus") == notebook
    old = json.loads(as_text(notebook))
    old["version"] = 11
    runs = parse(json.dumps(old), "n.saltus").take(take_id).body(body_id).runs
    assert not any(r.renewed for r in runs)


def ours_model(take, segment):
    """The model of a segment."""
    return take.segment(segment).model


def test_a_run_goes_on_from_a_reading_and_hand_stays(begun, film):
    """From a followed reading it shares that one's run; from a hand one it is as unsure as the hand; hand stays."""
    notebook, take_id, body_id, run = begun
    by_hand = Reading(40, 9.0, 9.0)
    notebook = reading_edits.place_reading(notebook, take_id, body_id, by_hand)
    notebook = followed(notebook, run, film.parent)
    body = notebook.take(take_id).body(body_id)
    assert body.readings.at(40) == by_hand
    assert body.runs[0].u_start == (1.0, 1.0)
    second = FollowingRun(notebook.take(take_id), [wanted(body_id, 15)], frames_of(15, 2))
    notebook = followed(notebook, second, film.parent)
    body = notebook.take(take_id).body(body_id)
    assert body.runs[1].after == body.runs[0].id
    motion = body_motion(notebook.take(take_id), body)
    assert {p.run for p in motion.patches} == {r.id for r in body.runs}
    at_5 = int(motion.frames.searchsorted(5))
    assert all(p.u_x[at_5] > 0 for p in motion.patches)
    weak = next(d for d in doubtful(notebook.take(take_id)) if not d.lost)
    taken = edits.decide(notebook, take_id, body_id, weak.frame, use=True)
    assert taken.take(take_id).body(body_id).readings.at(weak.frame).used
    assert not second.goes_on(begun[0])


def test_pausing_stopping_and_a_film_that_goes(begun, film, tmp_path):
    """A stopped run keeps what it has; one whose film is not there says so; a damaged one ends where it is."""
    _notebook, _take, _body, run = begun
    steps = run.steps(film.parent)
    run.begun(begun[0])
    run.steering.pause(on=True)
    for _i in range(3):
        next(steps)
    assert run.steering.waits
    run.steering.pause(on=False)
    ended = finished(steps, take=lambda _handed: (run.steering.taken(), run.steering.stop()))
    assert 1 < len(next(iter(ended.blocks.values())).records) < COUNT
    gone = FollowingRun(
        run.take.but(film=run.take.film.but(name="gone.mp4", sha256="1" * 64)), run.wanted, run.frames
    )
    gone.begun(begun[0])
    with pytest.raises(FilmError):
        finished(gone.steps(tmp_path))
    broken = tmp_path / "broken.mp4"
    data = film.read_bytes()
    start, stop = round(0.4 * len(data)), round(0.8 * len(data))
    broken.write_bytes(data[:start] + bytes(stop - start) + data[stop:])
    outcome = finished(
        follow.steps(broken, facts_of(film), facts_of(film).times, run.frames, starts_of(run), Steering())
    )
    assert outcome.broke_off
    assert 1 <= len(outcome.bodies[0].frames) < COUNT


def starts_of(run):
    """What a run begins with."""
    return tuple(Start(w.body, w.box, w.method, w.point) for w in run.wanted)


def test_records_from_elsewhere_are_checked(begun):
    """Rows that are none, runs that are not there, chains that go round: refused with the notebook."""
    notebook, _take_id, _body_id, _run = begun
    for rows in ([[0, "found"]], [[0, "seen", 1, [], None, None]], [[5, "found", 1, [], None, None]] * 2,
                 [[0, "found", 7, [], None, None]], [[0, "weak", 1, ["x" * 99], None, None]], 5):  # fmt: skip
        with pytest.raises(RecordError):
            record_from_rows(rows)
    data = json.loads(as_text(notebook))
    body = data["takes"][0]["bodies"][0]
    body["readings"] = [[0, 1.0, 1.0, 0.1, "followed", "used", 0.1, "run-9"]]
    with pytest.raises(NotebookError):
        parse(json.dumps(data), "n.saltus")
    body["readings"] = []
    body["runs"] = [FollowedRun(id="run-1", method="auto", box=(0, 0, 5, 5), point=(2, 2), start=0, end=5, after="run-1").model_dump(mode="json")]  # fmt: skip
    with pytest.raises(NotebookError):
        parse(json.dumps(data), "n.saltus")


def test_a_session_takes_a_run_as_one_step(begun, film, monkeypatch, tmp_path):
    """Block by block under one name: one undo takes all of it back."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    notebook, _take, _body, run = begun
    session = Session()
    session.start(notebook, film.with_name("n.saltus"))
    session.edit("follow", run.begun(session.notebook), "follow/1")
    ended = finished(
        run.steps(film.parent),
        take=lambda h: session.edit("follow", run.added(session.notebook, h), "follow/1"),
    )
    session.edit("follow", run.ended(session.notebook, ended), "follow/1")
    session.undo()
    assert work(session.notebook) == work(notebook)
    session.close()


def test_what_shows_how_sure_a_place_is():
    """The cut stands still about places between pixels; the surface is highest at the place, less elsewhere."""
    scene = DrawnScene(
        (DrawnBody(PATH[:2] + 0.37, size=22, seed=3),), width=320, height=180, seed=5, noise=0.5
    )
    first, second = scene.pictures()
    cuts = [cut_about(p, *PATH[i] + 0.37, 21).astype(float) for i, p in enumerate((first, second))]
    assert np.abs(cuts[0] - cuts[1]).mean() < 4
    surface = likeness_about(second, cut_about(first, *(PATH[0] + 0.37), 21), *(PATH[1] + 0.37))
    middle = surface.likeness[surface.reach, surface.reach]
    assert middle == surface.likeness.max() > 0.97
    assert surface.second is None or surface.second[2] < middle - 0.2


ROWS = st.dictionaries(
    st.integers(0, 30),
    st.tuples(st.sampled_from(["found", "weak", "lost"]), st.none() | st.floats(-1, 1), st.lists(st.sampled_from(["jump", "edge"]), max_size=2)),
)  # fmt: skip


def record(rows):
    """A record of rows by frame."""
    return RunRecord(FrameRecord(n, *rows[n][:2], tuple(rows[n][2])) for n in sorted(rows))


@given(before=ROWS, after=ROWS)
def test_records_of_runs_lead_from_one_to_the_other(before, after):
    """What is different between two records, made again on the first, is the second; files give them back."""
    one, other = record(before), record(after)
    placed, gone = other.differences(one)
    assert one.with_differences(placed, gone) == other
    assert {row.frame for row in placed} | set(gone) <= before.keys() | after.keys()
    assert record_from_rows(json.loads(json.dumps(other.as_rows()))) == other
    merged = one.with_rows(other)
    assert {row.frame for row in merged} == before.keys() | after.keys()
    assert all(merged.at(n) == other.at(n) for n in after)
    assert merged.last_frame == max([*before, *after], default=-1)


@given(
    first=st.integers(0, 200), last=st.integers(0, 200), every=st.integers(1, 20),
    left_out=st.sets(st.integers(0, 200), max_size=20),
)  # fmt: skip
def test_frames_go_from_the_first_to_the_last(first, last, every, left_out):
    """In order, forwards or backwards, by the step, without repeats, never beyond the last."""
    frames = frames_of(first, last, every, left_out)
    assert frames[0] == first
    assert not (left_out - {first}) & set(frames)
    steps = np.diff(frames)
    assert (steps > 0).all() if last >= first else (steps < 0).all()
    assert all((n - first) % every == 0 for n in frames)
    assert min(first, last) <= min(frames)
    assert max(frames) <= max(first, last)


def test_only_hand_readings_survive_a_second_run(begun, film):
    """Where a later run does not see the body, what an earlier one followed there goes; what a hand placed stays."""
    notebook, take_id, body_id, run = begun
    notebook = followed(notebook, run, film.parent)
    body = notebook.take(take_id).body(body_id)
    moved = body.readings.at(6).but(origin="hand", u=None, u_y=None, run=None, x=1.0)
    notebook = reading_edits.place_reading(notebook, take_id, body_id, moved)
    notebook, run_id = edits.begin_run(
        notebook,
        take_id,
        body_id,
        method="pattern",
        box=(0.0, 0.0, 9.0, 9.0),
        point=(4.0, 4.0),
        start=2,
        end=8,
    )
    seen = tuple(FrameRecord(n, "lost") for n in range(3, 9))
    block = edits.Block(run_id, seen, (), None)
    body = edits.add_found(notebook, take_id, {body_id: block}).take(take_id).body(body_id)
    assert body.readings.at(6) == moved
    assert all(body.readings.at(n) is None for n in (3, 4, 5, 7, 8))
    assert body.readings.at(2) is not None
    assert lost_stretches(body)[0].frame == 3
    gone = edits.add_found(notebook, take_id, {"body-99": block, body_id: edits.Block("run-99", seen, ())})
    assert gone == notebook


def test_reading_rows_hold_what_following_says():
    """A run belongs to followed readings, an uncertainty downwards to one to the right; columns know both."""
    for wrong in (
        {"run": "run-1"},
        {"u_y": 0.1},
        {"origin": "guessed"},
        {"status": "fine"},
        {"u": 0.1, "u_y": -1.0},
    ):
        with pytest.raises(ReadingError):
            Reading(3, 1.0, 2.0, **wrong)
    rows = [[1, 5.0, 6.0, 0.1, "followed", "used", 0.2, "run-1"], [2, 5.0, 6.0, 0.1, "followed", "weak", None, "run-1"],
            [3, 5.0, 6.0, None, "hand", "used", None, None]]  # fmt: skip
    readings = readings_from_rows(rows)
    assert readings.as_rows() == rows
    assert [json.loads(line) for line in readings.as_lines().splitlines()] == rows
    used = readings.used
    assert used.frame.tolist() == [1, 3]
    assert used.run.tolist() == ["run-1", ""]
    assert used.u_y[0] == 0.2
    assert np.isnan(used.u_x[1])
    assert readings.runs == {"run-1"}
    assert used.only(used.run == "").frame.tolist() == [3]
    for row in (
        [1, 2, 3, 0.1, "followed", "used", 0.2, "RUN 1"],
        [1, 2, 3, "a", "hand", "used", None, None],
        [1, 2, 3],
    ):
        with pytest.raises(ReadingError):
            readings_from_rows([row])


def test_what_is_found_is_handed_on_no_oftener_than_it_can_be_shown(monkeypatch):
    """Ten times a second at the most; the longer it takes to be shown, the rarer; nothing is handed on twice."""
    now = [100.0]
    monkeypatch.setattr(following_jobs.time, "monotonic", lambda: now[0])
    block = following_jobs._Block((), None, watched=False)
    frame = Frame(7, 0.1, np.zeros((2, 2), np.uint8), lambda: None)
    block.add(frame, ())
    assert not block.due
    now[0] += following_jobs.HANDED_ON_S
    assert block.due
    assert block.handed_on(0.01).frames == (7,)
    assert not block.frames
    block.begin_after(0.0)
    now[0] += following_jobs.HANDED_ON_S
    assert block.due
    block.begin_after(0.1)
    now[0] += 0.25
    assert not block.due
    now[0] += 0.1
    assert block.due
