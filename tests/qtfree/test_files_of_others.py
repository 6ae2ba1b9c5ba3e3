"""Files of others and files of ours, class by class: what is read, what is written, and what it may cost."""

import errno
import importlib
import json
import os
import pkgutil
import re
import shutil
import subprocess
import sys
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import SimpleNamespace

import av
import cv2
import made
import numpy as np
import pytest
from clips import encode, numbered_picture
from hostile import ends_some_day, said  # noqa: F401  a fixture for all of them

import saltus
from saltus.commands.main import run
from saltus.exchange.heading import heading
from saltus.exchange.spreadsheet import read_any_table
from saltus.exchange.tables import parse_table, read_table
from saltus.files import reading
from saltus.files.reading import read_plain
from saltus.files.writing import OutputError, keep_inputs, write_whole
from saltus.footage import survey
from saltus.footage.facts import FilmError
from saltus.footage.opening import facts_of, fingerprint
from saltus.footage.pictures import load_picture
from saltus.footage.reading_through import facts_here
from saltus.footage.sound_apart import sound_of
from saltus.investigations.recipe.catalogue import load_recipe
from saltus.notebook.films import find, reference
from saltus.notebook.packing import pack, unpack
from saltus.notebook.recovery import left_behind
from saltus.notebook.sharing import NotebookLock
from saltus.notebook.storage import NotebookError, load, save

REFUSED = (FilmError, OSError, ValueError)


@pytest.fixture
def film(tmp_path):
    """A small film."""
    path = tmp_path / "run.mp4"
    encode(path, [numbered_picture(i) for i in range(12)], sound=True)
    return path


def test_only_films_are_films(tmp_path, film):
    """Lists, patterns and descriptions that lead to a film are none; a name is never an address."""
    for name, text in (
        ("a.m3u8", f"#EXTM3U\n#EXTINF:1,\n{film}\n"),
        ("a.txt", f"ffconcat version 1.0\nfile '{film}'\n"),
        ("a.sdp", "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 5004 RTP/AVP 96\n"),
        ("a.ffmeta", ";FFMETADATA1\ntitle=x\n"),
    ):
        (tmp_path / name).write_text(text)
        for read in (facts_of, lambda path: sound_of(path, 0.0)):
            with pytest.raises(FilmError) as caught:
                read(tmp_path / name)
            said(str(caught.value))
    (tmp_path / "a%03d.png").write_bytes(film.read_bytes())
    for name in (
        "http:/x.mp4",
        "tcp:x.mp4",
        "concat:a|b.mp4",
        "-x.mp4",
        "a%03d.mp4",
        "two\nlines.mp4",
        "\u202egp4.mp4",
    ):
        path = tmp_path / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(film.read_bytes())
        assert facts_of(path).frames == 12


READERS = {
    "film": facts_of,
    "content of a film": fingerprint,
    "sound": lambda path: sound_of(path, 0.0),
    "picture": load_picture,
    "notebook": load,
    "pack": lambda path: unpack(path, path.parent / "new"),
    "table": read_table,
    "spreadsheet": lambda path: read_any_table(path.with_suffix(".xlsx")),
    "investigation": load_recipe,
}


@pytest.mark.parametrize("what", READERS)
@pytest.mark.parametrize("kind", ["pipe", "link to a pipe", "socket", "endless"])
def test_only_plain_files_are_read(tmp_path, what, kind):
    """A pipe, a socket or a device is refused at once, and in a sentence."""
    path = tmp_path / "a.xlsx"
    if kind == "pipe":
        os.mkfifo(path)
    elif kind == "link to a pipe":
        os.mkfifo(tmp_path / "p")
        path.symlink_to(tmp_path / "p")
    elif kind == "socket":
        os.mknod(path, 0o600 | 0o140000)
    else:
        path.symlink_to("/dev/zero")
    with pytest.raises(REFUSED) as caught:
        READERS[what](path)
    assert isinstance(caught.value, ValueError)
    said(str(caught.value))


