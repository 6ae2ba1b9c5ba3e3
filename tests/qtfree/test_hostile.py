"""Files of strangers: one clear sentence, bounded time and memory, nothing written elsewhere, nothing lost."""

import contextlib
import json
import random
import zipfile
from fractions import Fraction

import cv2
import made
import numpy as np
import pytest
from clips import encode, numbered_picture
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from made import source
from pydantic import ValidationError

from saltus.commands.main import run
from saltus.commands.tabular.fit_table import fit_columns, model_parameters
from saltus.commands.tabular.number_json import fit_json
from saltus.commands.tabular.pulse_table import pulse_rows
from saltus.commands.tabular.segment_table import fit_table
from saltus.core.progress import Cancelled, finished
from saltus.core.pulses import PulseError, pulse_motion
from saltus.core.quantities import measured
from saltus.core.series import SeriesError
from saltus.core.units import METRE, SECOND
from saltus.exchange.series_table import read_series, series_mean
from saltus.exchange.tables import TableError, parse_table, read_table
from saltus.footage import helper
from saltus.footage.facts import FilmError
from saltus.footage.first_picture import first_pictures
from saltus.footage.helper import Helper, facts_json
from saltus.footage.helper_process import _rehearse, _write_sample
from saltus.footage.index import index
from saltus.footage.opening import facts_of, reader_of
from saltus.footage.reading_through import facts_here
from saltus.footage.told_facts import facts_from
from saltus.investigations.engine.run import run as investigated
from saltus.investigations.recipe.catalogue import recipe_named
from saltus.investigations.recipe.recipe import RecipeError
from saltus.investigations.table.trials import read_trials
from saltus.investigations.table.written_cells import TrialsError
from saltus.notebook.films import find, reference
from saltus.notebook.model import TakeFacts
from saltus.notebook.packing import NOTEBOOK, PackError, pack, unpack
from saltus.notebook.storage import NotebookError, as_text, load, parse, save


def one_sentence(error, name):
    """A message for people: one line, not long, naming the file."""
    text = str(error)
    assert name in text
    assert "\n" not in text.strip()
    assert len(text) < 500


