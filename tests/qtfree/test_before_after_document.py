"""Events, chosen points, proposals and swings of a notebook: edits, what follows from them, links, files."""

import json

import made
import moved
import numpy as np
import pytest
import tables

from saltus.exchange.motion_words import coordinate_words, coordinates_of
from saltus.exchange.trials_sheet import sheet_of
from saltus.investigations.table.event_columns import sent_together, together
from saltus.investigations.table.links import linked_in
from saltus.investigations.table.sending import offers, sent
from saltus.notebook.derived.before_after import event_found
from saltus.notebook.derived.event_sides import sides_about
from saltus.notebook.derived.log_points import log_points
from saltus.notebook.derived.motion import body_motion, local_of, segment_fit
from saltus.notebook.derived.points import chosen_point, points_found
from saltus.notebook.derived.proposals import proposed
from saltus.notebook.derived.swing import envelope, off_beat, swing_shown
from saltus.notebook.edits import before_after as events
from saltus.notebook.edits import logs, points, timing
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits.trials import link_cell
from saltus.notebook.logs import Channel
from saltus.notebook.model import Notebook, Segment
from saltus.notebook.readings import Reading
from saltus.notebook.storage import load, save
from saltus.notebook.trials import Link

RATE = made.RATE


def with_body(notebook, take, name, x, y=None, u=0.2):
    """Read a body in every frame; places in m from the origin of :func:`made.scaled`."""
    notebook, body = reading_edits.add_body(notebook, take, name)
    notebook = reading_edits.set_reading_uncertainty(notebook, take, body, u)
    y = np.full(len(x), 0.2) if y is None else y
    for n, (along, up) in enumerate(zip(x, y, strict=True)):
        place = Reading(n, 50 + 500 * float(along), 300 - 500 * float(up))
        notebook = reading_edits.place_reading(notebook, take, body, place)
    return notebook, body


def two_pucks(seed=1, lost=False):
    """Two pucks that stick at 0.6 s, with segments on both sides of it; gives notebook, take, segments."""
    rng, t = np.random.default_rng(seed), np.arange(40) / RATE
    notebook, take = made.with_film(tables.table("inelastic-collision", [{}]), frames=40)
    notebook = made.scaled(notebook, take)
    after = 0.3 if lost else 0.2
    first = 0.5 + moved.struck(t, 0.6, 0.4, after) + rng.normal(0, 0.0004, 40)
    second = 0.6 + moved.struck(t, 0.6, 0.0, after) + rng.normal(0, 0.0004, 40)
    ids = []
    for name, x, model in (("Felt", first, "constant-velocity"), ("Brass", second, "rest")):
        notebook, body = with_body(notebook, take, name, x)
        for frames, chosen in (((0, 16), model), ((20, 39), "constant-velocity")):
            notebook, segment = segment_edits.add_segment(
                notebook, take, body, of="x", frames=frames, model=chosen
            )
            ids.append(segment)
    return notebook, take, ids


def with_event(notebook, take, masses=("0.200(1) kg", "0.200(1) kg")):
    """Put the event between the segments, with masses."""
    sides = sides_about(notebook.take(take), "x")
    sides = tuple(s.but(inertia=m) for s, m in zip(sides, masses, strict=True))
    return events.add_event(notebook, take, name="Contact", of="x", sides=sides)


def test_two_pucks_keep_their_momentum():
    """Both bodies share one instant; momentum agrees, half of the energy is gone, all within U95."""
    notebook, take, _ids = two_pucks()
    notebook, event = with_event(notebook, take)
    found = event_found(notebook.take(take), notebook.take(take).events[0])
    assert abs(float(found.at) - 0.6) < found.at.U95
    assert len({float(s.event.at) for s in found.sides}) == 1
    values = found.values()
    assert float(values["before body-2"]) == 0
    for name, truth in (("before body-1", 0.4), ("after body-1", 0.2), ("after body-2", 0.2),
                        ("momentum_before", 0.08), ("momentum_after", 0.08), ("energy_lost", 0.5)):  # fmt: skip
        assert abs(float(values[name]) - truth) < 1.5 * values[name].U95, name
    assert found.momentum.compared.agree is True
    # mass and scale are common to both sides: the difference is surer than either
    assert float(found.momentum.compared.difference.u) < float(found.momentum.before.u) * 1.5
    lost = event_found(*_event_of(with_event(*two_pucks(lost=True)[:2])[0], take))
    assert lost.momentum.compared.agree is False
    assert event == "event-1"


