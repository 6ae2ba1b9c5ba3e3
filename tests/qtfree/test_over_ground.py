"""Small bodies on structured ground: what lies behind them is learnt, and places no longer lean on it."""

import json
import math

import av
import cv2
import numpy as np
import pytest
from click.testing import CliRunner
from drawn import DrawnBody, DrawnScene
from hypothesis import given
from hypothesis import strategies as st

from saltus.commands.main import saltus
from saltus.core.following.alignment import align
from saltus.core.following.all_at_once import InItsFrame, moves
from saltus.core.following.ground import ENOUGH, FEWEST, Ground
from saltus.core.following.over_ground import OverGround
from saltus.core.following.patch import Box, cut, smoothed
from saltus.core.following.run import FirstLook, Following, FollowingError, Frame, Start, first_look
from saltus.core.following.search import padded
from saltus.core.following.uncertainty import Quarters, covariance
from saltus.simulate.camera import film, truth_of
from saltus.simulate.scenes import set_up

RATE, COUNT = 60.0, 110
SIZE = 15


def path(count=COUNT, rest=0, speed=1.7):
    """Places of a body that rests and then goes to the right and a little down, px."""
    n = np.maximum(np.arange(count) - rest, 0)
    return np.stack([40.3 + speed * n, 60.2 + 0.35 * speed * n], axis=1)


def scene(places, *, size=SIZE, contrast=70, ground=16, seed=3, noise=1.5, plain=True, **how):
    """A small plain body on structured ground."""
    body = DrawnBody(places, size=size, contrast=contrast, seed=seed, plain=plain)
    how = {"width": 320, "height": 180} | how
    return DrawnScene((body,), ground_contrast=ground, noise=noise, seed=seed, **how)


def box(place, size=SIZE, air=2.0):
    """The box a person draws."""
    side = size + air
    return Box(place[0] - side / 2, place[1] - side / 2, side, side)


def followed(pictures, start, *, ground=True, size=SIZE):
    """Follow one body by its pattern, with or without what lies behind it; gives follower and result."""
    frames = [
        Frame(n, n / RATE, grey, lambda g=grey: np.stack([g] * 3, 2)) for n, grey in enumerate(pictures)
    ]
    run = Following((Start("a", box(start, size), "pattern"),), frames[0])
    if not ground:
        run.bodies[0].follower.over = None
    for frame in frames[1:]:
        run.step(frame)
    return run.bodies[0].follower, run.results()[0]


def scatter(result, places):
    """Errors about their mean, (N, 2) px, of what was found after the first picture."""
    found = np.array([s == "found" for s in result.states])
    found[0] = False
    off = (np.stack([result.x, result.y], 1) - places)[found]
    return off - off.mean(axis=0)


def rms(off):
    """Root of the mean square."""
    return float(np.sqrt(np.mean(off**2)))


# -- the ground ------------------------------------------------------------------------------------------


def test_the_ground_is_the_picture_without_its_bodies():
    """A moving body is not in it; what was always behind it is not known; nothing is known beyond the edges."""
    places = path(60)
    made = scene(places, noise=1.0)
    truth = scene(places + 1000, noise=0.0)  # the same ground, the body elsewhere
    ground = Ground((180, 320))
    for place, picture in zip(places, made.pictures(), strict=True):
        b = box(place)
        ground.add(picture, [(b.x, b.y, b.width, b.height)])
    grey, known = ground.behind(0, 0, 320, 180)
    bare = smoothed(next(truth.pictures()))
    assert known.mean() > 0.95
    assert np.abs(grey - bare)[known].mean() < 0.6
    resting = Ground((180, 320))
    b = box(places[0])
    for picture in made.pictures():
        resting.add(picture, [(b.x, b.y, b.width, b.height)])
    assert not resting.behind(round(b.x) + 4, round(b.y) + 4, 8, 8)[1].any()
    _grey, beyond = ground.behind(-30, -30, 20, 20)
    assert not beyond.any()


