"""Commands on a notebook that measures in the picture, and numbers of arrays in its file."""

import csv
import io
import json
import math

import made
import numpy as np
import pytest
from test_measured_document import typed, with_pin
from test_measured_elsewhere import full

from saltus.investigations.table.links import link_text, linked_in
from saltus.notebook.derived.measures import measured_values
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.edits import measuring as edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.readings import Reading
from saltus.notebook.storage import as_text, parse, save
from saltus.notebook.trials import Link, TrialTable


@pytest.fixture
def kept(tmp_path):
    """The notebook that holds a bit of everything, in a file."""
    notebook, *_ids = full()
    save(notebook, tmp_path / "full.saltus")
    return tmp_path / "full.saltus"


def test_results_hold_what_is_seen_from_elsewhere(kept, told):
    """A segment seen from a centre of mass stands among the results with its coordinate and its values."""
    (found,) = told("results", kept, "--json")
    segments = found["takes"][0]["segments"]
    assert [s["of"] for s in segments] == ["x", "x@moving-1"]
    assert segments[1]["parameters"]["acceleration"]["U95"] > 0


def test_geometry_says_why_the_camera_cannot_be_told(tmp_path, told):
    """A pin read once, and none at all: a warning, and null; nothing is claimed of what was not seen."""
    notebook, take_id, *_rest = made.measured(frames=10)
    notebook, pin = reading_edits.add_body(notebook, take_id, "Screw")
    notebook = reading_edits.place_reading(notebook, take_id, pin, Reading(0, 10.0, 10.0))
    notebook = edits.fix_point(notebook, take_id, pin, fixed=True)
    save(notebook, tmp_path / "once.saltus")
    (found,) = told("geometry", tmp_path / "once.saltus", "--json")
    assert found["camera_moved_px"] is None
    assert any("Screw" in words for words in found["warnings"])
    assert "camera" in {e["what"] for e in found["unchecked"]}
    save(made.measured(frames=10)[0], tmp_path / "none.saltus")
    (plain,) = told("geometry", tmp_path / "none.saltus", "--json")
    assert plain["camera_moved_px"] is None
    assert plain["warnings"] == []


def test_readings_and_motion_leave_with_the_pins(kept, saltus, tmp_path):
    """Tables of readings name the fixed points like any body; motion is that of the steady picture."""
    for what in ("readings", "motion"):
        code, _out, error = saltus("export", kept, "-o", tmp_path / f"{what}.csv", "--what", what)
        assert code == 0, error
    rows = {
        what: list(csv.DictReader(io.StringIO((tmp_path / f"{what}.csv").read_text())))
        for what in ("readings", "motion")
    }
    assert {r["body"] for r in rows["readings"]} == {"Cart", "Screw", "Other"}
    still = [float(r["x [m]"]) for r in rows["motion"] if r["body"] == "Screw"]
    assert np.ptp(still) < 1e-6
    cart = [r for r in rows["motion"] if r["body"] == "Cart"]
    x = [float(r["x [m]"]) for r in cart]
    assert x[-1] - x[0] == pytest.approx((19 / 30) ** 2, abs=0.005)
    assert all(float(r["u(x) [m]"]) > 0 for r in cart)


def test_geometry_tells_the_camera_in_words(kept, saltus):
    """For people the command names the camera among what was checked."""
    code, out, error = saltus("geometry", kept)
    assert code == 0, error
    assert "camera" in out


def test_a_given_that_was_measured_weighs_in_the_budget():
    """An investigation whose given is a measured radius: the scale is one source for given and cells alike."""
    notebook, take_id, body, segment = made.measured(noise_px=0.2)
    notebook, radius = edits.add_measure(
        notebook, take_id, "length", ((100.0, 100.0), (300.0, 100.0)), 0, u_px=0.3
    )
    notebook = trial_edits.start(notebook, TrialTable(investigation="whirl-unknown-mass"))
    take = notebook.take(take_id)
    length = measured_values(take, take.measure(radius))["length"]
    way = segment_fit(take, take.segment(segment)).parameters["acceleration"]
    shared = {s for s in length.shares if s in way.shares}
    assert {s.cause for s in shared} >= {"scale-length", "scale-ends"}
    ratio = way / length
    apart = math.hypot(float(way.u) / float(way), float(length.u) / float(length))
    assert float(ratio.u) / float(ratio) < apart
    link = Link(kind="measure", source=take_id, place=radius, part="area")
    assert "does not give this" in linked_in(notebook, link)
    assert link_text(length).endswith(" m")
    assert body in {b.id for b in take.bodies}


def test_numbers_of_arrays_are_written_as_numbers():
    """A reading made from numbers of an array is saved as any other: the file opens again."""
    notebook, take_id, body, _segment = made.measured(frames=4)
    x, y, u = np.array([10.25, 20.5, 0.3])
    notebook = reading_edits.place_reading(notebook, take_id, body, Reading(2, x, y, u=u, u_y=u))
    again = parse(as_text(notebook), "a.saltus")
    assert again.take(take_id).body(body).readings.at(2) == Reading(2, 10.25, 20.5, u=0.3, u_y=0.3)
    assert "np.float64" not in as_text(notebook)


def test_masses_are_given_and_taken_back():
    """Without one mass nothing is seen from the centre; typed, all is; the segment says which is missing."""
    notebook, take_id, body, _segment = made.measured(frames=20)
    notebook, other = reading_edits.add_body(notebook, take_id, "Other")
    for n in range(20):
        notebook = reading_edits.place_reading(notebook, take_id, other, Reading(n, 40.0 + n, 90.0))
    notebook, frame = edits.add_moving_frame(notebook, take_id, "both", (body, other))
    notebook, seen = segment_edits.add_segment(
        notebook, take_id, other, of=f"x@{frame}", frames=(0, 19), model="constant-acceleration"
    )

    def fit(n):
        return segment_fit(n.take(take_id), n.take(take_id).segment(seen))

    assert "type that of Cart, Other" in fit(notebook).reason
    heavy = edits.set_mass(notebook, take_id, body, typed(0.3, "kg", 0.001))
    assert "type that of Other" in fit(heavy).reason
    both = edits.set_mass(heavy, take_id, other, typed(100, "g", 1))
    a = fit(both).parameters["acceleration"]
    assert float(a) == pytest.approx(-0.75 * 2.0, rel=0.05)
    assert any(s.cause == "body-mass" for s in a.shares)
    wrong = edits.set_mass(both, take_id, other, typed(5, "cm"))
    assert "type that of Other" in fit(wrong).reason
    assert "type that of Other" in fit(edits.set_mass(both, take_id, other, None)).reason
    swayed, _pin = with_pin(both, take_id)
    assert float(fit(swayed).parameters["acceleration"]) == pytest.approx(float(a), abs=0.1)
    assert json.loads(as_text(both))["takes"][0]["moving_frames"][0]["bodies"] == [body, other]
