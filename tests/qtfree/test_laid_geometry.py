"""What is laid over a take's picture: several lengths, planes, offsets, axes, trust, and the two commands."""

import json
import math

import numpy as np
import pytest
from made import measured as measured_take

from saltus.core.geometry.reference import ReferenceLength, pointing, scale_of
from saltus.core.geometry.references import together
from saltus.core.geometry.way import direction_of_way
from saltus.notebook.derived.geometry import geometry_of, mapping_of, scale_problem
from saltus.notebook.derived.geometry_words import disagreement, new_problem, next_check, verdict_words
from saltus.notebook.derived.lengths import checked_lengths
from saltus.notebook.derived.motion import headline
from saltus.notebook.derived.points import points_found
from saltus.notebook.derived.trust import trust_of
from saltus.notebook.edits import geometry as edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits.like_template import set_up_like
from saltus.notebook.geometry import KnownLens, PlanePoints, TrackMark, TrackMarks, Typed, TypedOffset
from saltus.notebook.storage import save
from saltus.simulate.demo import HAND_PX, demo_notebook
from saltus.simulate.demo_askew import TAKE, askew


def metres(value, U95=0.001):
    """Type a length in metres."""
    return Typed(value=value, unit="m", U95=U95, U95_unit="m")


def nearer_by(value, U95=0.002):
    """Type an offset in metres."""
    return TypedOffset(value=value, unit="m", U95=U95, U95_unit="m")


def rod(px, length=1.0, u_px=1.0, name="", **more):
    """Lay a length of so many px."""
    return ReferenceLength((100.0, 100.0), (100.0 + px, 100.0), length, 0.0005, u_px, name, **more)


@pytest.fixture
def taken():
    """A notebook with one take, scaled and measured, and the take's id."""
    notebook, take_id, *_rest = measured_take(40, noise_px=0.7, seed=5)
    return notebook, take_id


def with_length(notebook, take_id, start, end, length, *, check=False, **more):
    """Lay a further length and type it."""
    notebook, reference_id = edits.add_length(notebook, take_id, start, end, check=check)
    return edits.change_length(notebook, take_id, reference_id, length=length, **more)


def test_lengths_that_agree_share_their_weight_and_those_that_differ_enlarge_the_scale():
    """Weights go by 1/u²; a disagreement that nothing explains enters as their spread, and is told."""
    found = together([rod(500), rod(250, 0.5, name="b")], "t")
    assert found.agree is True
    assert float(found.scale.u) < float(scale_of(rod(500), "t").u)
    apart = together([rod(500), rod(485, name="b")], "t")
    assert apart.agree is False
    assert [a.agree for a in apart.each] == [False, False]
    assert apart.each[1].percent == pytest.approx(100 * (500 / 485 - 1))
    assert float(apart.scale.u) > 0.9 * np.std([1 / 500, 1 / 485], ddof=1)
    one_rule = together([rod(500, instrument="rod"), rod(250, 0.5, name="b", instrument="rod")], "t")
    assert float(one_rule.scale.u) > float(found.scale.u)


def test_intervals_of_scales_from_several_lengths_hold_the_truth():
    """Three lengths, drawn anew with their ends and rules; ends placed five times tell their own u."""
    rng, held, repeated = np.random.default_rng(4), [], []
    for _n in range(600):
        laid = [
            ReferenceLength((0.0, y), (px + rng.normal(0, 1.4), y), px / 500 + rng.normal(0, 5e-4), 5e-4, 1.0, str(y))
            for px, y in ((420.0, 0.0), (300.0, 90.0), (510.0, 180.0))
        ]  # fmt: skip
        scale = together(laid, "t").scale
        held.append(abs(float(scale) - 1 / 500) <= scale.U95)
        pairs = tuple(((rng.normal(0, 0.8), 0.0), (500 + rng.normal(0, 0.8), 0.0)) for _m in range(5))
        again = scale_of(ReferenceLength((0, 0), (500, 0), 1.0, 0.0, 1.0, placements=pairs), "t")
        repeated.append(abs(float(again) - 1 / 500) <= again.U95)
    assert np.mean(held) == pytest.approx(0.955, abs=0.02)
    assert np.mean(repeated) == pytest.approx(0.95, abs=0.02)
    assert pointing(pairs)[1] == 4


