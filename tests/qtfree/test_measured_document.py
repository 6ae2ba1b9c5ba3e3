"""What is measured in the picture, in the notebook: edits, links, files, commands, and a camera that moves."""

import json
from pathlib import Path

import cv2
import made
import numpy as np
import pytest

from saltus.core.geometry.background import Background
from saltus.core.geometry.geometry_error import GeometryError
from saltus.exchange.measured_words import camera_words, leading_words, reading_words
from saltus.exchange.motion_table import motion_of_take
from saltus.exchange.scale_words import scale_words
from saltus.footage.opening import facts_of
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.table.links import linked_in, links_followed
from saltus.investigations.table.sending import given_offers, given_sent, offers, sent_all
from saltus.jobs.background import look_at_background
from saltus.notebook.derived.eyes import frames_to_read_again, readings_to_check
from saltus.notebook.derived.filmed_scales import scale_found
from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.derived.measures import measured_values
from saltus.notebook.derived.motion import body_motion, headline, motion_in, moving_frame_problem, segment_fit
from saltus.notebook.derived.trust import trust_of
from saltus.notebook.edits import measuring as edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.films import reference
from saltus.notebook.geometry import Typed
from saltus.notebook.measuring import Division
from saltus.notebook.model import Notebook
from saltus.notebook.part import PartError
from saltus.notebook.readings import Reading
from saltus.notebook.storage import as_text, parse, save
from saltus.notebook.trials import Link, TrialTable
from saltus.simulate.camera import film, truth_of
from saltus.simulate.instruments import Instrument, film_stills
from saltus.simulate.scenes import set_up

SMALL = {"width": 640, "height": 360, "rate": 20, "duration": 1.2, "noise": 1.0}


def typed(value, unit, spread=0.0):
    """A quantity as it was typed."""
    return Typed(value=value, unit=unit, U95=spread, U95_unit=unit, text=f"{value} {unit}")


def with_pin(notebook, take_id, sway=6.0, u=0.05):
    """The same run filmed by a camera that sways: everything read lies elsewhere, and a pin shows by how much."""
    take = notebook.take(take_id)
    shift = {n: (sway * np.sin(n / 4), 2 * np.sin(n / 7)) for n in range(len(take.facts.ticks))}
    for body in take.bodies:
        for r in list(body.readings):
            dx, dy = shift[r.frame]
            there = r.but(x=r.x + dx, y=r.y + dy)
            notebook = reading_edits.place_reading(notebook, take_id, body.id, there)
    notebook, pin = reading_edits.add_body(notebook, take_id, "Screw")
    notebook = reading_edits.set_reading_uncertainty(notebook, take_id, pin, u)
    for n, (dx, dy) in shift.items():
        notebook = reading_edits.place_reading(notebook, take_id, pin, Reading(n, 300.0 + dx, 190.0 + dy))
    return edits.fix_point(notebook, take_id, pin, fixed=True), pin


def test_a_pin_takes_the_sway_out_and_trust_knows():
    """The acceleration comes back; what ignoring the pin would cost is told; what is lost is left out."""
    notebook, take_id, body, _segment = made.measured(noise_px=0.3)
    still = float(headline(notebook.take(take_id))[1])
    swayed, pin = with_pin(notebook, take_id)
    take = swayed.take(take_id)
    value = headline(take)[1]
    assert float(value) == pytest.approx(still, abs=3 * float(value.u))
    checked = {e.what: e.percent for e in trust_of(take).checked}
    assert checked["camera"] > 2
    assert "up to 6." in camera_words(take)
    assert "Screw" in scale_words(take)
    for frame in range(10, 15):
        swayed = reading_edits.delete_reading(swayed, take_id, pin, frame)
    take = swayed.take(take_id)
    assert not set(range(10, 15)) & set(body_motion(take, take.body(body)).frames.tolist())
    loose = edits.fix_point(swayed, take_id, pin, fixed=False)
    assert geometry_of(loose.take(take_id)).camera.motion is None
    assert "Not checked" in camera_words(loose.take(take_id))
    zoomed = edits.steady_by(swayed, take_id, zooms=True).take(take_id)
    assert "second one" in geometry_of(zoomed).problems["camera"]
    alone = edits.steady_no_more(swayed, take_id).take(take_id)
    assert {e.what for e in trust_of(alone).unchecked} >= {"camera"}