def mutated(data, rng):
    """The bytes of a file with some of them changed, cut out, doubled, or the end cut off."""
    out = bytearray(data)
    for _change in range(rng.choice([1, 1, 3, 20])):
        at = rng.randrange(len(out))
        way = rng.randrange(5)
        if way == 0:
            out[at] = rng.randrange(256)
        elif way == 1:
            out[at : at + rng.choice([1, 4, 64])] = b""
        elif way == 2:
            out[at:at] = out[at : at + rng.choice([4, 100])]
        elif way == 3:
            out[at : at + 4] = rng.choice([b"\xff\xff\xff\xff", b"\x00\x00\x00\x00", b"\x7f\xff\xff\xff"])
        else:
            del out[max(at, len(out) // 8) :]
        if len(out) < 8:
            return bytes(data[:40])
    return bytes(out)


FILMS = {
    "a.mp4": {"options": {"g": "8"}},
    "a.mkv": {"options": {"g": "8"}},
    "a.avi": {"codec": "mpeg4"},
    "a.gif": {"codec": "gif", "pixel": "rgb8", "base": Fraction(1, 25)},
    "a.webm": {"codec": "libvpx-vp9", "options": {"deadline": "realtime"}},
}


@pytest.mark.parametrize("name", FILMS)
def test_mutated_films(tmp_path, name):
    """A damaged film gives frames that can all be read, or one sentence; the decoder's fate stays in its process."""
    encode(tmp_path / name, [numbered_picture(i) for i in range(24)], **FILMS[name])
    whole, rng = (tmp_path / name).read_bytes(), random.Random(name)
    outcomes = set()
    for n in range(8):
        path = tmp_path / f"{n}-{name}"
        path.write_bytes(mutated(whole, rng))
        try:
            facts = facts_of(path)
        except FilmError as error:
            one_sentence(error, path.name)
            outcomes.add("refused")
            continue
        outcomes.add("opened")
        assert list(facts.ticks) == sorted(facts.ticks)
        reader = reader_of(path, facts)
        for frame in {0, facts.frames // 2, facts.frames - 1}:
            # a frame of a damaged film may turn out unreadable: that is a sentence too
            with contextlib.suppress(FilmError):
                assert reader.picture(frame).shape == (facts.height, facts.width, 3)
        reader.close()
    assert outcomes
    assert {p.suffix for p in tmp_path.iterdir()} == {(tmp_path / name).suffix}


def test_the_helper_gives_the_same_facts_and_is_ended(tmp_path):
    """What comes from the helper is what this process would find; cancelling ends it; what it is split from is made good."""
    path = tmp_path / "a.mp4"
    encode(path, [numbered_picture(i) for i in range(40)], ticks=[*range(20), *range(25, 45)], sound=True)
    here = facts_here(path)
    helper.warm()
    try:
        for _again in range(2):
            assert facts_of(path) == here
            helper._origin._running[0].kill()
    finally:
        helper.chill()
    assert helper._origin._running is None
    assert facts_of(path) == here

    def stop(_done, _total):
        raise Cancelled

    with pytest.raises(Cancelled):
        finished(facts_of.steps(path), stop)
    assert facts_from(json.loads(json.dumps(facts_json(here)))) == here


def test_the_first_picture_is_given_before_the_facts(tmp_path):
    """It is the one the reader gives as frame 0, turned as the film is; what is no picture is not believed."""
    for size, small in ((96, 64), []), ((1920, 1080), [(640, 360, 3)]):
        path, told = tmp_path / f"{size[0]}.mp4", []
        encode(path, [numbered_picture(i, *size) for i in range(20)], turn=90)
        facts = finished(facts_of.steps(path, quick=True, first=True), take=told.append)
        reader = reader_of(path, facts)
        assert [first.pixels.shape for first in told if not first.whole] == small
        (whole,) = (first.pixels for first in told if first.whole)
        assert np.array_equal(whole, reader.picture(0))
        reader.close()
        # made small first, and the same picture
        for first in told[:-1]:
            again = cv2.resize(whole, first.pixels.shape[1::-1], interpolation=cv2.INTER_AREA)
            assert np.abs(first.pixels.astype(float) - again).mean() < 2
    told.clear()
    (tmp_path / "no.mp4").write_bytes(b"no film")
    with pytest.raises(FilmError):
        finished(facts_of.steps(tmp_path / "no.mp4", first=True), take=told.append)
    assert not told
    wrong = Helper()
    for whole, high, wide in ((1, -3, 5), (1, 0, 9), (1, 1 << 20, 1 << 20), (0, 1 << 10, 1 << 11)):
        with pytest.raises(ValueError, match="no picture"):
            wrong._first_picture(whole, high, wide)
    wrong.close()


def test_helpers_rehearse_with_a_film_as_others_are(tmp_path):
    """What they go through while they wait has times, a small picture and a whole one."""
    path = tmp_path / "sample.mp4"
    _write_sample(path)
    assert len(index(path).ticks) == 2
    assert [whole for whole, _picture in first_pictures(path)] == [False, True]
    _rehearse(path)


def test_a_helper_that_dies_starves_or_hangs_is_a_sentence(tmp_path):
    """Killed, out of memory, or stuck: the film is refused with one sentence, the program goes on."""
    path = tmp_path / "a.mp4"
    encode(path, [numbered_picture(i, 1920, 1080) for i in range(12)])
    starved = Helper(memory_bytes=300 * 1024 * 1024)
    with pytest.raises(FilmError) as caught:
        finished(starved.facts(path, None))
    one_sentence(caught.value, "a.mp4")
    stuck = Helper(stall_s=0.0)
    with pytest.raises(FilmError, match="busy without end"):
        finished(stuck.facts(path, None))
    dead = Helper()
    dead.kill()
    with pytest.raises(FilmError, match="broke its decoder"):
        finished(dead.facts(path, None))


@pytest.mark.parametrize("wrong", [{"width": -3}, {"ticks": []}, {"time_base": [1, 0]}, {"duplicates": [99]},
                                   {"rotation_deg": 45}, {"ticks": "abc"}, {"raw_ticks": [1]}, {"stated_rate": -1.0}, {"zork": 1}])  # fmt: skip
def test_facts_are_not_believed_blindly(wrong):
    """Facts that make no sense are refused even from our own helper."""
    told = json.loads(json.dumps(facts_json(made.facts())))
    with pytest.raises(ValidationError):
        facts_from(told | wrong)


@given(
    st.lists(
        st.tuples(st.text("abc_.0123456789-", min_size=1, max_size=12), st.binary(max_size=60)), max_size=5
    )
)
@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
def test_picture_folders(tmp_path_factory, files):
    """Any folder of small files opens as pictures or is refused in a sentence."""
    folder = tmp_path_factory.mktemp("shots")
    good = cv2.imencode(".png", numbered_picture(3))[1].tobytes()
    for name, data in files:
        if name not in (".", ".."):
            (folder / f"{name}.png").write_bytes(good if len(data) % 2 else data)
    with contextlib.suppress(FilmError):
        assert facts_here(folder, 25.0).frames >= 1


@given(st.text(st.characters(codec="utf-8"), max_size=300))
@settings(max_examples=150, deadline=None)
def test_any_text_as_a_table(text):
    """Any text is a table or a sentence, and so is fitting to it."""
    for head in ("", "t [s],x [m],y [m]\n"):
        with contextlib.suppress(TableError):
            table = parse_table(head + text, "a.csv")
            fit_table(table, "constant-velocity", "x")


def test_mutated_tables_and_notebooks(tmp_path):
    """Bytes changed at random in a table or a notebook: read, or refused in one sentence that names the file."""
    rng = random.Random(3)
    rows = "".join(f"A,{n},{n / 30},{n * 0.1},0.5,0.01,0.01\n" for n in range(40))
    table = ("body,frame,t [s],x [m],y [m],u(x) [m],u(y) [m]\n" + rows).encode()
    notebook = as_text(made.measured(20)[0]).encode()
    refused = 0
    for _n in range(300):
        (tmp_path / "a.csv").write_bytes(mutated(table, rng))
        (tmp_path / "a.saltus").write_bytes(mutated(notebook, rng))
        try:
            fit_table(read_table(tmp_path / "a.csv"), "constant-acceleration", "x")
        except TableError as error:
            refused += 1
            one_sentence(error, "a.csv")
        try:
            load(tmp_path / "a.saltus")
        except NotebookError as error:
            refused += 1
            one_sentence(error, "a.saltus")
    assert 50 < refused < 600


@pytest.fixture
def packable(tmp_path):
    """A notebook with two takes: a film, and a folder of pictures."""
    folder = tmp_path / "desk"
    (folder / "shots").mkdir(parents=True)
    encode(folder / "run.mp4", [numbered_picture(i) for i in range(12)])
    for i in range(5):
        cv2.imwrite(str(folder / "shots" / f"s{i}.png"), numbered_picture(i))
    notebook, take = made.with_film(frames=12)
    notebook, second = made.with_film(notebook, frames=5)
    takes = []
    for take_id, name, rate in ((take, "run.mp4", None), (second, "shots", 30.0)):
        path = folder / name
        facts = TakeFacts.of(facts_here(path, rate))
        takes.append(notebook.take(take_id).but(film=reference(path), facts=facts))
    notebook = notebook.but(takes=tuple(takes))
    save(notebook, folder / "n.saltus")
    return folder / "n.saltus"


def test_packs_come_back_whole(tmp_path, packable, capsys):
    """Packed and unpacked on a machine that never saw the films, everything is found and in order."""
    for command in (["pack", packable, "-o", tmp_path / "p.saltus.zip"], ["check", tmp_path / "p.saltus.zip"],
                    ["unpack", tmp_path / "p.saltus.zip", tmp_path / "out"]):  # fmt: skip
        with pytest.raises(SystemExit) as left:
            run([str(word) for word in command])
        assert left.value.code == 0, capsys.readouterr().err
    made_there = tmp_path / "out" / NOTEBOOK
    assert load(made_there) == load(packable)
    with zipfile.ZipFile(tmp_path / "p.saltus.zip") as packed:
        assert sorted(packed.namelist())[:2] == ["media/run.mp4", "media/shots/s0.png"]
        assert str(tmp_path) not in packed.read(NOTEBOOK).decode()
    for take in load(made_there).takes:
        assert find(take.film, tmp_path / "out").is_relative_to(tmp_path / "out" / "media")
    with pytest.raises(PackError, match="not empty"):
        unpack(tmp_path / "p.saltus.zip", tmp_path / "out")
    packable.with_name("run.mp4").write_bytes(b"another film")
    with pytest.raises(FilmError, match="has changed"):
        pack(packable, tmp_path / "q.saltus.zip")
    assert not (tmp_path / "q.saltus.zip").exists()


def test_films_of_one_name_get_names_of_their_own(tmp_path):
    """Two different films called alike lie side by side in the pack."""
    notebook, takes = made.with_film(frames=6)[0], []
    for n in range(2):
        path = tmp_path / f"d{n}" / "run.mp4"
        path.parent.mkdir()
        encode(path, [numbered_picture(i + 9 * n) for i in range(6)])
        takes.append(
            notebook.takes[0].but(id=f"take-{n}", film=reference(path), facts=TakeFacts.of(facts_here(path)))
        )
    save(notebook.but(takes=tuple(takes)), tmp_path / "n.saltus")
    pack(tmp_path / "n.saltus", tmp_path / "p.saltus.zip")
    out = load(unpack(tmp_path / "p.saltus.zip", tmp_path / "out"))
    names = [take.film.name for take in out.takes]
    assert names[0] == "run.mp4"
    assert names[1].endswith("-run.mp4")
    assert [t.film.sha256 for t in out.takes] == [t.film.sha256 for t in takes]


def hostile_pack(path, good, change):
    """Rewrite a good pack with something wrong in it."""
    with zipfile.ZipFile(good) as source, zipfile.ZipFile(path, "w") as out:
        entries = {name: source.read(name) for name in source.namelist()}
        change(entries)
        for name, data in entries.items():
            info = zipfile.ZipInfo(name)
            content, info.external_attr = data if isinstance(data, tuple) else (data, 0)
            out.writestr(info, content)


HOSTILE = {
    "a way out of the folder": lambda e: e.update({"media/../../evil.txt": b"x"}),
    "an absolute place": lambda e: e.update({"/evil/evil.txt": b"x"}),
    "a backslash": lambda e: e.update({"media\\..\\evil.txt": b"x"}),
    "a link": lambda e: e.update({"media/run.mp4": (b"/etc/passwd", 0o120777 << 16)}),
    "a file of nobody": lambda e: e.update({"media/extra.bin": b"x"}),
    "a program beside": lambda e: e.update({"run.sh": b"x"}),
    "no notebook": lambda e: e.pop(NOTEBOOK),
    "a bad notebook": lambda e: e.update({NOTEBOOK: b"{"}),
    "a binary notebook": lambda e: e.update({NOTEBOOK: b"\xff\xfe"}),
    "another film": lambda e: e.update({"media/run.mp4": b"another"}),
    "a missing film": lambda e: e.pop("media/run.mp4"),
    "two names alike": lambda e: e.update({"media/RUN.mp4": b"x"}),
}


@pytest.mark.parametrize("kind", HOSTILE)
def test_hostile_packs(tmp_path, packable, kind):
    """What may not be in a pack is refused before anything is written; nothing stays behind, nothing leaks out."""
    good, bad, out = tmp_path / "p.saltus.zip", tmp_path / "b.saltus.zip", tmp_path / "room" / "out"
    pack(packable, good)
    hostile_pack(bad, good, HOSTILE[kind])
    before = sorted(p for p in tmp_path.rglob("*"))
    with pytest.raises(NotebookError) as caught:
        unpack(bad, out)
    one_sentence(caught.value, "b.saltus.zip")
    room = tmp_path / "room"
    assert [p for p in sorted(tmp_path.rglob("*")) if p not in before] in ([], [room])


def test_zip_bombs_and_torn_packs(tmp_path, packable):
    """A pack that claims too much, lies about a size, or is torn: refused, nothing stays."""
    good = tmp_path / "p.saltus.zip"
    pack(packable, good)
    data = good.read_bytes()
    rng = random.Random(8)
    for n in range(60):
        bad = tmp_path / "b.saltus.zip"
        bad.write_bytes(mutated(data, rng))
        with contextlib.suppress(NotebookError):
            unpack(bad, tmp_path / f"out{n}")
            assert load(tmp_path / f"out{n}" / NOTEBOOK).takes
    assert not list(tmp_path.glob(".out*"))
    bomb = tmp_path / "c.saltus.zip"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as out:
        out.writestr(NOTEBOOK, b" " * 300_000_000)
    with pytest.raises(PackError, match="too large"):
        unpack(bomb, tmp_path / "boom")
    with zipfile.ZipFile(bomb, "w") as out:
        for n in range(3):
            out.writestr(f"media/{n}", np.zeros(10).tobytes())
    with pytest.raises(PackError, match="no notebook"):
        unpack(bomb, tmp_path / "boom")
    with pytest.raises(NotebookError):
        parse("[" * 50_000, "deep")


TEXT = st.one_of(
    st.text(max_size=400),
    st.lists(st.lists(st.sampled_from(["", "1", "2.5", "-3", "x", "1e400", "nan", '"', "a;b", "\t", "=1+1", "u(x)", "x [m]", "0"]),
                      max_size=5).map(",".join), max_size=8).map("\n".join),
)  # fmt: skip


@settings(max_examples=200, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(TEXT, st.sampled_from(["fit", "series", "pulses", "investigate"]))
def test_any_table_is_a_number_or_a_sentence(tmp_path, text, command):
    """Tables of numbers from strangers: a result, null with a warning, or one of our sentences; nothing else."""
    path = tmp_path / "t.csv"
    path.write_bytes(text.encode("utf-8", errors="surrogatepass"))
    try:
        table = read_table(path)
        if command == "fit":
            for model in ("line", "power"):
                found, warnings = fit_columns(table, "x", "2.5", model, weighted=True)
                told = fit_json(model, found, model_parameters(model))
                assert warnings or told["parameters"]
        elif command == "series":
            record = read_series(table, "2.5")
            assert series_mean(record, None, None)
        elif command == "pulses":
            t = table.numbers("x", SECOND)
            assert pulse_rows(pulse_motion(np.sort(t[np.isfinite(t)]), measured(0.01, 0, METRE, source("s"))))
        else:
            columns = {n: (c.unit, c.cells) for n, c in table.columns.items()}
            assert investigated(
                recipe_named("weight-mass"), read_trials("t.csv", columns, recipe_named("weight-mass")), {}
            )
    except (TableError, TrialsError, SeriesError, PulseError, RecipeError) as error:
        sentence = str(error)
        assert sentence
        assert "\n" not in sentence.strip()
