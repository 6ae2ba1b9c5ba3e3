"""The parts of following, each against what is known: search, alignment, judgement, other methods, order, tables."""

import math

import numpy as np
import pytest
from drawn import DrawnBody, DrawnScene
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import correlate, map_coordinates

from saltus.commands.tabular.segment_table import fit_table, motion_of
from saltus.core.fitting.order import enlarged_by_order
from saltus.core.following.alignment import Alignment, align
from saltus.core.following.averaging import AT_REST, Averaging
from saltus.core.following.centroid import CentroidFollower, colour_weights, spot_weights
from saltus.core.following.followed import Followed
from saltus.core.following.judgement import Usual, judged
from saltus.core.following.looking import Other, to_be_seen
from saltus.core.following.off_way import off_their_way
from saltus.core.following.outline import OutlineFollower
from saltus.core.following.patch import Box, cut, smoothed
from saltus.core.following.pixel_loops import RIM, normal_equations
from saltus.core.following.resemblance import spread_beyond
from saltus.core.following.residual_loops import forms_by_lag, products_by_lag, quarter_sums
from saltus.core.following.search import search
from saltus.core.following.spline import coefficients, shifted
from saltus.core.following.turning import increment, warped
from saltus.core.following.uncertainty import Residuals, covariance
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.mapping import Mapping
from saltus.core.geometry.reference import plain_scale
from saltus.core.units import PIXEL
from saltus.exchange.common_columns import common_header
from saltus.exchange.followed_table import followed_table
from saltus.exchange.motion_table import motion_header, motion_rows, patch_names
from saltus.exchange.tables import Table, read_table, write_table


def still(x, y, count=1, **how):
    """Pictures of one body that stays where it is, and the box round it."""
    body = DrawnBody(np.tile([float(x), float(y)], (count, 1)), size=36, level=150, seed=71)
    pictures = list(DrawnScene((body,), 200, 140, seed=71, **how).pictures())
    return pictures, Box(x - 18, y - 18, 36, 36)