def test_what_is_laid_in_a_later_frame_lies_there():
    """An origin, a length and a measure laid in frame 30 of a camera that sways are those of the first frame."""
    notebook, take_id, _body, _segment = made.measured(frames=31)
    first = scale_edits.place_origin(notebook, take_id, (100.0, 220.0))
    swayed, _pin = with_pin(first, take_id)
    take = swayed.take(take_id)
    camera = geometry_of(take).camera
    (there,) = camera.moved([(100.0, 220.0)], None, 30)
    assert there != pytest.approx((100.0, 220.0), abs=1)
    moved = swayed.take(take_id).axes.but(origin=there, frame=30)
    later = take_edits.change_take(swayed, take_id, axes=moved).take(take_id)
    assert mapping_of(later).origin == pytest.approx(mapping_of(take).origin, abs=1e-6)
    assert mapping_of(later).axes.u_origin_px > mapping_of(take).axes.u_origin_px
    ends = camera.moved([(50.0, 300.0), (550.0, 300.0)], None, 30)
    laid, measure = edits.add_measure(swayed, take_id, "length", ends, 30, u_px=0.5)
    found = measured_values(laid.take(take_id), laid.take(take_id).measure(measure))["length"]
    assert float(found) == pytest.approx(1.0, abs=1e-6)
    place, frame = camera.origin_to_lay((100.0, 220.0), moved)
    assert place == pytest.approx(there, abs=1e-6)
    assert frame == 30
    assert camera.origin_to_lay((7.0, 8.0), None) == ((7.0, 8.0), camera.steady_frame)


@pytest.mark.parametrize(
    ("kind", "places", "part", "wanted"),
    [
        ("length", [(50, 300), (300, 300)], "length", 0.5),
        ("height", [(50, 300), (300, 200)], "height", 0.2),
        ("slope", [(50, 300), (150, 200)], "angle", np.pi / 4),
        ("angle", [(150, 300), (50, 300), (50, 200)], "angle", np.pi / 2),
        ("circle", [(100, 50), (50, 100), (100, 150), (150, 100)], "radius", 0.1),
    ],
)
def test_a_measure_becomes_a_given_and_stays_one(kind, places, part, wanted):
    """What was measured in the picture enters an investigation, shares the scale, and follows when it moves."""
    notebook, take_id, *_rest = made.measured()
    places = tuple((float(x), float(y)) for x, y in places)
    notebook, measure = edits.add_measure(notebook, take_id, kind, places, 0, u_px=0.4)
    take = notebook.take(take_id)
    q = measured_values(take, take.measure(measure))[part]
    assert float(q) == pytest.approx(wanted, rel=1e-6)
    assert q.U95 > 0
    assert "±" in leading_words(take, take.measure(measure))
    recipe = next(
        r
        for r in map(recipe_named, ids())
        if any(g.unit.goes_with(q.unit) and not g.choices for g in r.givens.values())
    )
    notebook = trial_edits.start(notebook, TrialTable(investigation=recipe.id))
    link = Link(kind="measure", source=take_id, place=measure, part=part)
    offer = given_offers(notebook, link, q)[0]
    notebook = given_sent(notebook, offer)
    given = evaluate(notebook).givens[offer.name]
    assert float((given - q).u) == pytest.approx(0, abs=1e-12)
    moved = edits.change_measure(notebook, take_id, measure, places=((60.0, 305.0), *places[1:]))
    followed = links_followed(moved)
    assert followed.trials.givens[offer.name] != notebook.trials.givens[offer.name]
    assert parse(as_text(followed), "a.saltus").trials.given_links == {offer.name: link}
    gone = edits.remove_measure(followed, take_id, measure)
    assert "gone" in linked_in(gone, link)
    assert float(evaluate(gone).givens[offer.name]) == pytest.approx(
        float(evaluate(followed).givens[offer.name])
    )
    typed_over = trial_edits.set_given(followed, offer.name, "0.3")
    assert not typed_over.trials.given_links