def test_a_plane_nearer_to_the_camera_makes_lengths_shorter_by_typed_or_measured_distance(taken):
    """(D − d)/D: with a typed distance; without, by a second length in another plane a known way off."""
    notebook, take_id = taken
    plain = float(headline(notebook.take(take_id))[1])
    typed = edits.change_geometry(notebook, take_id, nearer=nearer_by(0.1), distance=metres(2.0, 0.05))
    value = headline(typed.take(take_id))[1]
    assert float(value) == pytest.approx(0.95 * plain, rel=1e-3)
    assert {"plane-offset", "camera-distance"} <= {s.cause for s in value.sources}
    alone = edits.change_geometry(notebook, take_id, nearer=nearer_by(0.1))
    assert "distance of the camera" in geometry_of(alone.take(take_id)).problems["offset"]
    # a rule 0.2 m nearer looks 1/0.9 times as long
    seen = 500 / 0.9
    told = with_length(alone, take_id, (50.0, 40.0), (50.0 + seen, 40.0), metres(1.0), nearer=nearer_by(0.2))
    assert 1 / float(geometry_of(told.take(take_id)).by_distance) == pytest.approx(2.0, rel=1e-6)
    assert float(headline(told.take(take_id))[1]) == pytest.approx(0.95 * plain, rel=1e-3)
    assert disagreement(told.take(take_id)) == []
    beside = with_length(notebook, take_id, (50.0, 40.0), (50.0 + seen, 40.0), metres(1.0), with_motion=True)
    assert float(headline(beside.take(take_id))[1]) == pytest.approx(0.9 * plain, rel=1e-6)


def test_a_check_that_fails_says_by_how_much_and_which_way(taken):
    """A known length elsewhere that comes out 3 % long is told, is no part of the scale, and fails the trust."""
    notebook, take_id = taken
    good = with_length(notebook, take_id, (60.0, 40.0), (310.0, 40.0), metres(0.5), check=True)
    assert [c.held.agree for c in checked_lengths(good.take(take_id))] == [True]
    bad = with_length(notebook, take_id, (60.0, 40.0), (317.5, 40.0), metres(0.5), check=True)
    take = bad.take(take_id)
    assert float(mapping_of(take).scale) == float(mapping_of(notebook.take(take_id)).scale)
    assert "3.0 % too long" in disagreement(take)[0]
    assert verdict_words(take, "a").startswith("No:")
    upper = with_length(notebook, take_id, (60.0, 40.0), (545.0, 40.0), metres(1.0))
    assert disagreement(upper.take(take_id))[0].startswith(("The upper one", "The lower one"))


def test_signs_and_directions_restate_everything(taken):
    """Positive down turns the sign of y and no x; plumb line, two places and the way of a body give x."""
    notebook, take_id = taken
    take = notebook.take(take_id)
    x, y = mapping_of(take).place(300.0, 200.0)
    down = edits.positive_down(notebook, take_id, True).take(take_id)
    flipped = mapping_of(down).place(300.0, 200.0)
    assert (float(flipped[0]), float(flipped[1])) == (pytest.approx(float(x)), pytest.approx(-float(y)))
    leaning = edits.direct_axes(notebook, take_id, ((200.0, 50.0), (205.0, 250.0)), "plumb", 1.0)
    axes = mapping_of(leaning.take(take_id)).axes
    assert math.degrees(axes.angle) == pytest.approx(math.degrees(math.atan2(5, 200)), abs=1e-6)
    assert axes.u_angle == pytest.approx(math.sqrt(2) / math.hypot(5, 200), rel=1e-6)
    upside = edits.direct_axes(notebook, take_id, ((205.0, 250.0), (200.0, 50.0)), "plumb", 1.0)
    assert mapping_of(upside.take(take_id)).axes.angle == pytest.approx(axes.angle)
    rng = np.random.default_rng(3)
    along = np.linspace(0, 400, 30)
    way = np.stack([300 - along * math.cos(0.2), 100 + along * math.sin(0.2)]) + rng.normal(0, 0.5, (2, 30))
    angle, u = direction_of_way(mapping_of(take), way, 0.5)
    assert abs(math.remainder(angle - (math.pi + 0.2), 2 * math.pi)) < 3 * u < 0.01
    assert direction_of_way(mapping_of(take), way[:, :1].repeat(5, axis=1), 0.5) is None