@given(
    st.integers(0, 2**16),
    st.integers(9, 40),
    st.integers(9, 40),
    st.floats(-0.99, 0.99),
    st.floats(-0.99, 0.99),
)
def test_loops_give_what_their_formulas_say(seed, h, w, fx, fy):
    """Splines against another's, sums against products of whole matrices."""
    rng = np.random.default_rng(seed)
    values = rng.normal(0, 10, (h + 2 * RIM, w + 2 * RIM)).astype(np.float32)
    at = np.mgrid[:h, :w] + np.array([RIM - fy, RIM - fx])[:, None, None]
    model, along, down = shifted(coefficients(values), fx, fy)
    moved = [
        map_coordinates(values.astype(float), at + np.array(off)[:, None, None], order=3, mode="mirror")
        for off in ((0, 0), (0, 1e-3), (0, -1e-3), (1e-3, 0), (-1e-3, 0))
    ]
    assert np.allclose(model, moved[0], atol=1e-3)
    assert np.allclose(along, (moved[1] - moved[2]) / 2e-3, atol=2e-2)
    assert np.allclose(down, (moved[3] - moved[4]) / 2e-3, atol=2e-2)
    residual, weights = (rng.uniform(0, 1, (h, w)).astype(np.float32) for _image in range(2))
    jacobian = np.stack([-1.3 * along, -1.3 * down, model, np.ones_like(model)]).reshape(4, -1).astype(float)
    weighed = jacobian * weights.ravel()
    wanted = np.vstack([weighed @ jacobian.T, weighed @ residual.ravel()])
    sums = normal_equations(model, along, down, residual, weights, 1.3)
    assert np.allclose(sums, wanted, atol=1e-5 * np.abs(wanted).max())
    rho = rng.normal(size=(5, 5))
    rho = (rho + rho[::-1, ::-1]).astype(np.float32)
    by_lag = correlate(model.astype(float), rho.astype(float), mode="constant")
    near = 1e-4 * float(np.sum(model**2))
    aa, _bb, ab = forms_by_lag(model, residual, rho)
    assert np.allclose([aa, ab], [np.sum(model * by_lag), np.sum(residual * by_lag)], atol=near)
    lags = [[np.sum(model[: h - dy, : w - dx] * model[dy:, dx:]) for dx in range(3)] for dy in range(3)]
    assert np.allclose(products_by_lag(model, 2)[2:, 2:], lags, atol=near)
    upper_right = np.sum((model * residual)[: h // 2, w // 2 :])
    assert np.isclose(quarter_sums(model, residual)[1], upper_right, atol=near)


@pytest.mark.parametrize(("fx", "fy"), [(0.0, 0.0), (0.375, -0.25), (-0.5, 0.5), (1.25, -1.75)])
def test_a_patch_is_laid_to_a_fraction_of_a_pixel(fx, fy):
    """The same body drawn elsewhere, without noise: its place is right to five thousandths of a pixel."""
    (first,), box = still(90, 70, noise=0.0)
    (second,), _box = still(90 + fx, 70 + fy, noise=0.0)
    patch, left, top = cut(first, box)
    found = align(smoothed(second), (0, 0), patch, (left + 0.6, top - 0.4), 1.0)
    assert (found.x - left, found.y - top) == pytest.approx((fx, fy), abs=0.005)
    assert found.likeness > 0.999
    assert found.hidden == 0
    assert found.gain == pytest.approx(1, abs=0.01)


def test_brightness_does_not_move_a_place_and_a_cover_is_seen():
    """Twice as dark with an offset: the same place, gain and offset told; half covered: told as hidden."""
    (first,), box = still(90, 70, noise=0.0)
    patch, left, top = cut(first, box)
    dark = (0.5 * first.astype(float) + 40).astype(np.uint8)
    found = align(smoothed(dark), (0, 0), patch, (left + 0.5, top), 1.0)
    assert (found.x, found.y) == pytest.approx((left, top), abs=0.02)
    assert (found.gain, found.offset) == pytest.approx((0.5, 40), abs=1.0)
    covered = first.copy()
    covered[:, 90:] = 20
    half = align(smoothed(covered), (0, 0), patch, (left, top), 1.0)
    assert half is None or half.hidden > 0.3
    nowhere = align(smoothed(np.full_like(first, 128)), (0, 0), patch, (left, top), 1.0)
    assert nowhere is None or nowhere.likeness < 0.5


def test_the_search_tells_the_best_place_and_another_like_it():
    """Two bodies alike: both are found, the one in the middle first; far outside there is nothing to look at."""
    bodies = tuple(DrawnBody(np.array([[x, 70.0]]), size=30, level=150, seed=72) for x in (60.0, 140.0))
    (picture,) = DrawnScene(bodies, 200, 140, noise=1.0, seed=72).pictures()
    patch, left, top = cut(picture, Box(45, 55, 30, 30))
    best, second = search(picture, patch.inner, (left, top), (100, 30))
    places = sorted([(best.x, best.y), (second.x, second.y)])
    assert places[0] == pytest.approx((left, top), abs=1.0)
    assert places[1] == pytest.approx((left + 80, top), abs=1.0)
    assert best.likeness - second.likeness < 0.1
    assert search(picture, patch.inner, (900, 900), (10, 10)) == (None, None)


def sighted(**changes):
    """An alignment that is beyond doubt, but for some of its parts."""
    plain = np.ones((4, 4), dtype=np.float32)
    parts = {"x": 5.0, "y": 5.0, "gain": 1.0, "offset": 0.0, "likeness": 0.97, "hidden": 0.0, "information": 0.95,
             "residuals": plain, "weights": plain, "gain_x": plain, "gain_y": plain}  # fmt: skip
    return Alignment(**parts | changes)


@pytest.mark.parametrize(
    ("changes", "lead", "usual", "state", "doubts"),
    [
        ({}, 0.3, {}, "found", ()),
        ({"likeness": 0.80}, 0.3, {}, "weak", ("likeness",)),
        ({"likeness": 0.40}, 0.3, {}, "lost", ("likeness",)),
        ({"hidden": 0.4}, 0.3, {}, "weak", ("hidden",)),
        ({"information": 0.45}, 0.3, {}, "weak", ("hidden",)),
        ({"information": 0.45}, 0.3, {"covered": True}, "found", ()),
        ({"gain": 2.0}, 0.3, {}, "weak", ("brightness",)),
        ({}, 0.01, {}, "weak", ("second",)),
        ({}, 0.05, {"jumped": True}, "weak", ("second", "jump")),
        ({}, 0.05, {"lost_for": 4}, "weak", ("second", "after-loss")),
        ({"likeness": 0.88}, 0.3, {"lost_for": 4}, "lost", ("likeness",)),
    ],
)
def test_what_is_found_weak_or_lost(changes, lead, usual, state, doubts):
    """Each reason for doubt alone: less alike, hidden, brighter, another as good, off its way, lost before."""
    known = {"likeness": 0.98, "gain": 1.0, "lost_for": 0, "jumped": False, "covered": False} | usual
    assert judged(sighted(**changes), lead, Usual(**known), in_picture=True) == (state, doubts)


def test_a_place_outside_the_picture_is_never_given():
    """What is found beyond the edge is lost."""
    known = Usual(0.98, 1.0, 0, jumped=False, covered=False)
    assert judged(sighted(), 0.5, known, in_picture=False)[0] == "lost"


def test_pixels_under_other_bodies_and_outside_do_not_count():
    """A body in front takes its pixels out; far away it does not; beyond the edge of the frame nothing counts."""
    seen, covered = to_be_seen((20, 20), (10, 10), (100, 100), (Other(20, 20, 10),))
    assert covered
    assert seen[10, 10] == 0
    assert seen[0, 0] == 1
    assert to_be_seen((20, 20), (10, 10), (100, 100), (Other(80, 80, 10),)) == (None, False)
    edge, covered = to_be_seen((20, 20), (-5, 10), (100, 100), ())
    assert not covered
    assert not edge[:, :5].any()
    assert edge[:, 5:].all()


def test_the_residuals_say_how_sure_a_place_is():
    """White residuals of known size: the covariance is that of the white bound; correlated ones make it larger."""
    pictures, box = still(90, 70, count=40, noise=3.0)
    patch, left, top = cut(pictures[0], box)
    residuals, places, covariances = Residuals(), [], []
    for picture in pictures[1:]:
        found = align(smoothed(picture), (0, 0), patch, (left, top), 1.5)
        residuals.add(found)
        places.append((found.x, found.y))
        covariances.append(covariance(found, residuals.correlation(), 0.0))
    stated = np.sqrt(np.mean([np.diag(c) for c in covariances[10:]], axis=0))
    assert np.std(places, axis=0, ddof=1) == pytest.approx(stated, rel=0.35)
    rho = residuals.correlation()
    assert rho[6, 6] == pytest.approx(1.0)
    assert np.allclose(rho, rho[::-1, ::-1])
    white = np.zeros_like(rho)
    white[6, 6] = 1.0
    assert np.all(np.diag(covariance(found, white, 0.0)) < np.diag(covariance(found, rho, 0.0)))


@pytest.mark.parametrize(("angle", "growth"), [(0.02, 1.0), (-0.03, 1.0), (0.0, 1.03), (0.02, 0.98)])
def test_a_small_turn_is_read_from_the_residuals(angle, growth):
    """A body turned and grown a little: the step of the patch says how much, and takes the residuals off."""
    path = np.tile([90.0, 70.0], (2, 1))
    body = DrawnBody(
        path, size=36, level=150, seed=73, angle=np.array([0, angle]), growth=np.array([1, growth])
    )
    first, second = DrawnScene((body,), 200, 140, noise=0.5, seed=73).pictures()
    patch, left, top = cut(first, Box(72, 52, 36, 36))
    found = align(smoothed(second), (0, 0), patch, (left, top), 0.3)
    step, part, u_angle = increment(found, patch, 0.3)
    matrix = np.eye(2) + step
    assert math.atan2(matrix[1, 0] - matrix[0, 1], matrix[0, 0] + matrix[1, 1]) == pytest.approx(
        angle, abs=0.003
    )
    assert math.sqrt(np.linalg.det(matrix)) == pytest.approx(growth, abs=0.004)
    assert part > 0.5
    assert 0 < u_angle < 0.003
    again = align(smoothed(second), (0, 0), warped(patch, matrix), (left, top), 0.3)
    assert np.std(again.residuals * again.weights) < np.std(found.residuals * found.weights)


def test_a_body_at_rest_is_averaged_only_so_often():
    """Noise is averaged away; of a body at rest a few pictures do, since the ground would seem to belong to it."""
    pictures, box = still(90, 70, count=30, noise=4.0)
    patch, left, top = cut(pictures[0], box)
    averaging = Averaging()
    averaging.add(pictures[0], 0, patch, (left, top))
    for n, picture in enumerate(pictures[1:], 1):
        found = align(smoothed(picture), (0, 0), patch, (left, top), 2.0)
        if averaging.wants(found):
            averaging.add(picture, n, patch, found)
    assert len(averaging.crops) == AT_REST
    (clean,), _box = still(90, 70, noise=0.0)
    truth = cut(clean, box)[0].inner
    mean, found = averaging.settled(patch, 2.0)
    assert np.std(mean.inner - truth) < 0.55 * np.std(patch.inner - truth)
    assert set(found) == set(range(AT_REST))


def plain_scene(path, **how):
    """A plain dark body on a bright ground."""
    return DrawnScene(
        (DrawnBody(np.asarray(path, float), size=30, level=70, seed=74, plain=True),), 220, 140, **how
    )


@pytest.mark.parametrize("kind", ["edge", "spot"])
def test_other_methods_lose_what_is_hidden_and_find_it_again(kind):
    """Behind a post: no place is found wrong, none is given while nothing is seen, and it is found again after."""
    path = np.stack([30 + 1.6 * np.arange(100), np.full(100, 70.0)], axis=1)
    scene = plain_scene(path, posts=((90, 130),), ground=190.0, seed=74)
    pictures = list(scene.pictures())
    box = Box(15, 55, 30, 30)
    if kind == "edge":
        follower = OutlineFollower.start(pictures[0], box, 0.0)
    else:
        follower = CentroidFollower.start(pictures[0], box, 0.0, spot_weights(pictures[0], box))
    seen = [follower.step(picture, n / 60) for n, picture in enumerate(pictures[1:], 1)]
    off = np.array([math.hypot(s.x - x, s.y - y) for s, (x, y) in zip(seen, path[1:], strict=True)])
    found = np.array([s.state == "found" for s in seen])
    sight = scene.in_sight()[1:]
    if kind == "edge":
        assert not np.any(found & (off > 3))
    assert np.mean(found[:18]) == 1
    assert any(s.state == "lost" or s.doubts for s, part in zip(seen, sight, strict=True) if part < 0.3)


def test_a_colour_is_learnt_only_where_it_stands_out():
    """A red disc on grey: its pixels weigh one and the ground nothing; red on red is refused."""
    picture = np.full((100, 120, 3), 120, dtype=np.uint8)
    yy, xx = np.mgrid[:100, :120]
    disc = np.hypot(xx - 60, yy - 50) <= 12
    picture[disc] = (200, 40, 40)
    box = Box(48, 38, 24, 24)
    weights = colour_weights(picture, box)(picture)
    assert weights[disc].mean() > 0.99
    assert weights[~disc].mean() < 0.01
    follower = CentroidFollower.start(picture, box, 0.0, colour_weights(picture, box))
    moved = np.roll(picture, (3, 5), axis=(0, 1))
    seen = follower.step(moved, 0.1)
    assert (seen.x, seen.y) == pytest.approx((65, 53), abs=0.01)
    assert colour_weights(np.full((100, 120, 3), 120, dtype=np.uint8), box) is None
    assert spot_weights(np.full((100, 120), 120, dtype=np.uint8), box) is None


def resembling(rng, count, rho):
    """Errors of unit variance, each of which resembles the one before."""
    errors = rng.standard_normal(count)
    for i in range(1, count):
        errors[i] = rho * errors[i - 1] + math.sqrt(1 - rho**2) * errors[i]
    return errors


@pytest.mark.parametrize("lasting", [0.35, 0.6])
def test_accelerations_hold_where_a_part_of_each_error_lasts(lasting):
    """Of errors a part of which lasts for ten readings, 93 to 98 % of the stated intervals hold the truth."""
    rng, held = np.random.default_rng(5), []
    tau = np.arange(70) / 60
    gain = np.linalg.pinv(np.stack([np.ones(70), tau, tau**2 / 2], axis=1))
    for _ in range(2000):
        slow = math.sqrt(lasting) * resembling(rng, 70, math.exp(-1 / 10))
        errors = slow + math.sqrt(1 - lasting) * rng.standard_normal(70)
        parameters = gain @ errors
        left = errors - np.stack([np.ones(70), tau, tau**2 / 2], axis=1) @ parameters
        factor = enlarged_by_order(left, np.ones(70), gain)
        held.append(abs(parameters[2]) <= 1.96 * factor * math.sqrt(np.sum(gain[2] ** 2)))
    assert 0.93 <= np.mean(held) <= 0.98


WAYS = {
    "bounces": lambda k, rng: 60 * np.abs(np.sin(k / rng.uniform(4, 20) + rng.uniform(0, 3))),
    "is pushed to and fro": lambda k, rng: np.abs((k + rng.uniform(0, 9)) % 17 - 8.5) * rng.uniform(2, 30),
    "is launched": lambda k, rng: np.cumsum(rng.uniform(5, 30) * np.clip((k - 8) / rng.integers(1, 5), 0, 1)),
    "stops": lambda k, rng: rng.uniform(2, 30) * np.minimum(k, rng.uniform(40, 60)),
    "swings quickly": lambda k, rng: 200 * np.sin(rng.uniform(0.2, 1.3) * k + rng.uniform(0, 6)),
    "falls": lambda k, rng: rng.uniform(0.02, 0.2) * k**2,
}


@pytest.mark.parametrize("name", WAYS)
def test_only_a_place_off_every_way_is_doubted(name):
    """Of 60 honest runs no place is; one that lies 6 px off in a steady part is seen in nine of ten."""
    k, seen = np.arange(120.0), 0
    for seed in range(60):
        rng = np.random.default_rng(seed)
        places = np.stack([2 * k, WAYS[name](k, rng)], axis=1) + rng.normal(0, 0.2, (120, 2))
        assert not off_their_way(k / 60, places).any()
        if name in ("falls", "stops"):
            i, turn = rng.integers(70, 110), rng.uniform(0, 6.3)
            places[i] += 6 * np.array([np.cos(turn), np.sin(turn)])
            seen += np.flatnonzero(off_their_way(k / 60, places)).tolist() == [i]
    assert seen >= 54 or name not in ("falls", "stops")


def test_what_lasts_makes_no_difference_between_neighbours():
    """The factor is one where only differences of neighbours count, and stays finite without residuals."""
    apart = np.zeros((1, 40))
    apart[0, 20:22] = 1, -1
    assert enlarged_by_order(np.zeros(40), np.ones(40), apart) == 1.0
    assert 1 < enlarged_by_order(np.zeros(40), np.ones(40), np.full((1, 40), 1 / 40)) < 4


@pytest.mark.parametrize("rho", [0.0, 0.25, 0.5])
@pytest.mark.parametrize("times", [1.0, 1.5, 2.2])
def test_scatter_is_told_from_a_swing_however_errors_resemble_each_other(rho, times):
    """Of 300 swings the spread comes out within 10 % in the middle, and within a half in four of five and more."""
    t, u, told = np.arange(150) / 60, np.full(150, 0.02), []
    for seed in range(300):
        rng = np.random.default_rng(seed)
        swing = 100 * np.sin(2 * np.pi * t / rng.uniform(1.2, 3))
        told.append(spread_beyond(swing + times * u * resembling(rng, 150, rho), u) / times)
    assert np.median(told) == pytest.approx(1, rel=0.1)
    assert np.mean(np.abs(np.log(told)) < math.log(1.5)) >= 0.8


def test_motion_is_not_taken_for_scatter():
    """A quick shaking, a bounce and a few places leave u as it is."""
    rng, t, u = np.random.default_rng(2), np.arange(150) / 60, np.full(150, 0.02)
    noise = u * rng.standard_normal(150)
    assert spread_beyond(20 * np.sin(2 * np.pi * 3.5 * t) + noise, u) < 1.2
    assert spread_beyond(300 * np.abs(t - 1.2) + noise, u) < 1.2
    assert spread_beyond(noise[:12], u[:12]) == 1.0
    assert spread_beyond(np.zeros(40), u[:40]) == 1.0


def run_of(states, u_patch=(0.05, 0.03), **turned):
    """A run with given states; places on a line, u of 0.1 px."""
    n = len(states)
    lost = np.array([s == "lost" for s in states])
    x, y = np.where(lost, np.nan, 10.0 + np.arange(n)), np.where(lost, np.nan, 20.0)
    u = np.where(lost, np.nan, 0.1)
    angle, u_angle = turned.get("angle", np.full(n, np.nan)), turned.get("u_angle", np.full(n, np.nan))
    return Followed("ball", "pattern", np.arange(n), np.arange(n) / 50, x, y, u, u, tuple(states), (None,) * n,
                    np.array(u_patch), angle, u_angle)  # fmt: skip


def test_lost_and_weak_frames_stay_in_the_table_and_out_of_the_motion(tmp_path):
    """A lost frame has no place, a weak one is not used for motion; both keep their row in both tables."""
    states = ["found"] * 6 + ["weak", "lost"] + ["found"] * 6
    header, rows = followed_table([run_of(states)])
    path = tmp_path / "r.csv"
    write_table(path, header, rows)
    table = read_table(path)
    assert list(table.text("status")) == states
    assert np.flatnonzero(np.isnan(table.numbers("x", PIXEL))).tolist() == [7]
    mapping = Mapping("table", Axes((0.0, 0.0), 0.0), plain_scale(0.01, 0.0, "table"))
    motion, _names = motion_rows(table, mapping)
    assert len(motion) == len(states)
    assert [row[3] is None for row in motion] == [s in ("weak", "lost") for s in states]


@pytest.mark.parametrize("of", ["x", "y", "angle"])
def test_what_a_run_has_in_common_reaches_the_model(tmp_path, of):
    """The patch's error shifts all places alike: it stays in the position, leaves the speed, and turns with the axes."""
    header, rows = followed_table([run_of(["found"] * 20)])
    path, motion = tmp_path / "r.csv", tmp_path / "m.csv"
    write_table(path, header, rows)
    table = read_table(path)
    assert patch_names(table) == {1.0: "patch-1"}
    turned = Mapping("table", Axes((0.0, 60.0), math.radians(90)), plain_scale(0.01, 0.0, "table"))
    rows, names = motion_rows(table, turned)
    header = (*motion_header(), *common_header(names))
    write_table(motion, header, rows)
    made: Table = read_table(motion)
    _t, position = motion_of(made, of)
    own, common = position.apart()
    # with axes turned by a right angle what lies along x in the picture lies along y in the world
    wanted = {"x": 0.03, "y": 0.05}
    if of in wanted:
        assert common.u == pytest.approx(np.full(20, 0.01 * wanted[of]), rel=1e-6)
    assert own.u.min() > 0
    fit = fit_table(made, "constant-velocity", of)
    first, speed = fit.parameters.values()
    assert float(first.u) >= common.u.max()
    shared = sum(part for source, part in speed.parts().items() if source.cause == "tabled")
    assert shared == pytest.approx(0, abs=1e-9) if of != "angle" else shared < float(first.u)


def test_a_turn_is_written_where_one_was_read():
    """Columns of the angle are there only when a body turns, with its uncertainty."""
    plain, _rows = followed_table([run_of(["found"] * 3)])
    assert not any("angle" in name for name in plain)
    turned = run_of(["found"] * 3, angle=np.array([0, 0.1, 0.2]), u_angle=np.array([np.nan, 0.002, 0.003]))
    header, rows = followed_table([turned, run_of(["found", "lost", "found"])])
    assert header[-2:] == ("angle [rad]", "u(angle) [rad]")
    assert [row[-2:] for row in rows[:3]] == [[0, None], [0.1, 0.002], [0.2, 0.003]]
    assert [row[10] for row in rows] == [1, 1, 1, 2, 2, 2]
    assert all(cell is None for row in rows[3:] for cell in row[-2:])