def test_measures_that_come_to_nothing_say_so():
    """Ends on each other, a circle through a line, too few places: a sentence, or the edit is refused."""
    notebook, take_id, *_rest = made.measured()
    for kind, places, words in [
        ("length", ((50.0, 50.0), (50.0, 50.0)), "on each other"),
        ("slope", ((50.0, 50.0), (50.0, 50.0)), "no length"),
        ("circle", ((10.0, 10.0), (20.0, 20.0), (30.0, 30.0)), "on a line"),
    ]:
        laid, measure = edits.add_measure(notebook, take_id, kind, places, 0)
        take = laid.take(take_id)
        assert words in measured_values(take, take.measure(measure))
        assert leading_words(take, take.measure(measure)) == "?"
    with pytest.raises(PartError):
        edits.add_measure(notebook, take_id, "angle", ((0.0, 0.0), (1.0, 1.0)), 0)


@pytest.mark.parametrize(
    ("investigation", "column", "kind", "values"),
    [
        ("cantilever-depression", "reading_air", "rule", (18.2, 16.34, 14.43, 12.56)),
        ("whirling-spring", "reading", "rule", (22.1, 20.3, 18.6, 16.7)),
        ("pendulum", "time", "dial", (16.4, 31.2, 45.9, 58.1)),
    ],
)
def test_stills_fill_a_recipe_with_one_action(tmp_path, investigation, column, kind, values):
    """A depression, an elongation and a hand-held watch: pictures, divisions, clicks, one action; all hold."""
    instrument, rng = Instrument(kind, turned=0.08), np.random.default_rng(2)
    film_stills(instrument, values, tmp_path / "stills")
    facts = facts_of(tmp_path / "stills", 1.0)
    notebook, take_id = take_edits.add_take(Notebook(), reference(tmp_path / "stills"), facts, "Stills")

    def clicked(at):
        x, y = np.array(at) + rng.normal(0, 0.5, 2)
        return float(x), float(y)

    notebook, scale_id = edits.add_scale(
        notebook, take_id, "straight" if kind == "rule" else "round", unit=instrument.unit, u_px=0.5
    )
    divisions = tuple(Division(place=clicked(instrument.place(v)), value=v) for v in instrument.marked)
    notebook = edits.change_scale(notebook, take_id, scale_id, divisions=divisions, parallax="on-scale")
    for frame, value in enumerate(values):
        notebook, _part = edits.read_pointer(
            notebook, take_id, scale_id, frame, clicked(instrument.pointer(value))
        )
    take = notebook.take(take_id)
    found = scale_found(take, take.filmed_scale(scale_id))
    factor = 0.01 if kind == "rule" else 1.0
    for reading, value in zip(found.readings, values, strict=True):
        assert abs(float(reading.value) - value * factor) < 1.5 * reading.value.U95
        assert instrument.unit in reading_words(take.filmed_scale(scale_id), reading.value)
    notebook = trial_edits.start(notebook, TrialTable(investigation=investigation))
    links = [Link(kind="filmed-scale", source=take_id, place=scale_id, part=r.part) for r in found.readings]
    wanted = column or offers(notebook, links[0], found.readings[0].value)[0].column
    filled = sent_all(notebook, wanted, links)
    assert len(filled.trials.trials) == len(values)
    assert evaluate(filled).columns[wanted].value == pytest.approx([float(r.value) for r in found.readings])
    again = sent_all(filled, wanted, links[:1])
    assert len(again.trials.trials) == len(values) + 1
    # twice in one frame moves the place; taken away, the cell says so and keeps its value
    moved, part = edits.read_pointer(filled, take_id, scale_id, 0, (10.0, 10.0))
    assert part == links[0].part
    fewer = edits.read_no_more(moved, take_id, scale_id, part)
    assert "reading of the filmed scale" in linked_in(fewer, links[0])
    assert "gone" in linked_in(edits.remove_scale(fewer, take_id, scale_id), links[0])


