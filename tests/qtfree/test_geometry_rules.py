"""Rules of lengths, distances and directions one by one, and what older files and the command line make of them."""

import json
import math

import numpy as np
import pytest
from made import measured as measured_take

from saltus.core import sources
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.components import applied, by_component, chained, projected, projected_derivative
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.lens import Lens
from saltus.core.geometry.mapping import Mapping
from saltus.core.geometry.measured_length import length_by
from saltus.core.geometry.plane import Plane
from saltus.core.geometry.reference import ReferenceLength, nearer_factor, plain_scale, pointing, scale_of
from saltus.core.geometry.references import alike, distance_from, together, weighted
from saltus.core.geometry.straight_lines import off_chord, off_line
from saltus.core.geometry.way import direction_of_way
from saltus.core.quantities import exact, measured
from saltus.core.units import METRE, ONE
from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.derived.geometry_words import disagreement, next_check, reference_name, to_do
from saltus.notebook.derived.trust import trust_of
from saltus.notebook.edits import geometry as edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.geometry import Typed
from saltus.notebook.readings import Reading
from saltus.notebook.storage import as_text, parse, save

LENS = Lens(-0.06, (320.0, 180.0), 367.0, 0.004, camera="lab")


def value(number, u, name):
    """Make a quantity in metres with a source of its own."""
    return measured(number, u, METRE, sources.scale_length(name))


def laid_at(start, end, length=1.0, name="", **more):
    """Lay a length between two places."""
    return ReferenceLength(start, end, length, 0.001, 1.0, name, **more)


def metres(number, U95=0.002):
    """Type a length in metres."""
    return Typed(value=number, unit="m", U95=U95, U95_unit="m")


def test_weights_go_by_certainty_and_agreement_by_what_is_not_shared():
    """1/u²; alike within scatter, apart beyond it; one alone, or without uncertainty, tells nothing."""
    mean = weighted([value(1.0, 0.1, "a"), value(2.0, 0.2, "b")])
    assert float(mean) == pytest.approx((1 / 0.01 + 2 / 0.04) / (1 / 0.01 + 1 / 0.04))
    assert float(mean.u) == pytest.approx(1 / math.sqrt(1 / 0.01 + 1 / 0.04))
    assert float(weighted([exact(1.0, METRE), exact(3.0, METRE)])) == 2.0
    assert alike([value(1.0, 0.1, "a"), value(1.1, 0.1, "b")]) is True
    assert alike([value(1.0, 0.01, "a"), value(1.1, 0.01, "b")]) is False
    assert alike([value(1.0, 0.1, "a")]) is None
    assert alike([exact(1.0, METRE), exact(1.1, METRE)]) is None
    # what both share cannot tell them apart, nor make them alike
    shared = value(0.0, 5.0, "rule")
    assert alike([value(1.0, 0.01, "a") + shared, value(1.1, 0.01, "b") + shared]) is False


def test_honest_references_are_rarely_said_to_differ():
    """Two and three lengths that agree in truth are told apart in one take of twenty, as stated."""
    rng, told = np.random.default_rng(12), []
    for _n in range(800):
        seen = [(px + rng.normal(0, math.sqrt(2)), px / 500 + rng.normal(0, 0.001)) for px in (300, 420, 510)]
        references = [laid_at((0.0, 0.0), (px, 0.0), m, str(n)) for n, (px, m) in enumerate(seen)]
        told.append(together(references[: 2 + _n % 2], "t").agree)
    assert np.mean([t is False for t in told]) == pytest.approx(0.05, abs=0.02)


def test_a_plane_nearer_shrinks_by_distance_and_never_lies_behind_the_camera():
    """(D − d)/D with both uncertainties; farther is longer; at D or beyond it is refused."""
    by_distance = 1.0 / measured(2.0, 0.1, METRE, sources.camera_distance("t"))
    factor = nearer_factor(value(0.1, 0.01, "d"), by_distance)
    assert float(factor) == pytest.approx(0.95)
    assert float(factor.u) == pytest.approx(math.hypot(0.01 / 2, 0.1 * 0.1 / 4))
    assert float(nearer_factor(value(-0.1, 0.0, "d"), by_distance)) == pytest.approx(1.05)
    for d in (2.0, 3.0):
        with pytest.raises(GeometryError, match="behind the camera"):
            nearer_factor(value(d, 0.0, "d"), by_distance)