def test_files_that_grow_or_are_too_large_are_refused(tmp_path, monkeypatch):
    """No more is read than a file had when it was opened, and no more than it may have."""
    path = tmp_path / "a"
    path.write_bytes(b"x" * 5000)
    assert read_plain(path, 5000) == b"x" * 5000
    with pytest.raises(OSError, match="larger"):
        read_plain(path, 4999)
    true = os.fstat
    monkeypatch.setattr(reading.os, "fstat", lambda fd: os.stat_result((*true(fd)[:6], 10, *true(fd)[7:])))
    with pytest.raises(OSError, match="still being written"):
        read_plain(path, 5000)


def test_locks_and_journals_of_another_kind_are_let_lie(tmp_path, monkeypatch):
    """A pipe or a link where a lock or a journal belongs is neither opened nor followed."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    path = tmp_path / "n.saltus"
    save(made.measured(6)[0], path)
    other = tmp_path / "precious"
    other.write_text("mine")
    (tmp_path / ".n.saltus.lock").symlink_to(other)
    mine, theirs = NotebookLock(), NotebookLock()
    assert mine.take(path)
    assert not theirs.take(path)
    mine.release()
    assert other.read_text() == "mine"
    journals = tmp_path / "journals"
    journals.mkdir()
    os.mkfifo(journals / "a.journal")
    (journals / "b.journal").symlink_to(other)
    assert left_behind(journals) == []


def test_two_names_of_one_file_are_one_notebook(tmp_path, monkeypatch):
    """Through a link or a second name a notebook is the same: one lock, and the real file is saved."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    notebook, real = made.measured(6)[0], tmp_path / "real" / ("n" * 245 + ".saltus")
    real.parent.mkdir()
    save(notebook, real)
    (tmp_path / "link.saltus").symlink_to(real)
    os.link(real, tmp_path / "hard.saltus")
    mine = NotebookLock()
    assert mine.take(real)
    for name in ("link.saltus", "hard.saltus"):
        assert not NotebookLock().take(tmp_path / name)
    mine.release()
    save(notebook.but(title="Again"), tmp_path / "link.saltus")
    assert (tmp_path / "link.saltus").is_symlink()
    assert load(real).title == "Again"


def test_nothing_is_written_over_what_is_read(tmp_path, film, capsys):
    """Whatever the name, an output that is an input is refused before work starts; links are not followed."""
    shots = tmp_path / "shots"
    shots.mkdir()
    for i in range(3):
        cv2.imwrite(str(shots / f"s{i}.png"), numbered_picture(i))
    (tmp_path / "link.csv").symlink_to(film)
    os.link(film, tmp_path / "hard.csv")
    table = tmp_path / "r.csv"
    table.write_text("body,frame,t [s],x [px],y [px]\nA,0,0,1,1\nA,1,0.1,2,1\nA,2,0.2,3,1\n")
    os.link(shots / "s0.png", tmp_path / "s.png")
    notebook, take = made.with_film(frames=12)
    notebook = notebook.but(takes=(notebook.take(take).but(film=reference(film)),))
    save(notebook, tmp_path / "n.saltus")
    os.link(tmp_path / "n.saltus", tmp_path / "n.pdf")
    os.link(film, tmp_path / "p.saltus.zip")
    before = {p: p.read_bytes() for p in tmp_path.rglob("*") if p.is_file()}
    boxed = ["follow", film, "--box", "5,5,20,20", "-o"]
    for words in (
        [*boxed, film], [*boxed, tmp_path / "link.csv"], [*boxed, tmp_path / "hard.csv"],
        ["motion", table, "--scale", "0.01", "-o", table],
        ["clip", "frame", shots, "--rate", "10", "--frame", "1", "-o", shots / "s2.png"],
        ["clip", "frame", shots, "--rate", "10", "--frame", "1", "-o", tmp_path / "s.png"],
        ["report", tmp_path / "n.saltus", "-o", tmp_path / "n.pdf"],
        ["pack", tmp_path / "n.saltus", "-o", tmp_path / "p.saltus.zip"],
        ["simulate", "incline", "-o", tmp_path / "new.mp4", "--truth", tmp_path / "new.mp4"],
        ["motion", table, "--scale", "0.01", "-o", shots],
    ):  # fmt: skip
        with pytest.raises(SystemExit) as left:
            run(list(map(str, words)))
        assert left.value.code == 2, words
        said(capsys.readouterr().err.strip())
    assert {p: p.read_bytes() for p in tmp_path.rglob("*") if p.is_file()} == before
    write_whole(tmp_path / "link.csv", "new")
    assert film.read_bytes() == before[film]
    assert not (tmp_path / "link.csv").is_symlink()
    (tmp_path / "link.csv").chmod(0o640)
    write_whole(tmp_path / "link.csv", b"newer")
    assert (tmp_path / "link.csv").stat().st_mode & 0o777 == 0o640
    keep_inputs(tmp_path / "other.csv", [film, None, tmp_path / "gone"])
    with pytest.raises(OutputError):
        keep_inputs(tmp_path / "x" / ".." / "run.mp4", [film])


