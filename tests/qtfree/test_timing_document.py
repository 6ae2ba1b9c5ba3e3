"""Times in the document: edits, links, the sheet, bad input, files of strangers."""

import json
import math

import made
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from saltus.exchange.timing_section import timing_section
from saltus.exchange.trials_sheet import sheet_of
from saltus.investigations.table.links import Sources, linked
from saltus.notebook.derived.times import (
    by_hand_value,
    count_value,
    gate_values,
    hand_named,
    instant_value,
    interval_period,
    interval_value,
)
from saltus.notebook.derived.timing_advice import timing_headline, timing_limits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import timing as edits
from saltus.notebook.readings import Reading
from saltus.notebook.storage import NotebookError, as_text, parse
from saltus.notebook.timing import ByHand, Instant, Interval, Timing
from saltus.notebook.trials import Link

# -- hands -------------------------------------------------------------------------------------------


def test_a_take_timed_by_hand_beside_its_frames():
    """Presses while it played, by a measured hand or an assumed one; no digits of a watch in it."""
    notebook, take_id = made.with_film(frames=100)
    notebook, hand = edits.add_hand(notebook, "Mira")
    made_by = ByHand(start=0.31, stop=2.38, hand=hand)
    take = notebook.take(take_id)
    assumed = by_hand_value(take, made_by, notebook.hands)
    assert pytest.approx(0.277, abs=0.001) == assumed.U95
    notebook = edits.set_presses(notebook, hand, "predicted", tuple(np.linspace(-0.05, 0.06, 12)))
    measured = by_hand_value(take, made_by, notebook.hands)
    assert float(measured) == pytest.approx(2.07)
    assert float(measured.u) == pytest.approx(math.sqrt(2) * hand_named(notebook.hands, hand).u)
    assert not hand_named(notebook.hands, hand, "seen").measured
    assert not hand_named(notebook.hands, "gone").measured


# -- edits, sheet, links -----------------------------------------------------------------------------


def noted():
    """A take with an event, two instants, an interval of two cycles, a count and gates."""
    notebook, take_id, body, _segment = made.measured(frames=60, acceleration=0.5)
    notebook, event = edits.add_event(notebook, "contact", "lower edge touches the mat")
    for frame in (10, 40):
        notebook, _one = edits.mark_instant(notebook, take_id, event=event, frame=frame)
    notebook, _two = edits.add_interval(notebook, take_id, "instant-1", "instant-2", "fall", cycles=2)
    notebook, _three = edits.add_count(notebook, take_id, how="frames", name="swing", frames=(5, 15, 25))
    notebook, _four = edits.add_gates(notebook, take_id, body=body, of="x", place=(150.0, 200.0), spacing=0.1,
                                      number=3)  # fmt: skip
    return notebook, take_id, event


def test_events_are_one_for_the_notebook():
    """One definition for all takes; taken away, instants stay without a name; the same mark twice is one."""
    notebook, take_id, event = noted()
    again, same = edits.mark_instant(notebook, take_id, event=event, frame=10)
    assert (again, same) == (notebook, "instant-1")
    notebook = edits.change_event(notebook, event, words="first bright frame")
    assert notebook.event(event).words == "first bright frame"
    without = edits.remove_event(notebook, event)
    assert [i.event for i in without.take(take_id).timing.instants] == [None, None]
    assert without.take(take_id).timing.intervals == notebook.take(take_id).timing.intervals
    gone = edits.remove(notebook, take_id, "instants", "instant-1").take(take_id).timing
    assert not gone.intervals
    assert [i.id for i in gone.instants] == ["instant-2"]


def test_what_was_timed_stands_on_the_sheet():
    """Words of the event, interval with its cycles, period, crossings with speed."""
    notebook, take_id, _event = noted()
    lines = timing_section(notebook, notebook.take(take_id)).lines
    text = "\n".join(lines)
    assert "contact: lower edge touches the mat" in text
    assert "fall: 1.000 ± 0.026 s for 2 cycles, each 0.500 ± 0.013 s" in text
    assert "swing: period 0.333 ± 0.013 s from 2 cycles." in text
    assert "Cart crosses gate 2 at" in text
    sheet = sheet_of(notebook, notebook.take(take_id), of_trials=False)
    assert any("fall: 1.000 ± 0.026 s" in line for section in sheet.sections for line in section.lines)


def test_times_feed_the_table():
    """Links to an interval, its period, counted cycles, gates; what is gone is a sentence."""
    notebook, take_id, _event = noted()
    sources = Sources(notebook.takes, notebook.logs, notebook.hands)

    def value(kind, place, part):
        return linked(sources, Link(kind=kind, source=take_id, place=place, part=part))

    assert float(value("interval", "interval-1", "time")) == pytest.approx(1.0)
    assert float(value("interval", "interval-1", "period")) == pytest.approx(0.5)
    assert float(value("cycles", "count-1", "period")) == pytest.approx(1 / 3)
    crossing = value("gate", "gates-1", "speed 1")
    # 0.3 m along with 0.5 m/s²
    assert float(crossing) == pytest.approx(math.sqrt(2 * 0.5 * 0.3), rel=1e-3)
    for kind, place, part in (("interval", "gone", "time"), ("cycles", "gone", "period"),
                              ("gate", "gates-1", "time 99"), ("gate", "gates-1", "time x")):  # fmt: skip
        assert isinstance(value(kind, place, part), str)