def test_a_pixel_is_known_after_a_few_pictures_and_then_stays():
    """Fewer than enough is not known; later pictures are not taken in: a passing hand does not change it."""
    ground = Ground((40, 60))
    quiet, loud = np.full((40, 60), 90, np.uint8), np.full((40, 60), 250, np.uint8)
    for n in range(FEWEST - 1):
        ground.add(quiet, [(50.0, 30.0, 5.0, 5.0)])
        assert not ground.behind(5, 5, 10, 10)[1].any(), n
    for _n in range(4 * ENOUGH):
        ground.add(quiet, [(50.0, 30.0, 5.0, 5.0)])
    ground.add(loud, [(50.0, 30.0, 5.0, 5.0)])
    grey, known = ground.behind(5, 5, 10, 10)
    assert known.all()
    assert grey == pytest.approx(90.0, abs=0.5)


@given(
    left=st.floats(-80, 400), top=st.floats(-80, 250), wide=st.floats(0, 400), high=st.floats(0, 300),
    at=st.tuples(st.integers(-50, 350), st.integers(-50, 200)), size=st.tuples(st.integers(1, 60), st.integers(1, 60)),
)  # fmt: skip
def test_boxes_may_lie_anywhere(left, top, wide, high, at, size):
    """Half outside, larger than the picture, empty: what is asked for has its shape, and numbers in it."""
    ground = Ground((120, 200))
    picture = np.arange(120 * 200, dtype=np.uint32).reshape(120, 200).astype(np.uint8)
    for _n in range(8):
        ground.add(picture, [(left, top, wide, high)])
    grey, known = ground.behind(*at, *size)
    assert grey.shape == known.shape == size[::-1]
    assert np.isfinite(grey).all()


# -- places over it --------------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", [2, 5])
def test_places_of_a_small_body_no_longer_lean_on_the_ground(seed):
    """Several times less error than without, and an uncertainty that is true."""
    places = path()
    pictures = list(scene(places, seed=seed).pictures())
    _plain, without = followed(pictures, places[0], ground=False)
    follower, result = followed(pictures, places[0])
    better, worse = scatter(result, places), scatter(without, places)
    assert rms(better) < 0.5 * rms(worse)
    assert rms(better) < 0.035
    u = np.stack([result.u_x, result.u_y], 1)[1:]
    # on a structured ground the bar is a factor of two
    assert 0.5 < rms(better) / np.sqrt(np.nanmean(u**2)) < 2
    assert len(follower.over.read) > 0.9 * COUNT
    assert not follower.turning.on
    assert result.count("found") == COUNT


def test_a_body_that_rests_first_does_not_step_when_it_goes():
    """Pictures at rest wait until the ground behind it is seen, and are read as the others are."""
    places = path(rest=30)
    _follower, result = followed(list(scene(places, seed=7).pictures()), places[0])
    off = np.stack([result.x, result.y], 1) - places
    at_rest, later = off[1:30].mean(axis=0), off[60:].mean(axis=0)
    assert np.abs(at_rest - later).max() < 0.04
    assert np.abs(off[1:]).max() < 0.2
    common = 2.5 * result.u_patch + 0.02
    assert (np.abs(off[1:].mean(axis=0)) < common).all()


def test_a_camera_that_moves_makes_nothing_worse():
    """Where the ground has become another the body is read without it, and never far off."""
    places = path(90)
    pictures = list(scene(places, seed=4).pictures())
    moved = [np.roll(p, (7, 5), axis=(0, 1)) if n >= 50 else p for n, p in enumerate(pictures)]
    shifted = places + np.where(np.arange(90)[:, None] >= 50, (5.0, 7.0), (0.0, 0.0))
    _follower, result = followed(moved, places[0])
    off = np.hypot(result.x - shifted[:, 0], result.y - shifted[:, 1])
    found = np.array([s == "found" for s in result.states])
    assert np.nanmax(off[found]) < 1.0
    assert found[:50].all()