def test_a_pointer_that_is_followed_is_read_in_every_frame():
    """A body's readings become those of the scale; what stands off needs the distance of the camera."""
    notebook, take_id, body, _segment = made.measured(frames=12)
    notebook, scale_id = edits.add_scale(notebook, take_id, "straight", unit="mm", body=body)
    divisions = (Division(place=(50.0, 200.0), value=0.0), Division(place=(550.0, 200.0), value=100.0))
    notebook = edits.change_scale(notebook, take_id, scale_id, divisions=divisions)

    def found(n):
        return scale_found(n.take(take_id), n.take(take_id).filmed_scale(scale_id))

    first = found(notebook)
    assert [r.part for r in first.readings] == [f"frame {n}" for n in range(12)]
    assert float(first.readings[-1].value) == pytest.approx(0.1 * (11 / 30) ** 2, abs=1e-6)
    off = edits.change_scale(notebook, take_id, scale_id, parallax="stands-off", gap=typed(5, "mm"))
    assert "distance of the camera" in found(off).problem
    take = off.take(take_id)
    off = take_edits.change_take(off, take_id, geometry=take.geometry.but(distance=typed(0.5, "m", 0.02)))
    near = found(off).readings[0].value
    assert float(near) == pytest.approx(0.1 * ((50 - 319.5) * 0.99 + 319.5 - 50) / 500, abs=1e-9)
    wrong = edits.change_scale(notebook, take_id, scale_id, unit="parsnips")
    assert "parsnips" in found(wrong).problem
    unread = edits.change_scale(notebook, take_id, scale_id, divisions=divisions[:1])
    assert "two known divisions" in found(unread).problem
    without = reading_edits.remove_body(notebook, take_id, body)
    assert without.take(take_id).filmed_scale(scale_id).body is None


def pair(noise=0.2):
    """Two bodies that turn about their centre of mass, which moves evenly; masses 2 and 1."""
    notebook, take_id = made.with_film(frames=30)
    notebook = made.scaled(notebook, take_id)
    rng, ids = np.random.default_rng(5), []
    for name, away in (("Heavy", 20.0), ("Light", -40.0)):
        notebook, body = reading_edits.add_body(notebook, take_id, name)
        notebook = reading_edits.set_reading_uncertainty(notebook, take_id, body, noise)
        ids.append(body)
        for n in range(30):
            turn = 0.1 * n
            x, y = 100 + 8 * n + away * np.cos(turn), 200 - away * np.sin(turn)
            place = np.array([x, y]) + rng.normal(0, noise, 2)
            notebook = reading_edits.place_reading(notebook, take_id, body, Reading(n, *map(float, place)))
    return notebook, take_id, *ids