def _event_of(notebook, take):
    return notebook.take(take), notebook.take(take).events[0]


def test_the_sheet_says_what_was_found():
    """Events with their verdict and chosen points stand on the sheet of a take, as people read them."""
    notebook, take, _ids = two_pucks()
    notebook, _event = with_event(notebook, take)
    notebook, _point = points.choose_point(notebook, take, "body-1", "x", "marked", 5)
    said = {
        s.heading: " ".join(s.lines)
        for s in sheet_of(notebook, notebook.take(take), of_trials=False).sections
    }
    impact = said["Before and after, 95 %"]
    for words in (
        "Contact at 0.6",
        "Brass: just before at rest, just after 0.2",
        "they agree",
        "energy lost: ",
    ):
        assert words in impact
    assert said["Points of the motion, 95 %"].startswith("Felt, along x: Marked at 0.1667 s")
    assert "along +x" in said["Points of the motion, 95 %"]


def test_masses_as_typed():
    """Without a mass there are velocities but no sums; nonsense is told, not counted."""
    notebook, take, _ids = two_pucks()
    for typed, words in (("", ""), ("0.2 m", "mass above zero"), ("-1 kg", "mass above zero"), ("x", "x")):
        bare, _event = with_event(notebook, take, (typed, "0.2 kg"))
        found = event_found(*_event_of(bare, take))
        assert found.momentum is None
        assert found.sides[0].event is not None
        assert words in found.sides[0].problem
    weighed = events.change_side(bare, take, "event-1", "body-1", inertia="0.2 kg")
    assert event_found(*_event_of(weighed, take)).momentum is not None


def test_an_event_follows_its_segments_and_goes_with_them():
    """Sides are found beside a gap; a removed segment leaves its side; level and removal are edits."""
    notebook, take, ids = two_pucks()
    first, second = sides_about(notebook.take(take), "x", ids[1])
    assert (first.before, first.after, second.before, second.after) == tuple(ids)
    assert sides_about(notebook.take(take), "y") == ()
    notebook, event = with_event(notebook, take)
    level = events.change_event(notebook, take, event, level="both")
    assert event_found(*_event_of(level, take)).sides[0].event.slope_before is None
    gone = segment_edits.remove_segment(notebook, take, ids[0])
    side = gone.take(take).events[0].sides[0]
    assert (side.before, side.after) == (None, ids[1])
    assert "before body-1" not in event_found(*_event_of(gone, take)).values()
    assert events.remove_event(notebook, take, event).take(take).events == ()
    alone = reading_edits.remove_body(notebook, take, "body-2").take(take)
    assert [side.body for side in alone.events[0].sides] == ["body-1"]
    nobody = reading_edits.remove_body(reading_edits.remove_body(notebook, take, "body-2"), take, "body-1")
    assert nobody.take(take).events == ()
    apart = segment_edits.change_segment(notebook, take, ids[1], first=30, last=39)
    moved_on = event_found(*_event_of(apart, take))
    assert float(moved_on.at) == pytest.approx(0.6, abs=0.02)
    with pytest.raises(KeyError):
        events.change_side(notebook, take, "event-9", "body-1", inertia="")


def test_values_of_an_event_go_into_the_table():
    """A link leads to the value as long as its event is there; the cell says when it is not."""
    notebook, take, ids = two_pucks()
    notebook, event = with_event(notebook, take)
    link = Link(kind="event", source=take, place=event, part="before body-1")
    q = linked_in(notebook, link)
    assert float(q) == pytest.approx(0.4, abs=0.01)
    offer = next(o for o in offers(notebook, link, q) if o.column == "v1_before")
    notebook, trial = sent(notebook, offer)
    cell = next(t for t in notebook.trials.trials if t.id == trial)
    assert cell.links["v1_before"] == link
    assert "0.4" in cell.cells["v1_before"] or "0.39" in cell.cells["v1_before"]
    nothing = linked_in(notebook, link.but(part="before body-9"))
    assert "does not give this now" in nothing
    gone = linked_in(events.remove_event(notebook, take, event), link)
    assert gone.startswith("Broken link: its event")
    assert ids