def test_flicker_is_followed_over_the_ground():
    """Body and ground grow brighter and darker together."""
    places = path(90)
    follower, result = followed(list(scene(places, seed=6, flicker=0.04).pictures()), places[0])
    assert rms(scatter(result, places)) < 0.06
    assert len(follower.over.read) > 60


@pytest.mark.parametrize("seed", range(3))
def test_all_places_are_found_at_once_although_they_lean_on_the_ground(seed):
    """Places that lean with the brightness of the ground look like a body it shines through: few steps undo it.

    The truth is a round body with a shadow in 30 pictures, on ground of other brightness in each; all begin
    with the places that a body read without its ground is given.
    """
    rng, size, count = np.random.default_rng(seed), 21, 30
    y, x = np.mgrid[:size, :size] - size // 2

    def drawn(dx, dy):
        light = np.clip(5.5 - np.hypot(x - dx, y - dy), 0, 1)
        shade = 0.4 * np.clip(6.5 - np.hypot(x - dx - 2, y - dy - 2), 0, 1) * (1 - light)
        return 90 * light * (1 + 0.05 * (dx - x)), 1 - light - shade

    lit = np.linspace(40, 110, count)[:, None, None] + rng.normal(0, 1, (count, 1, 1))
    ground = np.repeat(np.repeat(lit, size, 1), size, 2) + 0.4 * x
    lean = (lit[:, 0, 0] - lit.mean()) * 0.004
    places = np.stack([lean, -lean], axis=1)
    seen = np.stack([own + c * g for g in ground for own, c in [drawn(0, 0)]]) + rng.normal(
        0, 0.5, ground.shape
    )
    for _step in range(4):
        # each picture is moved back by where its body is thought to be
        moved = [cv2.warpAffine(image, np.float64([[1, 0, -px], [0, 1, -py]]), (size, size), flags=cv2.INTER_CUBIC)
                 for image, (px, py) in zip(seen, places, strict=True)]  # fmt: skip
        inner = (slice(3, -3), slice(3, -3))
        there, behind = (np.stack([im[inner].ravel() for im in images]) for images in (moved, ground))
        off, ridge = behind - behind.mean(axis=0), np.full(there.shape[1], 0.25)
        through = np.clip((np.sum(off * there, axis=0) + ridge) / (np.sum(off**2, axis=0) + ridge), 0, 1)
        own = there.mean(axis=0) - through * behind.mean(axis=0)
        slopes = [
            np.stack([g.ravel() for g in np.gradient(v.reshape(size - 6, -1))[::-1]]) for v in (own, through)
        ]
        step = moves(InItsFrame(there, behind, own, through, *slopes, ridge))
        assert np.abs(step.mean(axis=0)[:2]).max() < 1e-9
        places = places + step[:, :2]
    assert np.std(places, axis=0).max() < 0.15 * lean.std()


def test_what_a_body_covers_is_learnt():
    """Nothing of the ground shows through its middle, all of it beside the body."""
    places = path()
    follower, _result = followed(list(scene(places, seed=9).pictures()), places[0])
    through = follower.over.body.through
    h, w = through.shape
    ys, xs = np.mgrid[:h, :w]
    far = np.hypot(ys - (h - 1) / 2, xs - (w - 1) / 2) / (SIZE / 2)
    assert through[far < 0.7].mean() < 0.1
    assert through[far > 1.4].mean() > 0.9
    assert follower.over.settled


def test_little_is_remembered_however_long_it_rests():
    """A body whose ground is never seen: pictures wait, but not more than a bounded number of them."""
    places = path(700, rest=700)
    follower, result = followed(list(scene(places, seed=3, width=120, height=110).pictures()), places[0])
    assert len(follower.over._waiting) <= 240
    assert not follower.over.read
    assert rms(scatter(result, places)) < 0.03


