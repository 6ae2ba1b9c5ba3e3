"""Planes, tracks and lenses: known truth, derivatives against differences, coverage, bad input."""

import math

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from saltus.core import sources
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.board import find_ball, find_board
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.lens import Lens
from saltus.core.geometry.mapping import Mapping
from saltus.core.geometry.plane import Plane
from saltus.core.geometry.reference import plain_scale
from saltus.core.geometry.seen import Seen
from saltus.core.geometry.straight_lines import fit_bend
from saltus.core.geometry.tilt import Tilt
from saltus.core.geometry.track import Track
from saltus.core.quantities import measured
from saltus.core.units import ONE

CENTRE, RADIUS = (640.0, 360.0), 734.0
RECTANGLE = np.array([[0.0, 0.0], [1.2, 0.0], [1.2, 0.5], [0.0, 0.5]])


def viewed(pan: float, pitch: float, k1: float):
    """Give a camera's way from metres, y up, to the picture: 500 px per m, tilted, then bent."""
    tilt, lens = Tilt(pan, pitch, CENTRE, 1400.0), Lens(k1, CENTRE, RADIUS)

    def picture(world):
        flat = np.asarray(world) * [500.0, -500.0] + [340.0, 480.0]
        return lens.bent(tilt.tilted(flat.T)).T

    return picture


def seen_at(places, u=0.0, body="b"):
    """Take places of a body as read, each to u px."""
    places = np.asarray(places, dtype=float)
    spread = np.full(len(places), u)
    return Seen(places[:, 0], places[:, 1], spread, spread, np.arange(len(places)), body)


