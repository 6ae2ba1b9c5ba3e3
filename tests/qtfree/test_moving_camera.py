"""A camera that moves: the virtual camera turns about its own centre, the core undoes it from fixed points."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from saltus.core import sources
from saltus.core.clock.clock import Clock
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.fixed_points import FixedPoint, motion_by_points, usual_turning
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.lens import Lens
from saltus.core.geometry.mapping import Mapping
from saltus.core.geometry.seen import Seen
from saltus.core.motion.models import MODELS
from saltus.core.motion.segment import fit_segment
from saltus.simulate.hand_held import HELD, pose_of
from saltus.simulate.view import VIEW, View

WIDTH, HEIGHT, M_PER_PX = 1280, 720, 2.0 / 1280
SIZE = (WIDTH, HEIGHT)
PINS = np.array([[180.0, 120], [1100, 160], [300, 640]])
T = np.linspace(0, 1, 25)
FRAMES = np.arange(len(T))


def views(seed=1, distance=2.0, k1=0.0, **held):
    """How a held camera looks in each frame."""
    chosen = VIEW | HELD | held | {"duration": 1.0, "seed": seed, "distance": distance, "lens_k1": k1}
    return [View(WIDTH, HEIGHT, M_PER_PX, chosen, pose_of(chosen, float(t))) for t in T]


def pinned(looks, count, u=0.0, rng=None, lens=None):
    """Fixed points as read in every frame."""
    found = []
    for n, pin in enumerate(PINS[:count]):
        seen = np.array([look.seen(pin[None])[0] for look in looks]).T
        if rng is not None:
            seen = seen + rng.normal(0, u, seen.shape)
        seen = seen if lens is None else lens.straight(seen)
        found.append(FixedPoint(f"pin-{n}", f"Pin {n}", FRAMES, seen, np.full(seen.shape, u or 1e-3)))
    return found


def along(acceleration=1.2, speed=0.2):
    """A way along x, m, and its places in a picture taken square-on from where the camera stood."""
    x = speed * T + 0.5 * acceleration * T**2
    return x, np.column_stack([300 + x / M_PER_PX, np.full(len(T), 420.0)])


def mapped(motion, lens=None):
    """The way into the world, in pixels, x to the right and y up about the corner."""
    return Mapping("t", Axes(None), lens=lens, camera_motion=motion)


@given(shake=st.floats(0, 1.5), sweep=st.floats(-12, 12), roll=st.floats(0, 8), zoom=st.floats(-0.2, 0.4),
       k1=st.floats(-0.06, 0.06), seed=st.integers(0, 99))  # fmt: skip
@settings(max_examples=25, deadline=None)
def test_three_points_undo_whatever_a_turning_camera_does(shake, sweep, roll, zoom, k1, seed):
    """With three points the pinhole comes out by itself: places are those of the first frame, also bent ones."""
    held = {"shake_deg": shake, "sweep_deg": sweep, "roll_deg": roll, "zoom": zoom}
    looks = views(seed, k1=k1, **held)
    lens = Lens(k1, (639.5, 359.5), looks[0].radius)
    found = motion_by_points("t", pinned(looks, 3, lens=lens), SIZE, zooms=True)
    _x, flat = along()
    seen = np.array([look.seen(place[None])[0] for look, place in zip(looks, flat, strict=True)]).T
    still = lens.straight(np.array([looks[0].seen(place[None])[0] for place in flat]).T)
    mapping = mapped(found.motion, lens)
    nothing = np.zeros(len(T))
    assert mapping.reaches(seen, FRAMES).all()
    x, y = mapping.world(Seen(*seen, nothing, nothing, FRAMES))
    # where it hardly turns, k stays as unsure as it was; that is part of u then
    assert np.all(np.abs(x.value - still[0]) < 0.02 + 3 * x.u)
    assert np.all(np.abs(y.value + still[1]) < 0.02 + 3 * y.u)
    if abs(sweep) > 6:
        assert found.motion.turning == pytest.approx((M_PER_PX / 2.0) ** 2, rel=0.15)
    back = mapping.in_frame(7)
    assert np.stack(back.picture(x.value[7:8], y.value[7:8])) == pytest.approx(seen[:, 7:8], abs=1e-6)


@pytest.mark.parametrize(
    ("count", "held", "zooms"),
    [
        (1, {"shake_deg": 0.6}, False),
        (2, {"shake_deg": 0.8, "roll_deg": 3}, False),
        (2, {"sweep_deg": 6, "roll_deg": 2, "zoom": 0.2}, True),
    ],
)
def test_an_acceleration_from_a_held_camera_holds(count, held, zooms):
    """Drawn cameras, points and readings: 95 % of the intervals hold, near the middle of the picture."""
    rng, hits, runs = np.random.default_rng(5), 0, 200
    model = MODELS["constant-acceleration"]
    for n in range(runs):
        distance = M_PER_PX / np.sqrt(rng.uniform(0.02, 2) * usual_turning(*SIZE)[0])
        looks = views(n, distance, **held)
        _x, flat = along(rng.uniform(0.6, 1.6))
        found = motion_by_points("t", pinned(looks, count, 0.4, rng), SIZE, zooms=zooms)
        seen = np.array([look.seen(place[None])[0] for look, place in zip(looks, flat, strict=True)])
        seen = (seen + rng.normal(0, 0.7, seen.shape)).T
        u = np.full(len(T), 0.7)
        world, _y = mapped(found.motion).world(Seen(*seen, u, u, FRAMES, "puck"))
        a = fit_segment(model, T, world, Clock(0.0, 0.0, "t")).parameters["acceleration"]
        # the scale of the steady frame is that in which the camera looked first
        true = 2 * np.polyfit(T, [looks[0].seen(p[None])[0, 0] for p in flat], 2)[0]
        hits += abs(float(a) - true) <= a.U95
    assert 0.91 <= hits / runs <= 0.995


def test_what_a_frame_has_wrong_is_wrong_for_all_bodies_in_it():
    """Two bodies read in one frame share the reading of the pin; at the steady frame nothing is added."""
    looks = views(3, shake_deg=1)
    found = motion_by_points("t", pinned(looks, 1, 0.5), SIZE)
    mapping, nothing = mapped(found.motion), np.zeros(2)
    frames = np.array([0, 9])
    one, _y = mapping.world(Seen(np.array([400.0, 410]), np.full(2, 300.0), nothing, nothing, frames, "a"))
    two, _y = mapping.world(Seen(np.array([600.0, 610]), np.full(2, 300.0), nothing, nothing, frames, "b"))
    assert one.u[0] == 0
    assert one.u_own[1] == pytest.approx(0.5, rel=0.15)
    of_pin = [c for source, c in (two[1] - one[1]).parts().items() if source.cause == "reading"]
    assert max(of_pin) < 0.05
    assert sources.fixed_point("t", "pin-0", "x") in one.shares
    assert not mapping.reaches(np.full((2, 1), 300.0), np.array([99])).any()


def test_fixed_points_that_do_not_stand_still_are_told():
    """Lost, together, and moving against each other: one sentence each, and honest ones are not accused."""
    looks = views(4, shake_deg=1, roll_deg=2)
    one, two = pinned(looks, 2, 0.5)
    seldom = FixedPoint("c", "Screw", FRAMES[:1], one.seen[:, :1], one.u[:, :1])
    elsewhere = FixedPoint("c", "Screw", FRAMES + 100, one.seen, one.u)
    beside = FixedPoint("c", "Screw", FRAMES, one.seen + 5, one.u)
    pushed = two.seen.copy()
    pushed[0, 12:] += 14
    moved = FixedPoint("pin-1", "Pin 1", FRAMES, pushed, two.u)
    for points, words in [
        ([seldom], "Screw"), ([one, elsewhere], "never read in the same"), ([one, beside], "within 20 px"),
        ([one, moved], "move against each other"), ([one, moved, pinned(looks, 3)[2]], "moves against"),
    ]:  # fmt: skip
        with pytest.raises(GeometryError, match=words):
            motion_by_points("t", points, SIZE)
    half = FixedPoint("pin-1", "Pin 1", FRAMES[5:], two.seen[:, 5:], two.u[:, 5:])
    told = motion_by_points("t", [one, half], SIZE)
    assert (told.motion.steady, told.lost) == (5, 5)


@given(
    st.lists(st.tuples(st.floats(-2000, 3000), st.floats(-2000, 3000)), min_size=12, max_size=12),
    st.integers(1, 3), st.booleans(),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_any_fixed_points_are_used_or_told(places, count, zooms):
    """Whatever is clicked, the way into the world is finite with its u, or a sentence says what is wrong."""
    size = 12 // count
    points = [
        FixedPoint(
            f"p{n}",
            f"P{n}",
            np.arange(size),
            np.array(places[n * size : (n + 1) * size]).T,
            np.ones((2, size)),
        )
        for n in range(count)
    ]
    try:
        found = motion_by_points("t", points, SIZE, zooms=zooms and count > 1)
    except GeometryError:
        return
    frames = np.arange(size)
    u = np.ones(size)
    x, y = mapped(found.motion).world(Seen(np.full(size, 300.0), np.full(size, 200.0), u, u, frames, "a"))
    assert np.isfinite(x.value).all()
    assert np.isfinite(y.u).all()


def test_nothing_told_of_a_lens_is_anything_from_a_shift_to_a_wide_one():
    """One point cannot tell a turn from a shift: what lies between both is in u, and grows away from it."""
    k, u = usual_turning(*SIZE)
    assert k == pytest.approx(np.sqrt(3) * u)
    looks = views(6, sweep_deg=5)
    found = motion_by_points("t", pinned(looks, 1, 0.5), SIZE)
    at = np.array([[190.0, 900.0], [130.0, 600.0]])
    nothing = np.zeros(2)
    x, _y = mapped(found.motion).world(Seen(*at, nothing, nothing, np.array([20, 24]), "a"))
    assert x.u[1] > 1.5 * x.u[0] > 1
    assert found.motion.moved_px(*SIZE)[-1] == pytest.approx(np.tan(np.radians(5)) * 1280, rel=0.2)