def test_a_body_is_laid_over_ground_it_was_not_seen_on():
    """With the true ground and cover a place is found; without any ground none is."""
    places = path()
    pictures = list(scene(places, seed=8).pictures())
    follower, _result = followed(pictures[:80], places[0])
    patch, over = follower.patch, follower.over
    h, w = patch.shape
    expected = places[90] - follower.patch.point
    left, top = round(expected[0]) - 8, round(expected[1]) - 8
    region = smoothed(padded(pictures[90], left, top, w + 16, h + 16))
    assert over.laid(region, (left, top), tuple(expected), follower.noise) is not None
    bare = OverGround(Ground((180, 320)), box(places[0]))
    assert bare.laid(region, (left, top), tuple(expected), follower.noise) is None
    assert not bare.due
    assert not bare.make(patch, follower.noise)


# -- turning ---------------------------------------------------------------------------------------------


def test_a_turn_is_read_and_rigid_bodies_do_not_turn():
    """A textured body that turns is followed by its turn; compression and ground switch none on."""
    count = 90
    places = path(count)
    turned = np.linspace(0, 1.2, count)
    body = DrawnBody(places, size=46, contrast=110, seed=5, angle=turned)
    made = DrawnScene((body,), width=320, height=180, noise=1.5, seed=2)
    follower, result = followed(list(made.pictures()), places[0], size=46)
    assert follower.turning.on
    sure = np.isfinite(result.angle) & (np.arange(count) > 20)
    assert np.abs(result.angle - turned)[sure].max() < 0.05
    assert rms(scatter(result, places)) < 0.2
    for seed in range(3):
        still = DrawnBody(places, size=26, contrast=60, seed=seed)
        rigid = DrawnScene((still,), width=320, height=180, ground_contrast=14, noise=2, seed=seed)
        assert not followed(list(rigid.pictures()), places[0], size=26)[0].turning.on


# -- what quarters disagree by ---------------------------------------------------------------------------


def test_quarters_tell_what_residuals_do_not():
    """A body found as it is leaves nothing; one whose shade is another pulls its quarters apart."""
    places = np.full((40, 2), (80.0, 70.0))
    made = scene(places, size=30, plain=False, ground=0, width=160, height=140, noise=2.0)
    pictures = list(made.pictures())
    patch, left, top = cut(next(scene(places, size=30, plain=False, ground=0, width=160, height=140, noise=0.0).pictures()),
                           box(places[0], 30))  # fmt: skip
    ramp = np.linspace(0.75, 1.25, 160)[None, :]
    variances = []
    for shade in (np.ones((1, 160)), ramp):
        quarters = Quarters()
        for picture in pictures:
            grey = np.clip(picture * shade, 0, 255).astype(np.uint8)
            h, w = patch.shape
            region = smoothed(padded(grey, left - 8, top - 8, w + 16, h + 16))
            found = align(region, (left - 8, top - 8), patch, (left, top), 1.0)
            quarters.add(found, covariance(found, np.pad(np.ones((1, 1)), 6)))
        variances.append(quarters.variance())
    assert (variances[0] < 0.02**2).all()
    assert variances[1].max() > 4 * max(variances[0].max(), 1e-6)
    assert (Quarters().variance() == 0).all()


# -- before the first step -------------------------------------------------------------------------------


def test_the_first_look_says_how_and_how_well():
    """A marked body by its pattern and finely, a plain one by its outline, plain ground not at all."""
    places = path(1)
    marked = next(scene(places, size=40, plain=False, ground=0).pictures())
    body = DrawnBody(places, size=40, contrast=34, level=170, seed=3)
    faint = next(DrawnScene((body,), width=320, height=180, noise=4).pictures())

    def frame(grey):
        return Frame(0, 0.0, grey, lambda: np.stack([grey] * 3, 2))

    fine = first_look(Start("a", box(places[0], 40)), frame(marked))
    assert isinstance(fine, FirstLook)
    assert fine.method == "pattern"
    assert not fine.faint
    rough = first_look(Start("a", box(places[0], 40), "pattern"), frame(faint))
    assert rough.u > 1.3 * fine.u
    with pytest.raises(FollowingError):
        first_look(Start("a", Box(200, 100, 30, 30)), frame(np.full((180, 320), 120, np.uint8)))
    for wrong in (Box(-90, -90, 20, 20), Box(10, 10, 1, 30), Box(0, 0, 900, 900), Box(math.nan, 0, 20, 20)):
        with pytest.raises(FollowingError):
            first_look(Start("a", wrong), frame(marked))