def test_the_askew_demo_is_right_once_the_last_check_is_done(tmp_path, saltus):
    """Corners, lens and rule agree with the truth; what nobody checked is what is wrong, and is named first."""
    notebook = demo_notebook("askew")
    take = notebook.takes[0]
    truth = TAKE.set_up().truth["acceleration"]
    trust = trust_of(take)
    value = headline(take)[1]
    assert abs(float(value) - truth) > value.U95
    assert trust.unchecked[0].what == "plane"
    assert next_check(take)[0] == "plane"
    assert {e.what for e in trust.checked} >= {"perspective", "lens", "reference", "direction"}
    # ignoring the corners would have cost more than everything that is stated
    assert max(e.percent for e in trust.checked if e.what == "perspective") > trust.stated_percent
    away = TAKE.set_up().view.to_plane
    done = edits.change_geometry(
        notebook, take.id, nearer=nearer_by(0.024), distance=metres(round(away, 3), 0.02)
    )
    right = headline(done.takes[0])[1]
    assert abs(float(right) - truth) <= right.U95
    assert "plane" not in {e.what for e in trust_of(done.takes[0]).unchecked}
    save(done, tmp_path / "a.saltus")
    code, text, _err = saltus("geometry", tmp_path / "a.saltus", "--json")
    told = json.loads(text)
    assert code == 0
    assert set(told) == {
        "scale", "references", "residual_px", "camera_moved_px", "checked", "unchecked", "warnings",
    }  # fmt: skip
    assert told["references"][0]["agree"] is True
    assert {e["what"] for e in told["unchecked"]} == {"clock", "camera"}
    assert saltus("geometry", tmp_path / "a.saltus", "--take", "nobody")[0] == 2