def test_two_planes_tell_the_distance_and_one_that_is_no_offset_tells_nothing():
    """1/D = (1 − s₂/s₁)/d, from each and weighted; offsets known to less than themselves are not used."""
    near = laid_at((0, 0), (100, 0), name="near", nearer_m=0.2, u_nearer_m=0.001)
    vague = laid_at((0, 0), (100, 0), name="vague", nearer_m=0.01, u_nearer_m=0.05)
    found = distance_from([near], "t", [measured(0.9, 0.001, ONE, sources.scale_ends("t", "near"))])
    assert float(found) == pytest.approx(0.5)
    assert float(found.u) == pytest.approx(math.hypot(0.001 / 0.2, 0.1 * 0.001 / 0.2**2), rel=1e-6)
    assert distance_from([vague], "t", [exact(0.99)]) is None
    assert distance_from([laid_at((0, 0), (9, 0))], "t", [exact(0.9)]) is None


def test_the_bend_of_the_lens_enters_the_scale_and_what_is_measured_with_it():
    """A length near the border is longer than it looks under a barrel; its k1 is one source throughout."""
    border = laid_at((20.0, 20.0), (620.0, 20.0))
    bare, straightened = scale_of(border, "t"), scale_of(border, "t", LENS)
    assert float(straightened) < float(bare)
    bend = next(s for s in straightened.sources if s.cause == "lens")
    by_hand = [float(scale_of(border, "t", Lens(k, LENS.centre, LENS.radius))) for k in (-0.062, -0.058)]
    assert float(straightened.parts()[bend]) == pytest.approx(abs(by_hand[1] - by_hand[0]), rel=0.01)
    mapping = Mapping("t", Axes((0.0, 359.0)), straightened, lens=LENS)
    again = length_by(mapping, border)
    assert float(again) == pytest.approx(1.0)
    # the reference measured by itself does not depend on the lens
    assert float(again.parts().get(bend, 0.0)) < 1e-9
    elsewhere = length_by(mapping, laid_at((270.0, 180.0), (370.0, 180.0)))
    assert float(elsewhere.parts()[bend]) > 1e-5


def test_pointing_is_the_scatter_of_lengths_over_root_two():
    """Placements in any order of directions; alike ones are not taken for certainty."""
    pairs = tuple(((x, 0.0), (100.0 + y, 0.0)) for x, y in ((0, 0), (1, 1), (-1, 1), (0, -2), (1, -1)))
    lengths = [end[0] - start[0] for start, end in pairs]
    u, dof = pointing(pairs)
    assert (u, dof) == (pytest.approx(np.std(lengths, ddof=1) / math.sqrt(2)), 4)
    same = laid_at((0, 0), (100, 0), placements=(((0.0, 0.0), (100.0, 0.0)),) * 5)
    assert float(scale_of(same, "t").u) > 0
    assert same.placed == ((0.0, 0.0), (100.0, 0.0))


def test_projections_and_their_parts_agree_with_each_other():
    """Derivatives of a homography by differences; products and applications place by place."""
    rng = np.random.default_rng(2)
    matrix = np.array([[1.1, 0.1, 5.0], [-0.2, 0.9, 3.0], [1e-3, -2e-3, 1.0]])
    places = by_component(rng.uniform(-50, 50, (7, 2)))
    there, depth = projected(matrix, places)
    by = projected_derivative(matrix, there, depth)
    for axis in (0, 1):
        step = np.zeros((2, 1))
        step[axis] = 1e-4
        moved = (projected(matrix, places + step)[0] - projected(matrix, places - step)[0]) / 2e-4
        assert by[:, axis] == pytest.approx(moved, rel=1e-6)
    other = rng.normal(size=(2, 2, 7))
    whole = np.einsum("ijn,jkn->ikn", by, other)
    assert chained(by, other) == pytest.approx(whole)
    moves = rng.normal(size=(2, 7))
    assert applied(by, moves) == pytest.approx(np.einsum("ijn,jn->in", by, moves))
    line = np.column_stack([np.arange(5.0), np.array([0.0, 1, 2, 1, 0])])
    assert off_chord(line) == pytest.approx([0, 1, 2, 1, 0])
    assert np.sum(off_line(line)) == pytest.approx(0)


def test_a_way_on_a_plane_has_its_direction_there():
    """Along the second side of a rectangle seen askew: a right angle from the first, whatever it looks like."""
    corners = np.array([[60.0, 330], [560, 300], [500, 80], [150, 60]])
    plane = Plane(corners, np.array([[0, 0], [0.8, 0], [0.8, 0.6], [0, 0.6]]), 0.5)
    mapping = Mapping("t", Axes(None), ground=plane)
    way = np.stack(mapping.picture(np.full(9, 0.4), np.linspace(0.05, 0.55, 9)))
    angle, u = direction_of_way(mapping, way, 0.5)
    assert angle == pytest.approx(math.pi / 2, abs=1e-6)
    assert 0 < u < 0.02
    turned = Mapping("t", Axes(None, angle), ground=plane)
    along, across = turned.place(float(way[0, -1]), float(way[1, -1]))
    assert float(along) == pytest.approx(0.55)
    assert float(across) == pytest.approx(-0.4)
    assert turned.tilt == pytest.approx(math.atan2(*(-turned.headings(*turned.origin)[0][[1, 0]] * [1, -1])))