def test_repeated_pictures_do_not_spoil_what_is_said_of_the_others():
    """Every ninth picture is shown twice: the scatter of the others stays what it is without."""
    places = path()
    pictures = list(scene(places, size=30, plain=False, ground=4).pictures())
    shown = [n - (n % 9 == 8) for n in range(COUNT)]
    _f, clean = followed(pictures, places[0], size=30)
    _f, stuck = followed([pictures[n] for n in shown], places[0], size=30)
    assert np.median(stuck.u_x) < 1.5 * np.median(clean.u_x)
    assert stuck.count("found") == COUNT


# -- from film to result ---------------------------------------------------------------------------------


def test_a_small_falling_ball_and_a_swing_give_their_physics(tmp_path):
    """Followed by the command from a compressed film of the virtual camera, g and the period are held."""
    for name, of, crf in (("free-fall", "y", 20), ("pendulum", "x", 23)):
        made = set_up(name, {"width": 640, "height": 360, "rate": 60, "seed": 12, "crf": crf, "duration": 4.2 if name == "pendulum" else 0.5})  # fmt: skip
        film(made, tmp_path / "a.mp4")
        truth = truth_of(made)
        body = next(iter(truth["bodies"].values()))
        r = 1.15 * body["radius_px"]
        corner = f"{body['x_px'][0] - r},{body['y_px'][0] - r},{2 * r},{2 * r}"
        run("follow", tmp_path / "a.mp4", "--box", corner, "-o", tmp_path / "r.csv")
        x, y = truth["axes"]["origin_px"]
        run(
            "motion",
            tmp_path / "r.csv",
            "--scale",
            truth["m_per_px"],
            "--origin",
            f"{x},{y}",
            "-o",
            tmp_path / "m.csv",
        )
        if name == "pendulum":
            told = json.loads(run("cycles", tmp_path / "m.csv", "--of", of, "--json"))["period"]
            value = float(np.mean(np.diff(truth["events"]["passing from the right"])))
        else:
            start = truth["parameters"]["release"] + 0.02
            words = ("--model", "constant-acceleration", "--of", of, "--from", start)
            told = json.loads(run("segment", tmp_path / "m.csv", *words, "--json"))["parameters"][
                "acceleration"
            ]
            value = truth["parameters"]["acceleration"]
        assert abs(told["value"] - value) <= 1.3 * told["U95"], name
        assert told["U95"] < 0.02 * abs(value)


def run(*words):
    """Run a headless command; gives what it printed."""
    done = CliRunner().invoke(saltus, [str(w) for w in words])
    assert done.exit_code == 0, done.output
    return done.output


def test_other_ground_is_not_taken_for_another_look(tmp_path):
    """A puck that slides from one grain of wood on to another, compressed: the patch stays, and so do places."""
    slide = set_up("incline", {"width": 640, "height": 360, "seed": 117, "crf": 19, "noise": 1.5})
    film(slide, tmp_path / "slide.mp4")
    with av.open(str(tmp_path / "slide.mp4")) as container:
        pictures = [frame.to_ndarray(format="gray") for frame in container.decode(video=0)]
    body = truth_of(slide)["bodies"]["Felt puck"]
    places = np.stack([body["x_px"], body["y_px"]], axis=1)
    follower, result = followed(pictures, places[0], size=2 * body["radius_px"])
    assert result.renewals == ()
    off = np.stack([result.x, result.y], axis=1) - places
    assert np.abs(off[-25:].mean(axis=0)).max() < 0.1
    assert follower.over.read >= set(range(len(places) - 25, len(places)))
