"""Nothing lost: the journal survives SIGKILL at any moment, two writers are kept apart, older files open."""

import json
import os
import random
import signal
import time

import made
import pytest

from saltus.notebook import journal as journal_module
from saltus.notebook.changes import changes, made_again
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.journal import Journal
from saltus.notebook.model import VERSION, Notebook
from saltus.notebook.readings import Reading
from saltus.notebook.recovery import left_behind
from saltus.notebook.sharing import NotebookLock, digest, lock_file
from saltus.notebook.storage import (
    ChangedMeanwhileError,
    NotebookError,
    as_text,
    load,
    open_file,
    parse,
    save,
)

KILLS = 300
FRAMES = 997


def nth_edit(notebook, k):
    """The notebook after edit number k: a reading placed or taken away, and k in the remarks."""
    take = notebook.takes[0]
    body = take.bodies[0].id
    if k % 10 == 9:
        notebook = reading_edits.delete_reading(notebook, take.id, body, (k - 4) * 7 % FRAMES)
    else:
        notebook = reading_edits.place_reading(
            notebook, take.id, body, Reading(k * 7 % FRAMES, float(k % 600), 1.0)
        )
    return take_edits.set_remarks(notebook, str(k))


def expected(k):
    """Readings after k edits, worked out without the notebook."""
    rows = {}
    for n in range(1, k + 1):
        if n % 10 == 9:
            rows.pop((n - 4) * 7 % FRAMES, None)
        else:
            rows[n * 7 % FRAMES] = float(n % 600)
    return rows


def work(folder, path, told):
    """The life of a process that edits, saves and recovers until it is killed."""
    lost = left_behind(folder)
    journal = Journal(folder)
    if lost:
        # the one that went on longest; a journal may have been replaced just when the process was killed
        best = max(lost, key=lambda left: int(left.notebook.remarks or 0))
        notebook = best.notebook
        journal.follow(notebook, path, unsaved=True)
        for left in lost:
            left.forget()
    else:
        notebook = load(path)
        journal.follow(notebook, path)
    k = int(notebook.remarks or 0)
    os.write(told, b"R%d\n" % k)
    rng = random.Random(k)
    while True:
        k += 1
        notebook = nth_edit(notebook, k)
        journal.note("edit", notebook)
        os.write(told, b"%d\n" % k)
        if rng.random() < 0.03:
            save(notebook, path)
            journal.follow(notebook, path)
        if rng.random() < 0.3:
            time.sleep(0.001)


def test_killed_at_any_moment_nothing_is_lost(tmp_path, monkeypatch):
    """300 times SIGKILL while editing, saving or recovering: every edit that was made is there again."""
    # small enough for the journal to start over now and then
    monkeypatch.setattr(journal_module, "GROWN", 20_000)
    notebook, take = made.with_film(frames=FRAMES)
    notebook, _body = reading_edits.add_body(notebook, take, "Bob")
    path, folder = tmp_path / "n.saltus", tmp_path / "journals"
    save(notebook, path)
    rng, last, recovered, lost = random.Random(1), 0, 0, 0
    for _kill in range(KILLS):
        hear, told = os.pipe()
        child = os.fork()
        if child == 0:
            try:
                work(folder, path, told)
            finally:
                os._exit(1)
        os.close(told)
        first = b""
        if rng.random() < 0.7:
            # it has recovered: from here on it edits and saves; the others may be killed while recovering
            first = os.read(hear, 1)
        time.sleep(rng.choice([0, 0.002, 0.01, 0.03]) * rng.random() * 2)
        os.kill(child, signal.SIGKILL)
        assert os.waitpid(child, 0)[1] == signal.SIGKILL
        with os.fdopen(hear) as pipe:
            said = (first.decode() + pipe.read()).split("\n")[:-1]
        if not said:
            continue
        assert said[0][0] == "R"
        recovered += 1
        lost += max(0, last - int(said[0][1:]))
        last = int(said[-1].lstrip("R"))
    assert lost == 0
    assert recovered > KILLS / 2
    left = left_behind(folder)
    final = max([load(path), *(one.notebook for one in left)], key=lambda n: int(n.remarks or 0))
    assert int(final.remarks) >= last
    for one in left:
        one.release()
    readings = final.takes[0].bodies[0].readings
    assert {r.frame: r.x for r in readings} == expected(int(final.remarks))
    assert last > 500