def test_a_disk_that_fills_up_leaves_no_half_file(tmp_path, film, monkeypatch, capsys):
    """Where the disk is full at the end, nothing stands under the wanted name, and the code is 1."""
    monkeypatch.setenv("QT_QPA_PLATFORM", "offscreen")
    save(made.measured(12)[0], tmp_path / "n.saltus")

    def full(_handle):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(os, "fsync", full)
    for words in (
        ["export", tmp_path / "n.saltus", "-o", tmp_path / "o.csv"],
        ["export", tmp_path / "n.saltus", "-o", tmp_path / "o.xlsx"],
        ["clip", "frame", film, "--frame", "1", "-o", tmp_path / "o.png"],
        ["simulate", "incline", "--set", "duration=0.1", "-o", tmp_path / "o.mp4"],
    ):
        with pytest.raises(SystemExit) as left:
            run(list(map(str, words)))
        assert left.value.code == 1, words
        told = capsys.readouterr().err.strip()
        said(told)
        assert "No space left" in told
    assert sorted(p.name for p in tmp_path.iterdir()) == ["n.saltus", "run.mp4"]


def test_what_a_pack_needs_is_known_before_it_is_unpacked(tmp_path, film, monkeypatch):
    """A film larger than the notebook says, or a disk without room: refused with nothing written."""
    notebook, take = made.with_film(frames=12)
    notebook = notebook.but(takes=(notebook.take(take).but(film=reference(film)),))
    save(notebook, tmp_path / "n.saltus")
    pack(tmp_path / "n.saltus", tmp_path / "n.saltus.zip")
    monkeypatch.setattr(shutil, "disk_usage", lambda _place: SimpleNamespace(free=1 << 20))
    with pytest.raises(NotebookError, match="of room"):
        unpack(tmp_path / "n.saltus.zip", tmp_path / "new")
    monkeypatch.undo()
    with (
        zipfile.ZipFile(tmp_path / "n.saltus.zip") as whole,
        zipfile.ZipFile(tmp_path / "m.saltus.zip", "w") as out,
    ):
        for info in whole.infolist():
            out.writestr(info.filename, whole.read(info) + (b"x" if info.filename.endswith("mp4") else b""))
    with pytest.raises(NotebookError, match=r"run\.mp4"):
        unpack(tmp_path / "m.saltus.zip", tmp_path / "new")
    assert not (tmp_path / "new").exists()


def test_a_film_that_takes_too_long_is_used_as_far_as_it_was_read(film, monkeypatch):
    """After the time that a film may take, what was read until then counts, and the rest is said to be missing."""
    monkeypatch.setattr(survey, "LONGEST_READ_S", 0.0)
    facts = facts_here(film)
    assert 1 <= facts.frames < 12
    assert facts.warnings


def test_a_pack_whose_entries_have_no_names(tmp_path):
    """Found by the attack: what a zip library makes of an empty name is a sentence too."""
    with zipfile.ZipFile(tmp_path / "a.saltus.zip", "w") as out:
        out.writestr(zipfile.ZipInfo(""), b"x")
    with pytest.raises(NotebookError) as caught:
        unpack(tmp_path / "a.saltus.zip", tmp_path / "new")
    said(str(caught.value))