def test_all_values_of_an_event_go_into_one_row():
    """The columns named for the bodies take them with one action; a marked instant takes the place of the meeting."""
    notebook, take, _ids = two_pucks()
    notebook, event = with_event(notebook, take)
    wanted = together(notebook, *_event_of(notebook, take))
    assert {o.column for o in wanted} >= {"v1_before", "v_after"}
    notebook, trial = sent_together(notebook, wanted)
    cells = next(t for t in notebook.trials.trials if t.id == trial).cells
    for name, truth in (("v1_before", 0.4), ("v_after", 0.2)):
        assert float(cells[name].split()[0]) == pytest.approx(truth, abs=0.01)
    notebook, contact = timing.add_event(notebook, "contact", "they touch")
    notebook, instant = timing.mark_instant(notebook, take, event=contact, frame=18)
    marked = events.change_event(notebook, take, event, instant=instant)
    found = event_found(*_event_of(marked, take))
    assert float(found.at) == pytest.approx(17.5 / RATE)
    assert pytest.approx(0.475 / RATE, rel=0.01) == found.at.U95
    gone = events.change_event(notebook, take, event, instant="instant-9")
    assert abs(float(event_found(*_event_of(gone, take)).at) - 0.6) < 0.01


def bouncing_ball():
    """A ball that bounces, read in every frame; gives notebook, take, body."""
    rng, t = np.random.default_rng(2), np.arange(60) / RATE
    y, _impacts, _tops = moved.bouncing(t, 0.5, 0.8)
    notebook, take = made.with_film(tables.table("free-fall", [{}]), frames=60)
    notebook = made.scaled(notebook, take)
    notebook, body = with_body(notebook, take, "Ball", 0.1 + 0.05 * t, y + rng.normal(0, 0.0004, 60))
    return notebook, take, body


def test_points_are_chosen_found_again_and_sent():
    """A chosen point is the nearest of its kind, also after readings moved; marked ones stay at their frame."""
    notebook, take, body = bouncing_ball()
    found = points_found(notebook.take(take), notebook.take(take).body(body), "y")
    top = next(p for p in found.points if p.kind == "turning")
    notebook, chosen = points.choose_point(notebook, take, body, "y", "turning", 19)
    kept = notebook.take(take).points[0]
    assert chosen_point(notebook.take(take), kept) is top
    notebook, _marked = points.choose_point(notebook, take, body, "y", "marked", 20)
    at = chosen_point(notebook.take(take), notebook.take(take).points[1])
    assert float(at.time) == pytest.approx(20 / RATE)
    assert abs(float(at.acceleration) + moved.G) < 2 * at.acceleration.U95
    link = Link(kind="point", source=take, place=chosen, part="position")
    assert float(linked_in(notebook, link)) == pytest.approx(0.5 * 0.64, abs=0.005)
    assert "not found now" in linked_in(notebook, link.but(part="direction"))
    far = kept.but(frame=59)
    assert chosen_point(notebook.take(take), far) is None
    bare = points.drop_point(notebook, take, chosen)
    assert linked_in(bare, link).startswith("Broken link: its point")
    assert len(bare.take(take).points) == 1
    assert chosen_point(notebook.take(take), kept.but(body="body-9")) is None