# -- bad input ---------------------------------------------------------------------------------------


def test_what_cannot_be_timed_is_a_sentence():
    """Out of order, gone, before the first frame, never crossed, zero cycles, two frames."""
    notebook, take_id, _event = noted()
    take = notebook.take(take_id)
    back = Interval(id="interval-9", name="back", start="instant-2", stop="instant-1")
    assert interval_value(take, back) == "In “back” the stop does not come after the start: exchange them."
    assert interval_period(take, back) == interval_value(take, back)
    assert "is gone" in interval_value(take, back.but(start="instant-7"))
    assert "first frame" in instant_value(take, Instant(id="i", frame=0))
    far = take.timing.gates[0].but(place=(9000.0, 200.0))
    passed, told = gate_values(take, far)
    assert not passed
    assert told[0] == "The readings never cross the first gate: move it into their way."
    assert "gate 2, counted from 0" in told[2]
    lost = take.timing.gates[0].but(body="nobody")
    assert gate_values(take, lost) == ((), ("Its body is not there any more: choose another.",))
    empty = take.timing.counts[0].but(frames=())
    assert count_value(take, empty).period is None
    assert "Only 0 passings are seen" in " ".join(count_value(take, empty).warnings)
    assert count_value(take, take.timing.counts[0].but(how="readings", body="nobody")) == (
        "Its body is not there any more: choose another."
    )


def test_a_take_of_two_frames():
    """One bracket, no interval, no period: sentences and no crash."""
    notebook, take_id = made.with_film(frames=2)
    notebook, body = reading_edits.add_body(notebook, take_id, "Cart")
    for n in (0, 1):
        notebook = reading_edits.place_reading(notebook, take_id, body, Reading(n, 10.0 * n, 5.0))
    notebook, one = edits.mark_instant(notebook, take_id, frame=1)
    notebook, gates = edits.add_gates(notebook, take_id, body=body, of="x", place=(5.0, 5.0))
    notebook, count = edits.add_count(notebook, take_id, how="readings", name="c", body=body, of="x")
    take = notebook.take(take_id)
    q = instant_value(take, take.timing.instant(one))
    assert float(q) == pytest.approx(1 / 60)
    same = Interval(id="interval-1", name="none", start=one, stop=one)
    assert "exchange" in interval_value(take, same)
    passed, told = gate_values(take, take.timing.gate_set(gates))
    assert passed or told
    found = count_value(take, take.timing.count(count))
    assert isinstance(found, str) or found.period is None
    timing_section(notebook, take)
    assert timing_headline(take) is None
    assert timing_limits(take) is None


def test_older_files_have_no_times_and_keep_everything():
    """Version 3 is read as it was, and saved as the present one."""
    notebook, _take_id, _event = noted()
    bare = notebook.but(events=(), takes=tuple(t.but(timing=Timing()) for t in notebook.takes))
    data = json.loads(as_text(bare))
    data["version"] = 3
    for key in ("events", "hands"):
        data.pop(key, None)
    for take in data["takes"]:
        take.pop("timing", None)
        take["facts"].pop("pictures", None)
    opened = parse(json.dumps(made.without_runs(data) | {"last_ids": {}}), "n")
    assert made.work(opened) == made.work(bare)
    assert opened.last_ids["take"] == 1
    assert parse(as_text(notebook), "n") == notebook


TIMES = st.one_of(
    st.integers(-3, 70), st.floats(allow_nan=False, width=32), st.text(max_size=6), st.none(),
    st.sampled_from(["instant-1", "interval-1", "frames", "sound", "readings", "up", 1e308, -1]),
)  # fmt: skip


@given(st.data())
@settings(max_examples=150, deadline=None)
def test_no_times_from_a_stranger_break_anything(data):
    """Whatever stands in a file: it is refused in a sentence, or all that is worked out of it works."""
    notebook, _take_id, _event = noted()
    raw = json.loads(as_text(notebook))
    timing = raw["takes"][0]["timing"]
    kind = data.draw(st.sampled_from(["instants", "intervals", "counts", "gates", "sound", "shutter"]))
    part = timing[kind] if isinstance(timing[kind], dict) else timing[kind][0]
    key = data.draw(st.sampled_from(sorted(part)))
    part[key] = data.draw(st.one_of(TIMES, st.lists(TIMES, max_size=4)))
    try:
        read = parse(json.dumps(raw), "n")
    except NotebookError:
        return
    take = read.takes[0]
    timing_section(read, take)
    timing_limits(take)
    for instant in take.timing.instants:
        instant_value(take, instant)
    assert parse(as_text(read), "n") == read
