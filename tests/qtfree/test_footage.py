"""Frame N is frame N, its time is its time, and what is broken is said in one sentence."""

import os
import time
from dataclasses import replace
from fractions import Fraction

import av
import cv2
import made
import numpy as np
import pytest
from clips import encode, numbered_picture, plain_decode
from hypothesis import given, settings
from hypothesis import strategies as st

from saltus.core.clock.frame_times import regularity
from saltus.exchange.time_base import findings
from saltus.footage import proxy
from saltus.footage.facts import FilmError
from saltus.footage.helper import facts_apart
from saltus.footage.index import index
from saltus.footage.opening import facts_of, fingerprint, reader_of
from saltus.footage.reader import PADDING, FilmReader
from saltus.footage.reading_through import facts_here
from saltus.footage.slow import slow_words
from saltus.footage.stated_turn import stated_turn
from saltus.footage.survey import survey
from saltus.notebook.edits.takes import change_take

KINDS = {
    "short groups": ("a.mp4", {"options": {"g": "6", "bf": "0"}}),
    "long group, B-frames": ("a.mp4", {"options": {"g": "250", "bf": "3"}}),
    "open groups": ("a.mp4", {"options": {"g": "8", "bf": "3", "x264-params": "open-gop=1"}}),
    "HEVC open groups": ("a.mp4", {"codec": "libx265", "options": {
        "x265-params": "keyint=8:bframes=3:open-gop=1:log-level=none"}}),
    "intra refresh": ("a.mp4", {"options": {"x264-params": "intra-refresh=1:keyint=12"}}),
    "variable rate": ("a.mp4", {"base": Fraction(1, 1000), "ticks": np.cumsum([0, *(
        [33, 34, 41, 16, 50] * 9)[:43]]).tolist()}),
    "start offset": ("a.mkv", {"base": Fraction(1, 1000), "ticks": [500 + 40 * i for i in range(44)]}),
    "VP9": ("a.webm", {"codec": "libvpx-vp9", "options": {"g": "12", "deadline": "realtime"}}),
    "AVI with B-frames": ("a.avi", {"codec": "mpeg4", "options": {"bf": "2", "g": "12"}}),
    "AVI H.264": ("a.avi", {"options": {"g": "12", "bf": "2"}}),
    "GIF": ("a.gif", {"codec": "gif", "pixel": "rgb8", "base": Fraction(1, 25)}),
}  # fmt: skip