def test_segments_are_proposed_where_the_motion_changes():
    """A bouncing ball falls apart into its flights; a swing is one; a body at rest is one rest."""
    notebook, take, body = bouncing_ball()
    flights = proposed(notebook.take(take), notebook.take(take).body(body), "y")
    assert len(flights) >= 4
    assert {model for _a, _b, model in flights[:4]} == {"constant-acceleration"}
    assert all(a < b for a, b, _model in flights)
    made_of, ids = segment_edits.add_segments(notebook, take, body, of="y", stretches=flights)
    for i in ids:
        fit = segment_fit(made_of.take(take), made_of.take(take).segment(i))
        if fit.dof > 5:
            assert float(fit.parameters["acceleration"]) == pytest.approx(-moved.G, rel=0.05)
    rng, t = np.random.default_rng(3), np.arange(120) / RATE
    notebook, take = made.with_film(frames=120)
    notebook = made.scaled(notebook, take)
    swing = 0.5 + 0.2 * np.exp(-0.1 * t) * np.cos(5 * t) + rng.normal(0, 0.0004, 120)
    notebook, bob = with_body(notebook, take, "Bob", swing, 0.3 + rng.normal(0, 0.0004, 120))
    assert proposed(notebook.take(take), notebook.take(take).body(bob), "x") == [
        (0, 119, "damped-oscillation")
    ]
    assert proposed(notebook.take(take), notebook.take(take).body(bob), "y") == [(0, 119, "rest")]
    notebook, segment = segment_edits.add_segment(
        notebook, take, bob, of="x", frames=(0, 119), model="damped-oscillation"
    )
    shown = swing_shown(notebook.take(take), notebook.take(take).segment(segment))
    assert shown.n == pytest.approx(5 * (119 / RATE) / (2 * np.pi), rel=0.01)
    assert abs(float(shown.cycles.period) - 2 * np.pi / 5) < 1.5 * shown.cycles.period.U95
    assert [round(n / shown.n, 3) for n, _u in shown.more] == [1, 1.5, 2, 3]
    assert [u for _n, u in shown.more] == sorted((u for _n, u in shown.more), reverse=True)
    assert shown.more[0][1] == pytest.approx(float(shown.fit.parameters["period"].u), rel=0.05)
    off = off_beat(shown)
    assert off.numbers.tolist() == list(range(len(off.numbers)))
    assert np.all(np.abs(off.off) < 1.6 * off.U)
    upper, lower = envelope(shown.fit, shown.fit.start_s + t)
    assert upper == pytest.approx(0.5 + 0.2 * np.exp(-0.1 * t), abs=0.003)
    assert lower == pytest.approx(0.5 - 0.2 * np.exp(-0.1 * t), abs=0.003)
    steady = notebook.take(take).segment(segment).but(model="oscillation")
    assert envelope(swing_shown(notebook.take(take), steady).fit, t) is None
    assert swing_shown(notebook.take(take), steady.but(model="rest")) is None


def test_angles_and_paths_are_coordinates_of_a_body():
    """A body that runs round the origin: angle, radius and path in lanes and fits; at the origin it has none."""
    t = np.arange(60) / RATE
    notebook, take = made.with_film(frames=60)
    notebook = made.scaled(notebook, take)
    notebook, body = with_body(notebook, take, "Mark", 0.3 * np.cos(4 * t), 0.3 * np.sin(4 * t))
    motion = body_motion(notebook.take(take), notebook.take(take).body(body))
    assert local_of(motion, "angle").v == pytest.approx(np.full(60, 4.0), abs=0.01)
    assert motion.of("radius").value == pytest.approx(np.full(60, 0.3))
    assert motion.of("angle") is motion.of("angle"), "worked out once"
    for of, model, name, truth in (("angle", "uniform-rotation", "velocity", 4.0),
                                   ("path", "constant-velocity", "velocity", 1.2),
                                   ("xy", "circle", "radius", 0.3)):  # fmt: skip
        notebook, segment = segment_edits.add_segment(
            notebook, take, body, of=of, frames=(0, 59), model=model
        )
        fit = segment_fit(notebook.take(take), notebook.take(take).segment(segment))
        assert float(fit.parameters[name]) == pytest.approx(truth, rel=0.002)
    data = {"id": "s", "body": body, "first": 0, "last": 9}
    for wrong in (
        {"of": "x", "model": "circle"},
        {"of": "xy", "model": "rest"},
        {"of": "x", "model": "magic"},
    ):
        with pytest.raises(ValueError, match="model"):
            Segment.model_validate({**data, **wrong})
    notebook, still = with_body(notebook, take, "Hub", 0 * t, 0 * t)
    notebook, segment = segment_edits.add_segment(
        notebook, take, still, of="angle", frames=(0, 59), model="uniform-rotation"
    )
    assert (
        "choose another point"
        in segment_fit(notebook.take(take), notebook.take(take).segment(segment)).reason
    )
    found = points_found(notebook.take(take), notebook.take(take).body(still), "angle")
    assert "choose another point" in found.warnings[0]
    assert proposed(notebook.take(take), notebook.take(take).body(still), "angle") == []


