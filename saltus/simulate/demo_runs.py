"""The demo of ten takes: a felt puck down the drawing board at five slopes, filmed by one camera."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.progress import finished
from saltus.core.wording import _
from saltus.investigations.table.links import links_followed
from saltus.notebook.edits import following as following_edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.films import reference
from saltus.notebook.geometry import Typed
from saltus.notebook.model import Notebook
from saltus.notebook.trials import CustomColumn, Link, Plot, TrialTable
from saltus.session.batch import batch
from saltus.simulate.camera import film, truth_of
from saltus.simulate.demo_film import demo_facts
from saltus.simulate.scenes import set_up

if TYPE_CHECKING:
    from saltus.simulate.scene import Scene

FILMS = Path(__file__).parent / "demo_films" / "runs"
SLOPES = (13.0, 15.0, 17.0, 19.0, 21.0)
"""Of the drawing board, degrees; each is filmed twice."""
FIRST_S, LATER_S = 0.15, 0.013
"""The puck is let go at this time of a film, each time a little later."""
BOX_OF_RADIUS = 1.15


def scene_of(number: int) -> Scene:
    """The scene of a run, by its number from 0."""
    settings = {
        "width": 480.0, "height": 270.0, "duration": 1.0, "slope_deg": SLOPES[number // 2],
        "release": FIRST_S + LATER_S * number, "seed": 70.0 + number,
    }  # fmt: skip
    return set_up("incline", settings)


def run_films() -> list[Path]:
    """The ten films, filming those that are missing."""
    paths = [FILMS / f"run-{n + 1:02}.mp4" for n in range(2 * len(SLOPES))]
    for n, path in enumerate(paths):
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            film(scene_of(n), path)
    return paths


def prepared(paths: list[Path]) -> tuple[Notebook, str]:
    """A notebook with the first film as a template and a table that waits for the others; its take's id."""
    scene = scene_of(0)
    notebook = Notebook(title=_("Felt puck at five slopes"), who=_("Lapwing group"))
    notebook, take_id = take_edits.add_take(
        notebook, reference(paths[0]), demo_facts(paths[0]), _("Run 1"), simulated=True
    )
    notebook = _laid(notebook, take_id, scene)
    notebook, body_id = reading_edits.add_body(notebook, take_id, scene.body.name)
    truth = truth_of(scene)["bodies"][scene.body.name]
    x, y, reach = truth["x_px"][0], truth["y_px"][0], BOX_OF_RADIUS * scene.body.radius_px
    last = len(truth["x_px"]) - 1
    box = (x - reach, y - reach, 2 * reach, 2 * reach)
    notebook, _run = following_edits.begin_run(
        notebook, take_id, body_id, method="pattern", box=box, point=(x, y), start=0, end=last
    )
    first = round(scene.settings["release"] * scene.settings["rate"]) + 2
    notebook, segment_id = segment_edits.add_segment(
        notebook, take_id, body_id, of="x", frames=(first, last), model="constant-acceleration"
    )
    return _with_table(notebook, take_id, segment_id), take_id


def _laid(notebook: Notebook, take_id: str, scene: Scene) -> Notebook:
    rng = np.random.default_rng(5)
    start, end, length = scene.reference
    ends = [tuple(np.asarray(place) + rng.normal(0, 0.4, 2)) for place in (start, end)]
    notebook = scale_edits.lay_reference(notebook, take_id, ends[0], ends[1])
    typed = Typed(value=length, unit="m", U95=0.001, U95_unit="m", text=f"{length:.3f} m", U95_text="0.001 m")
    notebook = scale_edits.set_reference_length(notebook, take_id, typed)
    notebook = scale_edits.set_end_uncertainty(notebook, take_id, 0.5)
    notebook = scale_edits.place_origin(notebook, take_id, scene.axes_origin)
    return scale_edits.turn_axes(notebook, take_id, round(float(np.degrees(scene.axes_angle)), 2), 0.1)


def _with_table(notebook: Notebook, take_id: str, segment_id: str) -> Notebook:
    """A row for each film: its slope as read, the acceleration to come; the first leads to the template."""
    columns = (
        CustomColumn(name="slope", title=_("Slope"), unit="deg"),
        CustomColumn(name="acceleration", title=_("Acceleration"), unit="m/s^2"),
        CustomColumn(name="steepness", title=_("Sine of the slope"), formula="sin(slope)"),
    )
    table = TrialTable(
        investigation="free", simulated=True, own=columns, varied="slope",
        plot=Plot(x="steepness", y="acceleration"),
    )  # fmt: skip
    notebook = trial_edits.start(notebook, table)
    rows = [{"slope": f"{slope:g}"} for slope in SLOPES for _twice in range(2)]
    notebook, ids = trial_edits.add_trials(notebook, rows)
    link = Link(source=take_id, place=segment_id, part="acceleration")
    return trial_edits.link_cell(notebook, ids[0], "acceleration", link, "0 m/s^2")


def runs() -> Notebook:
    """Ten takes, all followed like the first, their accelerations in the table."""
    paths = run_films()
    notebook, take_id = prepared(paths)
    return links_followed(finished(batch(notebook, take_id, None, paths)).notebook)