def test_changes_lead_from_one_notebook_to_the_next():
    """Any edit can be written down as JSON and made again; a reading moved among many is one short line."""
    notebook, take, body, segment = made.measured(400)
    for after in (
        reading_edits.place_reading(notebook, take, body, Reading(33, 1.0, 2.0)),
        reading_edits.delete_reading(notebook, take, body, 399),
        reading_edits.add_body(notebook, take, "Second")[0],
        reading_edits.remove_body(notebook, take, body),
        segment_edits.change_segment(notebook, take, segment, model="rest", first=3),
        take_edits.set_clock(notebook, take, 240.0, 0.1),
        take_edits.remove_take(notebook, take),
        made.with_film(notebook)[0],
        made.scaled(notebook, take, 0.4),
        notebook.but(takes=(notebook.takes[0].but(kept=(3, 200)),), title="Ünï"),
    ):
        for a, b in ((notebook, after), (after, notebook)):
            written = json.loads(json.dumps(changes(a, b)))
            assert made_again(a, written) == b
    moved = reading_edits.place_reading(notebook, take, body, Reading(33, 1.0, 2.0))
    assert len(json.dumps(changes(notebook, moved))) < 200
    assert changes(notebook, notebook) == {}
    for wrong in ([1], {"fields": {"takes": {"items": {"9": {"set": 1}}}}}, {"fields": {"colour": {"set": 1}}},
                  {"fields": {"title": {"set": 7}}}, {"fields": {"title": {"rows": [], "gone": []}}},
                  {"set": {}}, {"fields": {"takes": {"items": {"0": {"fields": {"bodies": {"set": []}}}}}}}):  # fmt: skip
        with pytest.raises(ValueError, match=r".+"):
            made_again(notebook, wrong)


def test_a_torn_or_foreign_journal_gives_what_is_whole(tmp_path):
    """Whatever bytes follow the last whole line are left out; what is no journal is cleared away."""
    notebook, take, body, _segment = made.measured(6)
    journal = Journal(tmp_path)
    journal.follow(notebook, None)
    for n in range(4):
        notebook = reading_edits.place_reading(notebook, take, body, Reading(n, 5.0 + n, 6.0))
        journal.note(f"edit {n}", notebook)
    (path,) = tmp_path.glob("*.journal")
    assert left_behind(tmp_path) == []  # its process, this one, is alive
    whole = path.read_bytes()
    journal.end()
    for cut, count in ((len(whole), 4), (len(whole) - 5, 3), (whole.index(b"edit 2"), 2)):
        (tmp_path / "a.journal").write_bytes(whole[:cut] + b"\x00garbage")
        (left,) = left_behind(tmp_path)
        assert left.edits == count
        assert left.last[-1] == f"edit {count - 1}"
        left.release()
    for rubbish in (b"", b"\xff" * 400, b"00000000 {}\n", whole[: whole.index(b"\n") + 1]):
        (tmp_path / "a.journal").write_bytes(rubbish)
        assert left_behind(tmp_path) == []
        assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("how", ["edit", "save first", "leave", "end"])
def test_a_large_notebook_is_written_down_before_the_first_edit(tmp_path, monkeypatch, how):
    """Its first edit only adds a line; what was got ready and is not wanted goes; nothing is offered for nothing."""
    monkeypatch.setattr("saltus.notebook.journal.MANY_READINGS", 100)
    monkeypatch.setattr("saltus.notebook.journal.PIECE", 7)
    notebook, take_id = made.with_film(Notebook(title='Ünï "\\ 😀' * 5), frames=200)
    notebook, body = reading_edits.add_body(notebook, take_id, "Puck")
    for n in range(120):
        notebook = reading_edits.place_reading(notebook, take_id, body, Reading(n, 1.0, 2.0))
    journal = Journal(tmp_path)
    journal.follow(notebook, None)
    journal.between()
    journal._readying.join()
    (ready,) = tmp_path.glob("*.part")
    assert left_behind(tmp_path) == []
    if how == "edit":
        edited = reading_edits.place_reading(notebook, take_id, body, Reading(7, 5.0, 6.0))
        journal.note("place", edited)
        (written,) = tmp_path.iterdir()
        assert written.stem == ready.stem
        journal.leave()
        (left,) = left_behind(tmp_path)
        assert left.notebook == edited
        left.release()
        return
    if how == "save first":
        journal.follow(reading_edits.place_reading(notebook, take_id, body, Reading(8, 5.0, 6.0)), None)
    elif how == "leave":
        journal.leave()
    else:
        journal.end()
    assert list(tmp_path.iterdir()) == []


