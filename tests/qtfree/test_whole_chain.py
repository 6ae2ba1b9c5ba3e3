"""The whole chain of the document against known truth, drawn anew in every experiment; words in other languages."""

import gettext
import math
from functools import cache

import made
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from saltus.core import wording
from saltus.core.budget import budget
from saltus.core.written import WrittenError, digits, last_place, number
from saltus.exchange.sheet import describe
from saltus.notebook.derived.motion import headline
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.geometry import Typed
from saltus.notebook.readings import Reading, Readings


@cache
def filmed(frames):
    """A notebook with a film of so many frames and a body that is not read yet; and their ids."""
    notebook, take = made.with_film(frames=frames)
    return *reading_edits.add_body(notebook, take, "Cart"), take


def experiment(rng):
    """One class experiment from the camera to the headline; gives what it states and the truth."""
    n, rate = int(rng.integers(15, 40)), 30
    truth = float(rng.uniform(-3, 3))
    slope = float(rng.uniform(-0.3, 0.3))
    m_per_px = float(rng.uniform(0.001, 0.004))
    u_px = float(rng.choice([0.5, 1.0, 2.0]))
    t = np.arange(n) / rate
    along = 0.1 + float(rng.uniform(-0.5, 0.5)) * t + truth * t**2 / 2
    x = 300 + along * math.cos(slope) / m_per_px
    y = 200 - along * math.sin(slope) / m_per_px
    notebook, body, take = filmed(n)
    length = float(rng.uniform(0.3, 1.2))
    laid = length / m_per_px + rng.normal(0, math.sqrt(2) * 1.0)
    notebook = scale_edits.lay_reference(notebook, take, (10.0, 10.0), (10.0 + laid, 10.0))
    typed = Typed(value=length + rng.normal(0, 0.002), unit="m", U95=0.002 * 1.96, U95_unit="m")
    notebook = scale_edits.set_reference_length(notebook, take, typed)
    notebook = scale_edits.place_origin(notebook, take, (300.0 + rng.normal(0, 1), 200.0 + rng.normal(0, 1)))
    turned = math.degrees(slope + rng.normal(0, 0.01))
    notebook = scale_edits.turn_axes(notebook, take, turned, math.degrees(0.01))
    rate_error = rng.normal(0, 0.003)
    notebook = take_edits.set_clock(notebook, take, rate * (1 + rate_error), 0.3 * 1.96)
    notebook = reading_edits.set_reading_uncertainty(notebook, take, body, u_px)
    rows = Readings(
        Reading(i, float(x[i] + rng.normal(0, u_px)), float(y[i] + rng.normal(0, u_px))) for i in range(n)
    )
    before = notebook.take(take)
    bodies = (before.bodies[0].but(readings=rows),)
    notebook = notebook.but(takes=(before.but(bodies=bodies),))
    notebook, _segment = segment_edits.add_segment(notebook, take, body, of="x", frames=(0, n - 1))
    return headline(notebook.take(take))[1], truth


def test_what_the_window_states_holds_the_truth_in_95_percent():
    """Scale, ends, tilt, clock and readings all drawn: the stated 95 % interval of the headline covers 95 ± 1 %."""
    rng, hits, runs = np.random.default_rng(12), 0, 5000
    for _run in range(runs):
        value, truth = experiment(rng)
        hits += abs(float(value) - truth) <= value.U95
    assert 0.94 <= hits / runs <= 0.96


def test_every_source_that_was_stated_is_in_the_budget():
    """A result of a full experiment names reading, reference length, its ends, axes and clock, and shares sum to 1."""
    value, _truth = experiment(np.random.default_rng(3))
    lines = budget(value)
    assert {line.label for line in lines} >= {
        "Reading", "Reference length", "Its two ends", "Direction of the axes", "Rate of the clock",
    }  # fmt: skip
    assert sum(line.share for line in lines) == pytest.approx(1)
    assert math.sqrt(sum(line.u**2 for line in lines)) == pytest.approx(float(value.u))


@given(st.decimals(-1000, 1000, places=3), st.sampled_from([".", ","]))
def test_digits_are_kept_as_typed(value, point):
    """Digits come back as they were typed, one step of the last is what it is worth, the number is the number."""
    text = str(value).replace(".", point)
    assert digits(f"{text} m") == text.replace("-", "\u2212")
    assert last_place(f"{text} m") == pytest.approx(0.001)
    assert number(text) == pytest.approx(float(value))
    assert last_place("30") == 1
    assert digits("metre") == ""
    with pytest.raises(WrittenError, match="not a number"):
        last_place("a metre")


class _Backwards(gettext.NullTranslations):
    """A made-up language in which every sentence is read backwards but for its places."""

    def gettext(self, message):
        return message if "{" in message else message[::-1]

    def ngettext(self, msgid1, msgid2, n):
        return (msgid1 if n == 1 else msgid2).replace("reading", "gnidaer")


def test_sentences_can_be_in_another_language(monkeypatch):
    """Words of core, notebook and sheet come from the catalogue; numbers and units stay; JSON words stay English."""
    notebook = made.measured(12)[0]
    english = describe(notebook, notebook.takes[0])
    monkeypatch.setattr(wording, "_catalogue", _Backwards())
    other = describe(notebook, notebook.takes[0])
    assert other.result.text == english.result.text
    assert other.budget.head[0] == english.budget.head[0][::-1]
    assert [row[0] for row in other.parameters.rows] == [row[0][::-1] for row in english.parameters.rows]
    assert "12 gnidaers were placed" in " ".join(other.method)
    monkeypatch.undo()
    wording.use_language("xx")
    assert wording._("Reading") == "Reading"
    wording.use_language(None)
    assert wording.plural("{n} take", "{n} takes", 2) == "2 takes"