def test_a_motion_is_seen_from_a_body_and_from_a_centre_of_mass():
    """Radius and turn about the centre of mass, a level drift as seen from the room; masses enter the budget."""
    notebook, take_id, heavy, light = pair()
    notebook, frame = edits.add_moving_frame(notebook, take_id, "centre of mass", (heavy, light))
    take = notebook.take(take_id)
    assert "Heavy, Light" in moving_frame_problem(take, f"x@{frame}", heavy)
    assert not len(motion_in(take, take.body(heavy), f"x@{frame}").t)
    for body, mass in ((heavy, 2.0), (light, 1.0)):
        notebook = edits.set_mass(notebook, take_id, body, typed(mass, "kg", 0.01))
    take = notebook.take(take_id)
    radius = motion_in(take, take.body(light), f"radius@{frame}").of(f"radius@{frame}")
    assert radius.value == pytest.approx(0.08, abs=5 * float(radius.u[0]))
    notebook, segment = segment_edits.add_segment(
        notebook, take_id, light, of=f"angle@{frame}", frames=(0, 29), model="uniform-rotation"
    )
    take = notebook.take(take_id)
    omega = segment_fit(take, take.segment(segment)).parameters["velocity"]
    assert float(omega) == pytest.approx(3.0, abs=3 * float(omega.u))
    seen = motion_in(take, take.body(light), f"x@{heavy}")
    assert float(np.ptp(seen.x.value)) == pytest.approx(0.24 * 0.995, rel=0.05)
    itself, own = segment_edits.add_segment(
        notebook, take_id, light, of=f"x@{light}", frames=(0, 29), model="rest"
    )
    assert "from itself" in segment_fit(itself.take(take_id), itself.take(take_id).segment(own)).reason
    assert headline(take)[0] == "velocity"
    gone = reading_edits.remove_body(notebook, take_id, heavy).take(take_id)
    assert not gone.moving_frames
    assert not gone.segments
    fewer = edits.remove_moving_frame(notebook, take_id, frame).take(take_id)
    assert not fewer.segments
    with pytest.raises(PartError):
        edits.add_moving_frame(notebook, take_id, "twice", (heavy, heavy))


def test_an_eye_is_kept_and_counts_with_its_degrees_of_freedom():
    """Five frames out of order, u and ν of the check in every interval of readings by hand, not of followed ones."""
    notebook, take_id, body, _segment = made.measured(noise_px=0.7)
    chosen = readings_to_check(notebook.take(take_id).body(body))
    frames = frames_to_read_again([r.frame for r in chosen], 5, seed=3)
    assert len(set(frames)) == 5
    assert frames != sorted(frames)
    first = tuple((chosen[n].x, chosen[n].y) for n in sorted(frames))
    again = tuple((x + 0.6 * (-1) ** i, y + 0.3) for i, (x, y) in enumerate(first))
    notebook, eye_id = edits.keep_eye(notebook, "Wren", "2026-11-28", first, again)
    notebook = reading_edits.read_with_eye(notebook, take_id, body, notebook.eye(eye_id))
    take = notebook.take(take_id)
    assert take.body(body).u_from == "Wren, 2026-11-28"
    assert take.body(body).u_dof == 8
    x = body_motion(take, take.body(body)).x
    assert (x[3] - x[2]).coverage.k > 2.2
    assert parse(as_text(notebook), "a.saltus").eyes == notebook.eyes
    typed_over = reading_edits.set_reading_uncertainty(notebook, take_id, body, 0.5).take(take_id)
    assert typed_over.body(body).u_dof is None
    with pytest.raises(PartError):
        edits.keep_eye(notebook, "Wren", "", first[:2], again[:2])


@pytest.fixture(scope="module")
def swept(tmp_path_factory):
    """A film by a camera that pans, rolls and zooms; its truth and path."""
    path = tmp_path_factory.mktemp("swept") / "swept.mp4"
    held = {"sweep_deg": 3, "roll_deg": 2, "shake_deg": 0.4, "zoom": 0.05}
    scene = set_up("incline", SMALL | held)
    film(scene, path)
    return truth_of(scene), path


def opened(swept):
    """A notebook with the swept film: the scale by its rule, the puck read exactly."""
    truth, path = swept
    notebook, take_id = take_edits.add_take(Notebook(), reference(path), facts_of(path), "Swept")
    rule, seen = truth["reference"], truth["bodies"]["Felt puck"]
    notebook = scale_edits.lay_reference(notebook, take_id, tuple(rule["start_px"]), tuple(rule["end_px"]))
    notebook = scale_edits.set_reference_length(notebook, take_id, typed(1.0, "m", 0.001))
    notebook, puck = reading_edits.add_body(notebook, take_id, "Puck")
    for n, place in enumerate(zip(seen["x_px"], seen["y_px"], strict=True)):
        notebook = reading_edits.place_reading(notebook, take_id, puck, Reading(n, *place))
    return notebook, take_id, puck