def test_motion_takes_plane_lens_and_offset_and_segment_their_common_part(tmp_path, saltus):
    """Places as the virtual camera has them, in px: with its geometry the truth comes out, without it does not."""
    truth = TAKE.set_up()
    from saltus.simulate.camera import truth_of  # noqa: PLC0415  loads the camera

    told = truth_of(truth)
    view, body = told["view"], told["bodies"]["Felt puck"]
    rng = np.random.default_rng(8)
    rows = ["body,frame,t [s],x [px],y [px],u(x) [px],u(y) [px],status"]
    for n, t in enumerate(told["time_s"]):
        x, y = np.array([body["x_px"][n], body["y_px"][n]]) + rng.normal(0, HAND_PX, 2)
        rows.append(f"puck,{n},{t},{x},{y},{HAND_PX},{HAND_PX},")
    (tmp_path / "r.csv").write_text("\n".join(rows) + "\n", encoding="utf-8")

    def listed(values):
        return ",".join(f"{v:.6f}" for v in np.ravel(values))

    plane = [
        "--plane",
        listed(view["rectangle"]["corners_px"]),
        "--plane-size",
        listed(view["rectangle"]["size_m"]),
    ]
    lens = ["--lens", view["lens_k1"], "--lens-centre", listed(view["lens_centre_px"]),
            "--lens-radius", view["lens_radius_px"]]  # fmt: skip
    offset = ["--plane-offset", "0.0240(5)", "--camera-distance", f"{view['to_plane_m']:.3f}(10) m"]
    axes = ["--origin", listed(told["axes"]["origin_px"]), "--angle", told["axes"]["angle_deg"]]
    whole = [*plane, "--u-corner", 0.5, *lens, *offset, *axes]
    assert saltus("motion", tmp_path / "r.csv", *whole, "-o", tmp_path / "m.csv")[0] == 0
    header = (tmp_path / "m.csv").read_text(encoding="utf-8").splitlines()[0].split(",")
    assert sum(name.startswith("c:corner-") for name in header) == 16
    assert "c:plane-offset(x) [m]" in header

    def acceleration(table):
        code, text, _err = saltus(
            "segment", table, "--model", "constant-acceleration", "--of", "x", "--from", "0.25", "--json"
        )
        assert code == 0
        return json.loads(text)["parameters"]["acceleration"]

    right = acceleration(tmp_path / "m.csv")
    assert abs(right["value"] - truth.truth["acceleration"]) <= right["U95"]
    for missing in (lens, offset):
        rest = [*plane, *(part for part in (lens, offset) if part is not missing)]
        less = [option for part in rest for option in (part if isinstance(part, list) else [part])]
        assert saltus("motion", tmp_path / "r.csv", *less, *axes, "-o", tmp_path / "n.csv")[0] == 0
        wrong = acceleration(tmp_path / "n.csv")
        assert abs(wrong["value"] - truth.truth["acceleration"]) > wrong["U95"]


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (["--plane", "0,0,1,1,2,2,3,3", "--plane-size", "1,1"], "line|edge-on|each other"),
        (["--plane", "0,0,90,0,90,90,0,90"], "--plane-size"),
        (["--plane", "0,0,90,0", "--plane-size", "1,1"], "four corners"),
        (["--plane", "0,0,90,0,90,90,0,90", "--plane-size", "0,1"], "longer than zero"),
        (["--plane", "0,0,90,0,90,90,0,90", "--plane-size", "1,1", "--u-corner", "-1"], "--u-corner"),
        (["--scale", "0.01", "--lens", "0.1"], "--lens-centre"),
        (["--scale", "0.01", "--lens", "7", "--lens-centre", "0,0", "--lens-radius", "9"], "between"),
        (["--scale", "0.01", "--lens-radius", "9"], "--lens K1"),
        (["--scale", "0.01", "--plane-offset", "0.1"], "go together"),
        (["--scale", "0.01", "--plane-offset", "3", "--camera-distance", "2"], "behind the camera"),
        (["--scale", "0.01", "--plane-offset", "0.1", "--camera-distance", "0"], "longer than zero"),
        (
            ["--scale", "0.01", "--lens", "-0.9", "--lens-centre", "0,0", "--lens-radius", "50"],
            "horizon|lens",
        ),
    ],
)
def test_motion_refuses_geometry_that_makes_no_sense_in_one_sentence(tmp_path, saltus, options, words):
    """Lines instead of planes, half a lens, a camera in the plane: exit code 2, one line, no file."""
    lines = ["body,frame,t [s],x [px],y [px],status", *(f"b,{n},{n / 10},{50 + n},70," for n in range(5))]
    (tmp_path / "r.csv").write_text("\n".join(lines) + "\n", encoding="utf-8")
    code, _out, err = saltus("motion", tmp_path / "r.csv", *options, "-o", tmp_path / "m.csv")
    assert code == 2
    assert err.count("\n") == 1
    assert any(word in err for word in words.split("|")), err
    assert not (tmp_path / "m.csv").exists()