def test_pictures_and_sounds_are_bounded(tmp_path):
    """A picture of too many pixels, a sound with a gap of half an hour: a sentence, not gigabytes."""
    assert cv2.imwrite(str(tmp_path / "p1.png"), np.zeros((9000, 9000), dtype=np.uint8))
    with pytest.raises(FilmError):
        load_picture(tmp_path / "p1.png")
    with pytest.raises(FilmError):
        facts_of(tmp_path, 10.0)
    path = tmp_path / "a.mp4"
    with av.open(str(path), "w") as container:
        track = container.add_stream("aac", rate=48_000, layout="mono")
        for at in (0, 1790 * 48_000):
            frame = av.AudioFrame.from_ndarray(
                np.zeros((1, 1024), dtype=np.float32), format="fltp", layout="mono"
            )
            frame.sample_rate, frame.pts = 48_000, at
            container.mux(track.encode(frame))
        container.mux(track.encode(None))
    track = sound_of(path, None)
    assert track.samples.size < 10_000
    assert track.warnings


def patterns():
    """All compiled patterns of the program."""
    for module in pkgutil.walk_packages(saltus.__path__, "saltus."):
        if ".ui." in module.name or ".printing" in module.name or module.name.endswith("__main__"):
            continue
        for name, value in vars(importlib.import_module(module.name)).items():
            if isinstance(value, re.Pattern):
                yield f"{module.name}.{name}", value


def test_no_pattern_is_worse_than_linear():
    """Long repeats of what a pattern looks for go through all of them before the alarm."""
    found = dict(patterns())
    assert len(found) > 8
    for pattern in found.values():
        # what bounds the length of its text before is left to it: names of files, entries, units
        for piece in (" ", "a", "1", "[", "(", "/", "a/", "1 ", "a(", "-", "1e", "*1", "\u2212", "_"):
            for text in (piece * 1500, piece * 1500 + "!", "u(" + piece * 1500 + ")"):
                pattern.search(text)
                pattern.fullmatch(text)
    for piece in (" ", "/ ", "(", "[", "u(", "] [", " /"):
        heading("x" + piece * 100_000 + "y")
        parse_table("x" + piece * 30_000 + "y\n1\n", "a.csv")


def test_places_of_films_opened_at_once_are_all_remembered(tmp_path, monkeypatch):
    """However many look at films at the same time, none forgets what another has just remembered."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    films = [tmp_path / f"run-{n}.mp4" for n in range(40)]
    for path in films:
        path.write_bytes(path.name.encode() * 10)
    with ThreadPoolExecutor(8) as beside:
        refs = list(beside.map(reference, films))
    assert [find(ref, None) for ref in refs] == films


def test_names_of_any_bytes(tmp_path, film, monkeypatch):
    """A film whose name is no text is opened, referred to, and found again."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    for name in (b"\xff\xfe.mp4", b"a\nb.mp4", "\u202etxt.mp4".encode(), b"n" * 250 + b".mp4"):
        path = Path(os.fsdecode(os.fsencode(tmp_path) + b"/" + name))
        path.write_bytes(film.read_bytes() + name)
        ref = reference(path)
        assert ref.name.isprintable()
        json.dumps(ref.model_dump(mode="json")).encode()
        assert find(ref, tmp_path) == path
        with pytest.raises(FilmError) as caught:
            facts_of(path.with_suffix(".gone"))
        said(str(caught.value))
    with pytest.raises(ValueError, match="characters that are none") as caught:
        made.measured(6)[0].but(title="a\ud800")
    said(str(caught.value))


@pytest.mark.parametrize(("words", "code"), [
    (["clip", "info", b"\xff.mp4"], 2), (["report", b"\xff.saltus", "-o", "x.pdf"], 2), (["fit", b"a\nb.csv"], 2),
    (["export", "n.saltus", "-o", "nowhere/x.csv"], 1), (["zork"], 2), (["investigate", b"\xff.toml", "a.csv"], 2),
])  # fmt: skip
def test_commands_end_with_one_line(tmp_path, words, code):
    """Whatever locale, terminal and home: one line on standard error, and the code that is due."""
    save(made.measured(6)[0], tmp_path / "n.saltus")
    there = {"PATH": os.environ["PATH"], "LC_ALL": "C", "PYTHONIOENCODING": "ascii", "HOME": "/nonexistent",
             "XDG_DATA_HOME": "/proc/none", "PYTHONUTF8": "0"}  # fmt: skip
    done = subprocess.run(
        [sys.executable, "-m", "saltus.commands.main", *words],
        cwd=tmp_path,
        env=there,
        capture_output=True,
        check=False,
    )
    assert done.returncode == code
    told = done.stderr.decode("ascii").strip()
    assert told.startswith("saltus:")
    said(told)