def test_a_body_is_looked_at_from_another():
    """Angle and distance about another body that itself moves: what both share cancels; missing frames are left out."""
    t = np.arange(60) / RATE
    notebook, take = made.with_film(frames=60)
    notebook = made.scaled(notebook, take)
    hub_x, hub_y = 0.3 + 0.1 * t, 0.3 + 0 * t
    notebook, hub = with_body(notebook, take, "Hub", hub_x, hub_y)
    notebook, mark = with_body(
        notebook, take, "Mark", hub_x + 0.1 * np.cos(4 * t), hub_y + 0.1 * np.sin(4 * t)
    )
    notebook = reading_edits.delete_reading(notebook, take, hub, 7)
    found = {}
    for of, model in ((f"angle@{hub}", "uniform-rotation"), (f"radius@{hub}", "rest")):
        notebook, segment = segment_edits.add_segment(
            notebook, take, mark, of=of, frames=(0, 59), model=model
        )
        found[model] = segment_fit(notebook.take(take), notebook.take(take).segment(segment))
    assert float(found["uniform-rotation"].parameters["velocity"]) == pytest.approx(4.0, abs=0.01)
    assert len(found["uniform-rotation"].residuals) == 59
    assert float(found["rest"].parameters["position"]) == pytest.approx(0.1, abs=1e-3)
    told = found["rest"].parameters["position"].parts()
    assert all(u < 1e-12 for s, u in told.items() if s.id.cause == "origin")
    words = coordinate_words(f"angle@{hub}", notebook.take(take))
    assert words == "angle about Hub"
    assert f"radius@{hub}" in coordinates_of(notebook.take(take), notebook.take(take).body(mark))
    from_hub = points_found(notebook.take(take), notebook.take(take).body(mark), f"angle@{hub}")
    assert from_hub is points_found(notebook.take(take), notebook.take(take).body(mark), f"angle@{hub}")
    with pytest.raises(ValueError, match="pattern"):
        Segment.model_validate(
            {"id": "s", "body": mark, "of": "xy@x", "first": 0, "last": 9, "model": "rest"}
        )


def test_files_keep_events_and_points_and_older_ones_have_none(tmp_path):
    """Saved and read again, all is there; a file of version 6 is read as it was."""
    notebook, take, _ids = two_pucks()
    notebook, _event = with_event(notebook, take)
    notebook, _point = points.choose_point(notebook, take, "body-1", "x", "marked", 5)
    path = tmp_path / "a.saltus"
    save(notebook, path)
    again = load(path)
    assert again == notebook
    data = json.loads(path.read_text(encoding="utf-8"))
    data["version"] = 6
    for one in data["takes"]:
        del one["events"], one["points"]
    (tmp_path / "old.saltus").write_text(json.dumps(data), encoding="utf-8")
    old = load(tmp_path / "old.saltus")
    assert old.take(take).events == ()
    assert old.take(take).segments == notebook.take(take).segments


def test_points_of_a_log_follow_zero_and_sign():
    """A channel is looked at as it is zeroed and turned; a distance shows the points of a motion."""
    t = np.arange(400) / 100
    height = 0.5 + 0.1 * np.cos(3 * t)
    notebook, log = logs.add_log(
        Notebook(), "Sonar", tuple(t.tolist()),
        (Channel(name="height", unit="cm", values=tuple((100 * height).tolist())),
         Channel(name="pull", unit="N", values=tuple(np.sin(3 * t).tolist()))), simulated=False,
    )  # fmt: skip
    found = log_points(notebook.log(log), "height")
    turned = [p for p in found.points if p.kind == "turning"]
    assert float(turned[0].time) == pytest.approx(np.pi / 3, abs=0.01)
    assert float(turned[0].position) == pytest.approx(0.4, abs=1e-3)
    extrema = [p for p in log_points(notebook.log(log), "pull").points if p.kind == "extremum"]
    assert float(extrema[0].position) == pytest.approx(1.0, abs=1e-3)
    flipped = log_points(logs.change_channel(notebook, log, "pull", turned=True).log(log), "pull")
    assert float(next(p for p in flipped.points if p.kind == "extremum").position) == pytest.approx(
        -1, abs=1e-3
    )
    assert log_points(notebook.log(log), "nothing").points == ()
    link = Link(kind="log-point", source=log, place="height", part="turning 0 position")
    assert float(linked_in(notebook, link)) == pytest.approx(0.4, abs=1e-3)
    shown = tables.free([("fall", "m", "")], [{"fall": "1"}]).but(logs=notebook.logs)
    shown = link_cell(shown, shown.trials.trials[0].id, "fall", link, "0.4 m")
    said = {s.heading: s.lines for s in sheet_of(shown, None, of_trials=True).sections}
    (line,) = said["Points of recorded signals, 95 %"]
    assert line.startswith("Sonar, height: Turns at 1.047")
    for part in ("turning 9 position", "turning x time", "turning 0 mood"):
        assert "not found now" in linked_in(notebook, link.but(part=part))
    assert linked_in(notebook, link.but(place="gone")).startswith("Broken link")
