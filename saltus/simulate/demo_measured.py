"""A puck filmed by a hand that shakes, and a rule with a pointer in stills, read as careful hands would."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.wording import _
from saltus.investigations.table.sending import sent_all
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
from saltus.notebook.readings import Reading
from saltus.notebook.trials import FREE, CustomColumn, Link, Plot, Trial, TrialTable
from saltus.simulate.camera import truth_of
from saltus.simulate.demo_film import FILMS, DemoTake, demo_facts, demo_film
from saltus.simulate.instruments import Instrument, film_stills

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.notebook.part import Place

SHAKEN = DemoTake(
    "shaken-puck.mp4",
    "Felt puck, filmed by hand",
    "incline",
    (("shake_deg", 0.6), ("roll_deg", 1.2), ("sweep_deg", 2.0), ("rate", 30.0), ("distance", 2.4)),
)
HAND_PX = 0.8
RULE = Instrument("rule")
LOADS_G = (0, 100, 200, 300, 400, 500)
READ_CM = (18.2, 16.34, 14.43, 12.56, 10.61, 8.77)
"""What the pointer at the end of a loaded rod shows."""


def measured() -> Notebook:
    """The motion of a camera taken out by two fixed points, an angle; a rule read in six stills."""
    rng = np.random.default_rng(31)
    notebook = Notebook(title=_("Clock workshop open day"), who=_("Lapwing group"))
    notebook = _shaken(notebook, rng)
    return _rule(notebook, rng)


def _placed(rng: np.random.Generator, x: float, y: float) -> Place:
    x, y = np.array([x, y]) + rng.normal(0, HAND_PX, 2)
    return round(float(x), 2), round(float(y), 2)


def _shaken(notebook: Notebook, rng: np.random.Generator) -> Notebook:
    scene, path = SHAKEN.set_up(), demo_film(SHAKEN)
    truth = truth_of(scene)
    notebook, take_id = take_edits.add_take(
        notebook, reference(path), demo_facts(path), SHAKEN.name, simulated=True
    )
    rule, seen = truth["reference"], truth["bodies"][scene.body.name]
    ends = _placed(rng, *rule["start_px"]), _placed(rng, *rule["end_px"])
    notebook = scale_edits.lay_reference(notebook, take_id, *ends)
    typed = Typed(value=1.0, unit="m", U95=0.001, U95_unit="m", text="1.000 m", U95_text="0.001 m")
    notebook = scale_edits.set_reference_length(notebook, take_id, typed)
    notebook = scale_edits.place_origin(notebook, take_id, _placed(rng, *truth["axes"]["origin_px"]))
    notebook = scale_edits.turn_axes(notebook, take_id, math.degrees(scene.axes_angle), 0.1)
    notebook, puck = reading_edits.add_body(notebook, take_id, scene.body.name)
    frames = range(0, truth["frames"], 2)
    ends_named = zip((_("Left end of the rule"), _("Right end")), truth["fixed"], strict=True)
    for name, places in ((None, seen), *ends_named):
        body_id = puck
        if name is not None:
            notebook, body_id = reading_edits.add_body(notebook, take_id, name)
            notebook = edits.fix_point(notebook, take_id, body_id, fixed=True)
        notebook = reading_edits.set_reading_uncertainty(notebook, take_id, body_id, HAND_PX)
        for frame in frames:
            place = _placed(rng, places["x_px"][frame], places["y_px"][frame])
            notebook = reading_edits.place_reading(notebook, take_id, body_id, Reading(frame, *place))
    first = round(scene.settings["release"] * scene.settings["rate"]) + 2
    notebook, _segment = segment_edits.add_segment(
        notebook, take_id, puck, of="x", frames=(first // 2 * 2, frames[-1]), model="constant-acceleration"
    )
    corners = truth["view"]["rectangle"]["corners_px"]
    board = _placed(rng, *corners[0]), _placed(rng, *corners[1])
    notebook, _id = edits.add_measure(
        notebook, take_id, "slope", board, 0, name=_("Slope of the board"), u_px=HAND_PX
    )
    return notebook


def _rule(notebook: Notebook, rng: np.random.Generator) -> Notebook:
    folder = demo_stills(RULE, READ_CM, "rule-stills")
    notebook, take_id = take_edits.add_take(
        notebook, reference(folder), demo_facts(folder, 1.0), _("Rod under load, stills"), simulated=True
    )
    notebook, scale_id = edits.add_scale(
        notebook, take_id, "straight", name=_("Rule"), unit="cm", u_px=HAND_PX, parallax="on-scale"
    )
    divisions = tuple(
        Division(place=_placed(rng, *RULE.place(value)), value=value, text=f"{value:g}")
        for value in RULE.marked
    )
    notebook = edits.change_scale(notebook, take_id, scale_id, divisions=divisions)
    parts = []
    for frame, value in enumerate(READ_CM):
        place = _placed(rng, *RULE.pointer(value))
        notebook, part = edits.read_pointer(notebook, take_id, scale_id, frame, place)
        parts.append(part)
    notebook = trial_edits.start(notebook, _table())
    links = [Link(kind="filmed-scale", source=take_id, place=scale_id, part=part) for part in parts]
    return sent_all(notebook, "reading", links)


def _table() -> TrialTable:
    """A table of its own with the loads typed, and a column for what the rule shows."""
    own = (
        CustomColumn(name="load", title=_("load"), unit="g"),
        CustomColumn(name="reading", title=_("reading"), unit="cm"),
    )
    rows = tuple(Trial(id=f"trial-{n + 1}", cells={"load": f"{load}"}) for n, load in enumerate(LOADS_G))
    return TrialTable(
        investigation=FREE, own=own, varied="load", trials=rows, plot=Plot(x="load", y="reading")
    )


def demo_stills(instrument: Instrument, values: tuple[float, ...], name: str) -> Path:
    """Give the folder of the stills of an instrument, filming them where they are missing."""
    folder = FILMS / name
    if not folder.exists():
        film_stills(instrument, values, folder)
    return folder