@given(
    pan=st.floats(-0.7, 0.7), pitch=st.floats(-0.7, 0.7), k1=st.floats(-0.15, 0.15),
    angle=st.floats(-3, 3), down=st.booleans(), kind=st.sampled_from(["scale", "plane", "track"]),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_a_mapping_leads_there_and_back_and_its_derivative_is_that_of_its_positions(
    pan, pitch, k1, angle, down, kind
):
    """Any tilt, bend, axes: world and picture undo each other; derivatives match differences."""
    picture = viewed(pan, pitch, k1)
    lens = Lens(k1, CENTRE, RADIUS)
    ground = scale = None
    if kind == "scale":
        scale = plain_scale(0.002, 0.0, "t")
    elif kind == "plane":
        ground = Plane(picture(RECTANGLE), RECTANGLE, 0.0, lens=lens)
    else:
        along = np.array([0.0, 0.2, 0.5, 0.9, 1.2])
        ground = Track(picture(np.column_stack([along, 0 * along + 0.2])), along, 0.0, lens=lens)
    mapping = Mapping(
        "t", Axes((500.0, 420.0), angle, y_down=down), scale, lens=lens, ground=ground,
        nearer=measured(0.97, 0.0, ONE, sources.plane_offset("t")),
    )  # fmt: skip
    places = picture([[0.1, 0.1], [0.6, 0.3], [1.1, 0.45]])
    assert mapping.reaches(places.T).all()
    x, y = (q.value for q in mapping.world(seen_at(places)))
    assert np.column_stack(mapping.picture(x, y)) == pytest.approx(places, abs=1e-6)
    by = mapping.derivatives(places.T)
    for axis in (0, 1):
        step = np.zeros(2)
        step[axis] = 1e-3
        ahead, behind = (mapping.world(seen_at(places + s)) for s in (step, -step))
        moved = [(a.value - b.value) / 2e-3 for a, b in zip(ahead, behind, strict=True)]
        assert by[:, axis] == pytest.approx(np.stack(moved), rel=1e-4, abs=1e-8)


def test_a_plane_is_recovered_exactly_mirrored_or_not():
    """Four corners, or a board of 54 points, give places to rounding; its axes turn as they are seen."""
    picture = viewed(0.5, -0.3, -0.08)
    lens, inside = Lens(-0.08, CENTRE, RADIUS), np.array([[0.3, 0.1], [0.9, 0.4], [1.4, -0.1]])
    board = np.array([[0.025 * i, 0.025 * j] for i in range(9) for j in range(6)])
    for world in (RECTANGLE, board):
        plane = Plane(picture(world), world, 0.5, lens=lens)
        x, y = Mapping("t", Axes(None), lens=lens, ground=plane).world(seen_at(picture(inside)))
        assert np.column_stack([x.value, y.value]) == pytest.approx(inside, abs=1e-6)
        assert plane.upright
    downwards = Plane(picture(RECTANGLE), RECTANGLE * [1, -1] + [0, 0.5], 0.5, lens=lens)
    assert not downwards.upright
    turned = Mapping("t", Axes(None, math.radians(90)), lens=lens, ground=downwards)
    along, _across = turned.world(seen_at(picture([[0.0, 0.5], [0.0, 0.0]])))
    # anticlockwise as seen from the side that looks right is up in the picture
    assert along.value[0] - along.value[1] == pytest.approx(0.5)


def test_three_marks_along_a_line_seen_at_an_angle_give_distances_anywhere_on_it():
    """Marks at 0, 0.4 and 1 m: places between and beyond are right to rounding, and so is a fit of six."""
    picture = viewed(0.8, 0.1, 0.0)
    for marks in (np.array([0.0, 0.4, 1.0]), np.linspace(0, 1.1, 6)):
        track = Track(picture(np.column_stack([marks, 0 * marks])), marks, 0.5)
        wanted = np.array([-0.1, 0.25, 0.7, 1.15])
        found = track.places(picture(np.column_stack([wanted, 0 * wanted])).T).T
        assert found[:, 0] == pytest.approx(wanted, abs=1e-9)
        assert found[:, 1] == pytest.approx(0, abs=1e-9)
    assert track.residual_px == pytest.approx(0, abs=1e-6)


def drawn(rng):
    """One drawn camera: what was marked with its scatter, and positions with the truth."""
    pan, pitch, k1 = rng.uniform(-0.6, 0.6), rng.uniform(-0.5, 0.5), rng.uniform(-0.08, 0.08)
    picture, u = viewed(pan, pitch, k1), rng.uniform(0.3, 1.5)
    edges = [np.column_stack([np.linspace(40, 1240, 12), np.full(12, y)]) for y in (25.0, 700.0)]
    bent = [Lens(k1, CENTRE, RADIUS).bent(edge.T).T + rng.normal(0, 0.3, edge.shape) for edge in edges]
    lens = fit_bend(bent, CENTRE, RADIUS, 0.3, "t").lens
    width, height = 1.2 * (1 + rng.normal(0, 0.002)), 0.5 * (1 + rng.normal(0, 0.002))
    size = RECTANGLE / [1.2, 0.5] * [width, height]
    plane = Plane(picture(RECTANGLE) + rng.normal(0, u, (4, 2)), size, u, (0.002, 0.002), lens, "t")
    away, off = 2.0, rng.uniform(-0.1, 0.2)
    kappa = 1 - measured(off, 0.004, ONE, sources.plane_offset("t")) / measured(
        away + rng.normal(0, 0.1), 0.1, ONE, sources.camera_distance("t")
    )
    true_factor = 1 - (off + rng.normal(0, 0.004)) / away
    origin = np.array([0.2, 0.1])
    turn = rng.uniform(-0.5, 0.5)
    where = picture(origin[None])[0] + rng.normal(0, 0.8, 2)
    axes = Axes((float(where[0]), float(where[1])), turn + rng.normal(0, 0.01), 0.8, 0.01)
    mapping = Mapping("t", axes, lens=lens, ground=plane, nearer=kappa)
    t = np.linspace(0, 1, 24)
    course = np.column_stack([0.2 + 0.7 * t, 0.1 + 0.1 * t + 0.2 * t**2])
    c, s = math.cos(turn), math.sin(turn)
    truth = (course - origin) @ np.array([[c, -s], [s, c]]) * true_factor
    seen = picture(course) + rng.normal(0, 0.7, course.shape)
    return mapping.world(seen_at(seen, 0.7)), truth, t


def test_stated_intervals_of_drawn_planes_hold_the_truth():
    """Corners, sizes, lens, offset, origin, direction and readings drawn anew: places and fits hold in 95 %."""
    rng, held = np.random.default_rng(1), []
    for _n in range(400):
        (x, y), truth, t = drawn(rng)
        for q, true in ((x, truth[:, 0]), (y, truth[:, 1])):
            held.append(abs(q.value[-1] - true[-1]) <= q[-1].U95)
            # the second difference stands for an acceleration: what is common partly cancels
            third = np.linalg.pinv(np.column_stack([np.ones_like(t), t, t**2]))[2]
            bent = q.weighed(third)
            held.append(abs(float(bent) - float(third @ true)) <= bent.U95)
    assert np.mean(held) == pytest.approx(0.95, abs=0.018)


def test_a_straight_edge_gives_the_bend_within_what_is_stated():
    """One edge near the border: k1 within 95 % in 95 % of draws; scatter beyond the stated u enlarges it."""
    rng, held = np.random.default_rng(2), []
    for _n in range(400):
        k1 = rng.uniform(-0.1, 0.1)
        edge = np.column_stack([np.linspace(60, 1220, 15), np.full(15, rng.uniform(20, 150))])
        marks = Lens(k1, CENTRE, RADIUS).bent(edge.T).T + rng.normal(0, 0.5, edge.shape)
        lens = fit_bend([marks], CENTRE, RADIUS, 0.5, "t").lens
        q = measured(lens.k1, lens.u_k1, ONE, sources.with_dof(sources.lens("t"), lens.dof))
        held.append(abs(float(q) - k1) <= q.U95)
    assert np.mean(held) == pytest.approx(0.95, abs=0.025)
    rough = fit_bend([marks + rng.normal(0, 3, marks.shape)], CENTRE, RADIUS, 0.5, "t")
    assert rough.enlarged > 2
    assert rough.lens.dof == 12


def test_the_bend_that_was_found_leaves_lines_straight_and_says_what_it_was():
    """The greatest distance from the chord as filmed, and what is left of it, in px."""
    edge = np.column_stack([np.linspace(100, 1180, 9), np.full(9, 60.0)])
    fit = fit_bend([Lens(-0.05, CENTRE, RADIUS).bent(edge.T).T], CENTRE, RADIUS, 0.5, "t")
    assert fit.lens.k1 == pytest.approx(-0.05, abs=1e-9)
    assert fit.left_px == pytest.approx(0, abs=1e-6)
    assert 5 < fit.bend_px < 15


@pytest.mark.parametrize(
    ("make", "code"),
    [
        (lambda: fit_bend([np.array([[0.0, 0], [100, 0]])], CENTRE, RADIUS, 1, "t"), "three marks"),
        (lambda: fit_bend([np.array([[0.0, 0], [0, 0], [9, 0]])], CENTRE, RADIUS, 1, "t"), "on each other"),
        (lambda: fit_bend([np.array([[0.0, 360], [500, 360], [1200, 360]])], CENTRE, RADIUS, 1, "t"), "middle"),
        (lambda: fit_bend([np.array([[0.0, 0], [600, 500], [1200, 0]])], CENTRE, RADIUS, 1, "t"), "No lens"),
        (lambda: plane([[0, 0], [0, 0], [9, 9], [0, 90]]), "on each other"),
        (lambda: plane([[0, 0], [300, 1], [600, 0], [900, 1]]), "edge-on"),
        (lambda: plane([[0, 0], [300, 0], [600, 0], [300, 400]]), "Three of"),
        (lambda: plane([[0, 0], [600, 400], [600, 0], [0, 400]]), "cross"),
        (lambda: plane([[0, 0], [600, 0], [200, 150], [0, 400]]), "within"),
        (lambda: plane([[0, 0], [600, 0], [600, 400], [0, 400]], width=0), "longer than zero"),
        (lambda: track([[0, 0], [9, 0]], [0, 1]), "three marks"),
        (lambda: track([[0, 0], [90, 0], [90, 0]], [0, 1, 2]), "on each other"),
        (lambda: track([[0, 0], [900, 0], [500, 0]], [0, 1, 2]), "order"),
        (lambda: track([[0, 0], [500, 90], [900, 0]], [0, 1, 2]), "line through"),
        (lambda: track([[0, 0], [10, 0], [900, 0]], [0, 1, 1.01]), "straight line"),
    ],
)  # fmt: skip
def test_what_cannot_be_laid_is_refused_in_a_sentence(make, code):
    """Coincident, collinear, crossing, edge-on, through the centre, out of order: each says what to do."""
    with pytest.raises(GeometryError, match=code):
        make()


def plane(corners, width=1.0):
    """Lay a rectangle of 1 m height by four corners."""
    return Plane(np.array(corners, dtype=float), np.array([[0, 0], [width, 0], [width, 1], [0, 1]]), 0.5)


def track(marks, distances):
    """Lay marks along a line."""
    return Track(np.array(marks, dtype=float), np.array(distances, dtype=float), 0.5)


def test_beyond_the_horizon_or_a_folding_lens_there_is_no_place():
    """A place in the sky over the plane, and one where a barrel folds the picture, are not reached."""
    tilted = viewed(0.0, 1.0, 0.0)
    mapping = Mapping("t", Axes(None), ground=Plane(tilted(RECTANGLE), RECTANGLE, 0.5))
    assert mapping.reaches(tilted([[0.6, 0.2]]).T).all()
    upwards = np.stack([np.full(61, 640.0), np.linspace(-6000, 6000, 61)])
    assert {bool(there) for there in mapping.reaches(upwards)} == {True, False}
    bent = Mapping("t", Axes(), plain_scale(0.01, 0, "t"), lens=Lens(-0.5, CENTRE, RADIUS))
    assert list(bent.reaches(np.array([CENTRE, (0.0, 0.0)]).T)) == [True, False]


def drawn_board(picture, columns=9, rows=6, square=0.05):
    """Paint a board of squares as a camera sees it; gives the picture and its inner corners, px."""
    grid = np.array([[square * i, square * j] for j in range(rows) for i in range(columns)])
    plane = Plane(picture(grid), grid, 0.0, lens=Lens(-0.05, CENTRE, RADIUS))
    mapping = Mapping("t", Axes(None), lens=plane.lens, ground=plane)
    grey = np.zeros((720, 1280))
    # a pixel is the mean of four places in it
    for dx, dy in ((-0.25, -0.25), (0.25, -0.25), (-0.25, 0.25), (0.25, 0.25)):
        x, y = np.meshgrid(np.arange(1280) + dx, np.arange(720) + dy)
        found = plane.places(mapping.straightened(np.stack([x.ravel(), y.ravel()]))) / square
        white = (np.floor(found[0]) + np.floor(found[1])) % 2 == 0
        inside = (found > -1).all(axis=0) & (found[0] < columns) & (found[1] < rows)
        grey += np.where(inside, np.where(white, 220.0, 30.0), 128.0).reshape(720, 1280) / 4
    return cv2.GaussianBlur(grey.astype(np.float32), (0, 0), 0.9).astype(np.uint8), picture(grid)


def test_a_printed_board_and_a_ball_are_found_by_themselves():
    """Corners to a tenth of a px, the bend of the lens by its rows and columns, a ball's radius by its outline."""
    picture = viewed(0.3, -0.2, -0.05)
    grey, corners = drawn_board(lambda grid: picture(np.asarray(grid) * 2.2 + [0.15, 0.1]))
    board = find_board(grey)
    assert {board.columns, board.rows} == {9, 6}
    apart = np.hypot(*(board.seen[:, None] - corners[None]).transpose(2, 0, 1)).min(axis=1)
    assert (np.median(apart), np.max(apart)) < (0.15, 0.45)
    lens = fit_bend(board.lines, CENTRE, RADIUS, 0.1, "t").lens
    assert lens.k1 == pytest.approx(-0.05, abs=0.006)
    assert find_board(np.full((200, 300), 90, np.uint8)) is None
    ball = np.full((240, 320), 60, np.uint8)
    cv2.circle(ball, (160 * 16, 120 * 16), 40 * 16, 200, -1, cv2.LINE_AA, 4)
    found = find_ball(cv2.GaussianBlur(ball, (0, 0), 0.8), 112, 76, 96, 90)
    assert (found.x, found.y) == (pytest.approx(160, abs=0.2), pytest.approx(120, abs=0.2))
    assert abs(found.radius - 40) < 2 * found.u_radius + 0.3
    assert find_ball(np.full((240, 320), 60, np.uint8), 112, 76, 96, 90) is None