def test_a_full_disk_is_said_and_made_good(tmp_path, monkeypatch):
    """When the journal cannot be written the work goes on; once there is room it is whole again."""
    notebook, take, body, _segment = made.measured(6)
    journal = Journal(tmp_path)
    journal.follow(notebook, None)

    def edit(n):
        nonlocal notebook
        notebook = reading_edits.place_reading(notebook, take, body, Reading(n, 9.0 + n, 6.0))
        journal.note("edit", notebook)

    edit(0)

    def full(file, line):
        file.write(line[:20])
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(journal_module, "_write", full)
    edit(1)
    edit(2)
    assert "No space left on device" in journal.trouble
    monkeypatch.undo()
    edit(3)
    assert journal.trouble is None
    journal._file.close()
    (left,) = left_behind(tmp_path)
    assert left.notebook == notebook
    left.forget()


def test_two_writers_are_kept_apart(tmp_path):
    """The second to open a notebook does not get it; a file changed by someone else is not written over."""
    notebook = made.measured(6)[0]
    path = tmp_path / "n.saltus"
    known = save(notebook, path)
    assert known == digest(path) == open_file(path).digest
    mine, other = NotebookLock(), NotebookLock()
    assert mine.take(path)
    assert mine.take(path)
    assert not other.take(path)
    mine.release()
    assert other.take(path)
    other.release()
    assert not lock_file(path).exists()
    assert NotebookLock().take(tmp_path / "nowhere" / "n.saltus")
    save(take_edits.set_title(notebook, "Theirs"), path)
    with pytest.raises(ChangedMeanwhileError, match="changed by someone else"):
        save(take_edits.set_title(notebook, "Mine"), path, known)
    assert load(path).title == "Theirs"
    path.unlink()
    assert save(notebook, path, known) == known


def test_older_and_newer_files(tmp_path):
    """A file of version 1 is migrated; a newer one opens as far as it is known, and says that it is newer."""
    data = json.loads(as_text(made.measured(6)[0]))
    data["version"] = 1
    for take in data["takes"]:
        del take["kept"]
    assert parse(json.dumps(made.without_runs(data)), "old.saltus") == made.measured(6)[0]
    data = json.loads(as_text(made.measured(6)[0])) | {"version": VERSION + 1, "mood": "bright"}
    data["takes"][0]["bodies"][0]["halo"] = [1, 2]
    path = tmp_path / "new.saltus"
    path.write_text(json.dumps(data))
    opened = open_file(path)
    assert opened.newer == VERSION + 1
    assert opened.notebook == made.measured(6)[0]
    for version in (0, -1, "2", True, None):
        with pytest.raises(NotebookError, match="which version"):
            parse(json.dumps(data | {"version": version}), "n.saltus")


def test_a_file_system_without_links_keeps_the_version_before(tmp_path, monkeypatch):
    """On a memory stick that knows no links the version before is copied."""

    def no_links(*_places):
        raise OSError(1, "Operation not permitted")

    monkeypatch.setattr(os, "link", no_links)
    path = tmp_path / "n.saltus"
    save(made.measured(6)[0], path)
    before = path.read_bytes()
    save(made.measured(8)[0], path)
    assert (tmp_path / "n.saltus~").read_bytes() == before
    assert sorted(p.name for p in tmp_path.iterdir()) == ["n.saltus", "n.saltus~"]