def test_edits_that_would_spoil_the_geometry_are_told_and_unfinished_ones_are_not(taken):
    """Crossed corners are a problem; a plane without its size, two marks or a kept lens are none."""
    notebook, take_id = taken
    take = notebook.take(take_id)
    square = ((100.0, 300.0), (500.0, 300.0), (450.0, 80.0), (150.0, 80.0))
    unsized = edits.change_geometry(notebook, take_id, plane=PlanePoints(seen=square))
    assert new_problem(take, unsized.take(take_id)) is None
    assert mapping_of(unsized.take(take_id)).scale is not None
    sized = PlanePoints(seen=square, width=metres(0.8), height=metres(0.6))
    laid = edits.change_geometry(notebook, take_id, plane=sized)
    assert mapping_of(laid.take(take_id)).ground is not None
    assert scale_problem(laid.take(take_id)) is None
    crossed = sized.but(seen=(square[0], square[2], square[1], square[3]))
    spoiled = edits.change_geometry(laid, take_id, plane=crossed)
    assert "cross" in new_problem(laid.take(take_id), spoiled.take(take_id))
    assert not mapping_of(spoiled.take(take_id)).scaled
    assert "cross" in scale_problem(spoiled.take(take_id))
    marks = TrackMarks(marks=tuple(TrackMark(place=(100.0 + 200 * n, 200.0)) for n in range(3)))
    along = edits.change_geometry(notebook, take_id, track=marks)
    assert new_problem(take, along.take(take_id)) is None
    typed = marks.but(marks=tuple(m.but(distance=d) for m, d in zip(marks.marks, (0, 0.3, 0.8), strict=True)))
    found = mapping_of(edits.change_geometry(notebook, take_id, track=typed).take(take_id))
    assert float(found.place(300.0, 200.0)[0]) - float(found.place(100.0, 200.0)[0]) == pytest.approx(0.3)
    kept = edits.change_geometry(notebook, take_id, lens=KnownLens(camera="lab phone", k1=-0.05, u_k1=0.002))
    assert {s.cause for s in mapping_of(kept.take(take_id)).scale.sources} >= {"lens"}


def test_removing_the_first_length_lets_the_next_take_its_place(taken):
    """A check never becomes the reference; ids never return."""
    notebook, take_id = taken
    more = with_length(notebook, take_id, (0.0, 9.0), (90.0, 9.0), metres(0.2), check=True)
    more = with_length(more, take_id, (0.0, 20.0), (250.0, 20.0), metres(0.5))
    left = edits.remove_length(more, take_id, None).take(take_id)
    assert left.reference.length.value == 0.5
    assert [o.check for o in left.geometry.others] == [True]
    gone = edits.remove_length(more, take_id, "check-1")
    _again, new = edits.add_length(gone, take_id, (0.0, 0.0), (9.0, 9.0), check=True)
    assert new == "check-2"
    assert askew().takes[0].reference.check


def test_takes_of_one_camera_and_what_is_remembered_follow_the_geometry(taken):
    """A take made like a template has its plane and lens; points found before are found anew under a plane."""
    notebook, take_id = taken
    square = ((60.0, 330.0), (560.0, 330.0), (520.0, 60.0), (110.0, 60.0))
    plane = PlanePoints(seen=square, width=metres(0.8), height=metres(0.6))
    take = notebook.take(take_id)
    before = points_found(take, take.bodies[0], "x")
    laid = edits.change_geometry(notebook, take_id, plane=plane, lens=KnownLens(camera="lab", k1=-0.04))
    after = points_found(laid.take(take_id), laid.take(take_id).bodies[0], "x")
    assert before is not after
    other, new_id = take_edits.add_take(laid, take.film, take.facts.film_facts(), "again")
    other, _bodies = set_up_like(other, laid.take(take_id), new_id)
    assert other.take(new_id).geometry == laid.take(take_id).geometry
    moved = edits.change_geometry(other, take_id, plane=None)
    assert moved.take(new_id).geometry.plane is None
    turned = scale_edits.turn_axes(laid.but(takes=(laid.take(take_id).but(axes=None),)), take_id, 10.0)
    assert turned.take(take_id).axes.origin is None
    corner = mapping_of(turned.take(take_id)).origin
    assert corner == (pytest.approx(square[0][0]), pytest.approx(square[0][1]))