def test_the_background_takes_a_pan_a_roll_and_a_zoom_out(swept):
    """From the film alone, without a point: the way of the puck is that of a camera that stood still."""
    truth, path = swept
    notebook, take_id, puck = opened(swept)
    record = look_at_background(path, notebook.take(take_id))
    steadied = edits.steady_by_background(notebook, take_id, record)
    take = steadied.take(take_id)
    assert take.steadying.by == "background"
    ends = []
    for n in (notebook, steadied):
        motion = body_motion(n.take(take_id), n.take(take_id).body(puck))
        ends.append(np.hypot(np.diff(motion.x.value[[0, -1]]), np.diff(motion.y.value[[0, -1]]))[0])
    x = truth["bodies"]["Felt puck"]["x_m"]
    true = x[int(motion.frames[-1])] - x[0]
    assert abs(ends[0] - true) > 10 * abs(ends[1] - true)
    assert ends[1] == pytest.approx(true, abs=0.004)
    assert "background" in scale_words(take)
    assert parse(as_text(steadied), "a.saltus").take(take_id).steadying == take.steadying
    with pytest.raises(GeometryError, match="too little"):
        Background(np.full((360, 640), 90, np.uint8))
    other = Background(
        cv2.GaussianBlur(np.random.default_rng(1).integers(0, 255, (360, 640), np.uint8), (9, 9), 2)
    )
    assert np.isnan(other.found(np.full((360, 640), 90, np.uint8))).all()


def test_commands_see_that_the_camera_moved(swept, saltus, tmp_path):
    """`geometry` tells how far, `motion` takes it out of a table, and says where it is not known how."""
    truth, _path = swept
    notebook, take_id, puck = opened(swept)
    for name, pin in zip(("Left", "Right"), truth["fixed"], strict=True):
        notebook, body = reading_edits.add_body(notebook, take_id, name)
        notebook = reading_edits.set_reading_uncertainty(notebook, take_id, body, 0.3)
        for n, place in enumerate(zip(pin["x_px"], pin["y_px"], strict=True)):
            notebook = reading_edits.place_reading(notebook, take_id, body, Reading(n, *place))
        notebook = edits.fix_point(notebook, take_id, body, fixed=True)
    notebook = edits.steady_by(notebook, take_id, zooms=True)
    path = tmp_path / "swept.saltus"
    save(notebook, path)
    told = json.loads(saltus("geometry", path, "--json")[1])
    assert told["camera_moved_px"] > 10
    assert "camera" in {e["what"] for e in told["checked"]}
    seen = truth["bodies"]["Felt puck"]
    lines = ["body,frame,t [s],x [px],y [px],u(x) [px],u(y) [px],status"]
    lines += [f"Puck,{n},{t},{x},{y},0.3,0.3,hand" for n, (t, x, y) in enumerate(
        zip(truth["time_s"], seen["x_px"], seen["y_px"], strict=True))]  # fmt: skip
    table, out = tmp_path / "readings.csv", tmp_path / "motion.csv"
    table.write_text("\n".join(lines) + "\n")
    call = ["motion", table, "--geometry", path, "-o", out]
    assert saltus(*call)[0] == 0
    header, *rows = [line.split(",") for line in Path(out).read_text().splitlines()]
    x, y = (np.array([float(r[header.index(f"{c} [m]")]) for r in rows]) for c in "xy")
    way = np.hypot(x - x[0], y - y[0])
    assert way[-1] == pytest.approx(seen["x_m"][-1] - seen["x_m"][0], rel=0.01)
    assert any(name.startswith("c:camera-turning") for name in header)
    names, _rows = motion_of_take(notebook.take(take_id), notebook.take(take_id).body(puck))
    assert set(names) >= {"c:camera-turning(x) [m]"}
    table.write_text("\n".join([*lines, "Puck,900,45.0,200,200,0.3,0.3,hand"]) + "\n")
    code, _out, error = saltus(*call)
    assert code == 2
    assert "frame 900" in error