@pytest.mark.parametrize(
    ("place", "side"),
    [((60.0, 40.0), "upper"), ((60.0, 340.0), "lower"), ((600.0, 150.0), "right")],
)
def test_the_sentence_says_which_of_two_lengths_differs_and_where_it_lies(place, side):
    """Upper, lower, left or right of the others, more or fewer metres per pixel, with its name."""
    notebook, take_id, *_rest = measured_take(20, noise_px=0.7, seed=5)
    end = (place[0] + (470 if side != "right" else 0), place[1] + (0 if side != "right" else 150))
    length = 1.0 if side != "right" else 0.36
    notebook, new = edits.add_length(notebook, take_id, place, end, check=False)
    notebook = edits.change_length(notebook, take_id, new, length=metres(length), name="Steel rule")
    take = notebook.take(take_id)
    words = disagreement(take)[0]
    opposite = {"upper": "lower", "lower": "upper", "right": "left"}[side]
    assert ("Steel rule" in words) == (side in words.split(" one")[0])
    assert side in words or opposite in words
    assert reference_name(take, new) == "Steel rule"
    assert reference_name(take, None) == "Reference length"
    unchecked = {e.what for e in trust_of(take).unchecked}
    assert "plane" in unchecked
    assert next_check(take)[2] == to_do(next_check(take)[0])


def test_older_notebooks_have_no_geometry_and_keep_their_numbers(tmp_path, saltus):
    """A file of version 9 opens with nothing more laid; its scale is the one it had; the command tells it."""
    notebook, take_id, *_rest = measured_take(20, noise_px=0.7, seed=5)
    data = json.loads(as_text(notebook))
    for take in data["takes"]:
        del take["geometry"]
        for name in ("by", "line", "u_line_px", "y_down"):
            del take["axes"][name]
        for name in ("id", "name", "instrument", "placements", "nearer", "with_motion", "check"):
            del take["reference"][name]
    data["version"] = 9
    opened = parse(json.dumps(data), "n.saltus")
    assert opened == notebook
    assert float(mapping_of(opened.take(take_id)).scale) == pytest.approx(1.0 / 500)
    assert geometry_of(opened.take(take_id)).problems == {}
    save(opened, tmp_path / "n.saltus")
    code, text, _err = saltus("geometry", tmp_path / "n.saltus")
    assert code == 0
    assert "scale: 0.002000 ± 0.000012 m/px" in text
    assert "not checked: perspective" in text
    empty = opened.but(takes=(opened.take(take_id).but(reference=None),))
    save(empty, tmp_path / "e.saltus")
    told = json.loads(saltus("geometry", tmp_path / "e.saltus", "--json")[1])
    assert told["scale"] is None
    assert told["unchecked"] == []
    assert "set a reference length" in told["warnings"][0]
    assert pytest.approx(1.96 * 2e-5, rel=1e-3) == plain_scale(0.002, 0.01, "t").U95


def test_effects_on_a_motion_about_another_body_are_those_of_that_motion():
    """A body that turns about another: offsets common to both fall out, and an angle does not know the scale."""
    notebook, take_id, body_id, _segment = measured_take(40, noise_px=0.2, seed=5)
    take = notebook.take(take_id)
    t = np.arange(40) / 30
    centre = take.bodies[0]
    used = centre.readings.used
    x, y = used.x + 60 * np.cos(2 * t), used.y - 60 * np.sin(2 * t)
    notebook, other = reading_edits.add_body(notebook, take_id, "rim")
    for frame in range(len(used.frame)):
        reading = Reading(int(used.frame[frame]), float(x[frame]), float(y[frame]))
        notebook = reading_edits.place_reading(notebook, take_id, other, reading)
    notebook, turned = segment_edits.add_segment(
        notebook, take_id, other, of=f"angle@{body_id}", frames=(0, 39), model="uniform-rotation"
    )
    notebook = segment_edits.choose_headline(notebook, take_id, turned)
    take = notebook.take(take_id)
    trust = trust_of(take)
    assert float(trust.value) == pytest.approx(2.0, rel=0.02)
    effects = {e.what: e.percent for e in (*trust.unchecked, *trust.checked)}
    assert effects["reference"] == pytest.approx(0, abs=1e-9)
    assert effects["plane"] == pytest.approx(0, abs=1e-9)
    assert effects["clock"] == pytest.approx(100 * (1 - 1 / 1.003), rel=1e-3)
    assert 0.1 < effects["perspective"] < 20