@pytest.mark.parametrize("kind", KINDS)
def test_frame_n_is_frame_n_in_any_order(tmp_path, kind):
    """Forwards, backwards and jumping give the pictures and times of a plain sequential decode."""
    name, how = KINDS[kind]
    path = tmp_path / name
    encode(path, [numbered_picture(i) for i in range(44)], **how)
    truth = plain_decode(path)
    facts = facts_of(path)
    times = sorted(pts for _p, pts, _b in truth)
    assert facts.frames == len(truth)
    assert facts.times == pytest.approx([float((t - times[0]) * truth[0][2]) for t in times], abs=1e-12)
    jumps = np.random.default_rng(3).permutation(len(truth))
    for order in (range(len(truth)), reversed(range(len(truth))), jumps):
        reader = FilmReader(path, facts, cache_bytes=5 * (96 + PADDING) * (64 + PADDING) * 3 // 2)
        assert all(np.array_equal(reader.picture(int(n)), truth[n][0]) for n in order), kind
        reader.close()


@pytest.mark.parametrize("kind", KINDS)
def test_times_from_packets_are_those_of_the_frames(tmp_path, kind):
    """Where packets are trusted, they give what decoding every frame gives; where not, decoding decides."""
    name, how = KINDS[kind]
    path = tmp_path / name
    encode(path, [numbered_picture(i) for i in range(44)], sound=name == "a.mp4" and "aac", **how)
    whole, quick = facts_here(path), index(path)
    if name.endswith((".avi", ".gif")):
        assert quick is None
        return
    assert not quick.checked
    assert replace(quick, checked=True, keyframes=whole.keyframes) == whole
    truth = plain_decode(path)
    reader = FilmReader(path, quick, cache_bytes=5 * (96 + PADDING) * (64 + PADDING) * 3 // 2)
    assert all(np.array_equal(reader.picture(n), truth[n][0]) for n in (43, 20, 5, 31, 0))
    reader.close()


def test_memory_stays_bounded_over_a_long_film(tmp_path):
    """However many frames are looked at, forwards and back, only as many stay decoded as there is room for."""
    path = tmp_path / "long.mp4"
    encode(path, [numbered_picture(i) for i in range(200)], options={"g": "40"})
    room = 9
    reader = FilmReader(path, facts_here(path), cache_bytes=room * (96 + PADDING) * (64 + PADDING) * 3 // 2)
    for frame in (*range(200), *range(199, 150, -1), 3, 90, 4):
        reader.picture(frame)
        assert len(reader._cache) <= room
    reader.close()
    assert len(reader._cache) == 0


def test_a_copy_for_moving_gives_every_frame_by_itself(tmp_path):
    """Made apart and usable while it grows; in any order; bounded: what was unused for longest goes, never more."""
    path = tmp_path / "long.mp4"
    encode(path, [numbered_picture(i, 320, 180) for i in range(60)], options={"g": "250", "crf": "10"})
    facts = facts_here(path)
    assert not proxy.wants_copy(facts)
    assert proxy.wants_copy(replace(facts, width=1920, height=1080))
    assert not proxy.wants_copy(replace(facts, width=1920, height=1080, keyframes=tuple(range(0, 60, 8))))
    growing = proxy.Proxy("a" * 64)
    assert growing.jpeg(0) is None
    work = proxy.Preparation(path, "a" * 64, facts)
    deadline = time.monotonic() + 300
    while work.running() or not proxy.is_made("a" * 64):
        assert time.monotonic() < deadline
        time.sleep(0.05)
    plain = plain_decode(path)
    for frame in (59, 0, 31, 30):
        picture = cv2.imdecode(np.frombuffer(growing.jpeg(frame), np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
        seen, true = (
            cv2.blur(p, (9, 9)).astype(int) for p in (np.ascontiguousarray(picture), plain[frame][0])
        )
        assert np.abs(seen - true).mean() < 2
        bits = [picture[5, 7 + 8 * bit].mean() > 128 for bit in range(8)]
        assert sum(on << bit for bit, on in enumerate(bits)) == frame
    assert growing.jpeg(60) is None
    with (proxy.copies_folder() / ("a" * 64 + proxy.PICTURES)).open("r+b") as cut:
        cut.truncate(1000)
    assert growing.jpeg(59) is None
    growing.close()
    proxy.make(path, "a" * 64, facts)
    assert len(growing.jpeg(59)) > 1000
    growing.close()
    size = sum(p.stat().st_size for p in proxy.copies_folder().iterdir())
    os.utime(proxy.copies_folder() / ("a" * 64 + proxy.ENDS), (1, 1))
    proxy.make(path, "b" * 64, facts, most=10 * size)
    assert proxy.is_made("a" * 64)
    os.utime(proxy.copies_folder() / ("a" * 64 + proxy.ENDS), (1, 1))
    proxy.make(path, "c" * 64, facts, most=6 * size)
    assert not proxy.is_made("a" * 64)
    proxy.make(path, "d" * 64, facts, most=size)
    nothing = proxy.Proxy("d" * 64)
    assert nothing.jpeg(0) is None
    nothing.close()
    assert {p.suffix for p in proxy.copies_folder().iterdir()} == {
        proxy.PICTURES,
        proxy.ENDS,
    }


def test_packets_that_are_not_the_frames_are_not_trusted(tmp_path):
    """A cut film, and one whose packets break off, are decoded through instead."""
    path = tmp_path / "a.mkv"
    encode(path, [numbered_picture(i) for i in range(60)], options={"g": "6", "bf": "0"})
    assert index(path).frames == 60
    path.write_bytes(path.read_bytes()[: path.stat().st_size * 6 // 10])
    assert index(path) is None
    facts = facts_of(path, quick=True)
    assert facts.checked
    assert any("cut off" in w for w in facts.warnings)


@pytest.mark.parametrize("turn", [0, 90, 180, 270])
@pytest.mark.parametrize("aspect", [None, Fraction(4, 3)])
def test_displayed_shape(tmp_path, turn, aspect):
    """Pixels are made square, then the picture is turned clockwise; odd sizes stay whole."""
    path = tmp_path / "turned.mp4"
    pictures = [numbered_picture(i, 75, 51) for i in range(4)]
    encode(path, pictures, turn=-turn, aspect=aspect, pixel="yuv444p")
    facts = facts_of(path)
    wide = round(75 * (aspect or 1))
    quick = index(path)
    assert (facts.rotation_deg, quick.rotation_deg, stated_turn(path)) == (turn, turn, turn)
    assert (quick.width, quick.height) == (facts.width, facts.height)
    assert (facts.width, facts.height) == ((51, wide) if turn in (90, 270) else (wide, 51))
    shown = reader_of(path, facts).picture(2)
    stored = cv2.resize(plain_decode(path)[2][0], (wide, 51), interpolation=cv2.INTER_CUBIC)
    assert np.array_equal(shown, np.rot90(stored, -turn // 90))


@settings(max_examples=60, deadline=None)
@given(data=st.data())
def test_a_damaged_header_states_a_turn_or_nothing(tmp_path_factory, data):
    """Bytes of the header changed or cut off: a quarter turn or none is stated, and nothing breaks."""
    path = tmp_path_factory.getbasetemp() / "header.mp4"
    if not path.exists():
        encode(path, [numbered_picture(i) for i in range(2)], turn=-90)
    whole = bytearray(path.read_bytes())
    begins = whole.index(b"moov") - 4
    for _change in range(data.draw(st.integers(1, 4))):
        whole[data.draw(st.integers(begins, len(whole) - 1))] = data.draw(st.integers(0, 255))
    hurt = path.with_name("hurt.mp4")
    hurt.write_bytes(whole[: data.draw(st.sampled_from([len(whole), begins + 60, begins + 7]))])
    assert stated_turn(hurt) in (None, 0, 90, 180, 270)


def film_of_disc(path, places, kept=None):
    """A disc at places along a board, None for a picture shown again; ``kept``: pictures in the order shown."""
    board = np.random.default_rng(5).integers(80, 140, (120, 160, 3)).astype(float)
    board = cv2.GaussianBlur(board, (0, 0), 2)
    pictures = []
    for i, x in enumerate(places):
        if x is None:
            pictures.append(pictures[-1])
            continue
        picture = board.copy()
        cv2.circle(picture, (round(x * 16), 60 * 16), 9 * 16, (220, 190, 60), -1, cv2.LINE_AA, 4)
        noise = np.random.default_rng(i).normal(0, 2, picture.shape)
        pictures.append(np.clip(picture + noise, 0, 255).astype(np.uint8))
    encode(path, pictures if kept is None else [pictures[k] for k in kept], options={"crf": "23"})
    return facts_of(path)


@pytest.mark.parametrize(
    ("new", "every", "rates"), [(4, 5, "24 to 30"), (1, 2, "15 to 30"), (2, 5, "12 to 30")]
)
def test_a_rhythm_of_repeats_goes_on_at_rest(tmp_path, new, every, rates):
    """A film converted to a higher rate repeats frames also while the body rests at both ends; one sentence says it."""
    places = [*[30.0] * 14, *[30 + 3.0 * i for i in range(25)], *[102.0] * 12]
    kept = [j * new // every for j in range(len(places) * every // new)]
    facts = film_of_disc(tmp_path / "made.mp4", places, kept)
    assert facts.duplicates == tuple(j for j in range(1, len(kept)) if kept[j] == kept[j - 1])
    (sentence,) = [w for w in facts.warnings if "converted" in w]
    assert f"from {rates} frames" in sentence


def test_repeats_are_told_from_rest_and_from_turning(tmp_path):
    """A repeat that was encoded again is found; a still stretch and a turning point are not repeats."""

    def film(places, name):
        return film_of_disc(tmp_path / name, places).duplicates

    running: list[float | None] = [20 + 3.0 * i for i in range(40)]
    assert film(running, "run.mp4") == ()
    for n in (9, 20, 21, 33):
        running[n] = None
    assert film(running, "repeats.mp4") == (9, 20, 21, 33)
    swing = [80 + 50 * np.sin(2 * np.pi * (i - 0.5) / 25) for i in range(60)]
    assert film(swing, "swing.mp4") == ()
    pushed = [*[30.0] * 12, *[30 + 3.0 * i for i in range(14)], *[72.0] * 12]
    assert film(pushed, "rest.mp4") == ()


@pytest.mark.parametrize(
    ("spacing", "variable", "gaps"),
    [([1] * 20, False, ()), ([1, 1, 1, 3, 1, 1, 1, 2, 1, 1, 1, 1], False, (3, 7)),
     ([1.0, 1.3, 0.8, 1.1, 2.0, 0.7, 1.6, 1.2], True, ()), ([1] * 15 + [1.4] + [1] * 15, True, ())],
)  # fmt: skip
def test_regularity(spacing, variable, gaps):
    """Missing frames are whole multiples of the beat; anything else off the beat is a variable rate."""
    found = regularity(np.concatenate([[0], np.cumsum(spacing)]) / 30, 1 / 15360)
    assert (found.variable, found.gaps) == (variable, gaps)
    assert found.nominal_rate == pytest.approx(30 * len(spacing) / sum(spacing))


def test_broken_films_say_so(tmp_path):
    """Empty, foreign, sound-only and vanished files: one sentence that names the file."""
    (tmp_path / "empty.mp4").touch()
    (tmp_path / "words.mp4").write_text("not a film " * 500)
    with av.open(str(tmp_path / "sound.mp4"), "w") as container:
        stream = container.add_stream("aac", rate=48000)
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
        frame.sample_rate = 48000
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    (tmp_path / "nothing").mkdir()
    for name, word in {
        "empty.mp4": "empty",
        "words.mp4": "damaged",
        "sound.mp4": "sound",
        "gone.mp4": "not there",
    }.items():
        with pytest.raises(FilmError, match=word) as caught:
            facts_of(tmp_path / name)
        assert name in str(caught.value)
        assert "\n" not in str(caught.value)
    with pytest.raises(FilmError, match="numbered pictures"):
        facts_of(tmp_path / "nothing", rate=25)


@pytest.mark.parametrize("name", ["cut.mkv", "cut.avi", "cut.mp4"])
def test_truncated_film_offers_what_can_be_read(tmp_path, name):
    """A film cut off in the middle gives the frames before the cut, exactly, and a warning."""
    path = tmp_path / name
    options = {"g": "6", "bf": "0"}
    if name.endswith("mp4"):
        with av.open(str(path), "w", options={"movflags": "faststart"}) as container:
            stream = container.add_stream("libx264", rate=30, options=options)
            stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv420p"
            for i in range(60):
                container.mux(stream.encode(av.VideoFrame.from_ndarray(numbered_picture(i), format="rgb24")))
            container.mux(stream.encode(None))
    else:
        encode(path, [numbered_picture(i) for i in range(60)], options=options)
    whole = plain_decode(path)
    path.write_bytes(path.read_bytes()[: path.stat().st_size * 6 // 10])
    facts = facts_of(path)
    assert 5 < facts.frames < 60
    assert any("cut off or damaged" in w for w in facts.warnings)
    reader = reader_of(path, facts)
    for n in (3, facts.frames - 3, 0):
        assert np.array_equal(reader.picture(n), whole[n][0])


def test_folder_of_pictures(tmp_path):
    """Numbered pictures have the stated rate; a number left out is a gap, not a shift."""
    for i in (0, 1, 2, 3, 4, 5, 6, 9, 10, 11):
        cv2.imwrite(str(tmp_path / f"run_{i:03}.png"), numbered_picture(i)[..., ::-1])
    facts = facts_of(tmp_path, rate=50)
    assert facts.times[6:8] == pytest.approx((6 / 50, 9 / 50))
    assert facts.regularity.gaps == (6,)
    assert np.array_equal(reader_of(tmp_path, facts).picture(7), numbered_picture(9))
    assert fingerprint(tmp_path) == fingerprint(tmp_path)
    cv2.imwrite(str(tmp_path / "run_012.png"), np.zeros((5, 5, 3), np.uint8))
    with pytest.raises(FilmError, match=r"run_012\.png"):
        facts_of(tmp_path, rate=50)


@pytest.mark.parametrize(
    ("noted", "rate"), [("240.000000", 240.0), ("30.1", 0.0), ("fast", 0.0), ("inf", 0.0)]
)
def test_a_film_that_says_it_is_slow_motion_is_believed(tmp_path, noted, rate):
    """What a camera notes in the file is said, by index, survey and helper alike, until a rate is typed."""
    path = tmp_path / "slow.mp4"
    encode(path, [numbered_picture(i) for i in range(8)], notes={"camera.capture.fps": noted})
    facts = [index(path), survey(path), facts_apart(path)]
    assert [f.stated_rate for f in facts] == [rate] * 3
    assert bool(slow_words(facts[0])) == bool(rate)
    notebook, take_id = made.with_film(stated_rate=rate)
    told = " ".join(words for _mark, words in findings(notebook.take(take_id)))
    assert ("slow motion" in told) == bool(rate)
    typed = findings(change_take(notebook, take_id, capture_rate=240.0).take(take_id))
    assert "slow motion" not in " ".join(words for _mark, words in typed)
    late = made.with_film(start_ticks=6)[0].takes[0]
    assert ("done", "The first frame comes 0.200 s into the file: times count from it.") in findings(late)
