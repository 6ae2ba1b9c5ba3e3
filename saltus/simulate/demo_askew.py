"""A puck filmed by a camera that looks askew through a bent lens, measured as careful hands would."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.wording import _
from saltus.notebook.edits import geometry as geometry_edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.films import reference
from saltus.notebook.geometry import PlanePoints, StraightEdges, Typed
from saltus.notebook.model import Notebook
from saltus.notebook.readings import Reading
from saltus.simulate.camera import truth_of
from saltus.simulate.demo_film import DemoTake, demo_facts, demo_film

if TYPE_CHECKING:
    from saltus.notebook.part import Place

TAKE = DemoTake(
    "askew-puck.mp4",
    "Felt puck, filmed askew",
    "incline",
    (("pan_deg", 18.0), ("pitch_deg", -24.0), ("lens_k1", -0.05), ("nearer", 0.024), ("turn_deg", 2.0)),
)
HAND_PX = 0.8
EDGE_PX = 0.5


def askew() -> Notebook:
    """The plane by the corners of the board, the lens by its front edge, a rule to check; the puck read."""
    rng = np.random.default_rng(21)
    scene = TAKE.set_up()
    truth, path = truth_of(scene), demo_film(TAKE)
    notebook = Notebook(title=_("Clock workshop open day"), who=_("Lapwing group"))
    notebook, take_id = take_edits.add_take(
        notebook, reference(path), demo_facts(path), TAKE.name, simulated=True
    )

    def placed(at: list[float], u: float) -> Place:
        x, y = np.array(at) + rng.normal(0, u, 2)
        return round(float(x), 2), round(float(y), 2)

    view = truth["view"]
    width, height = view["rectangle"]["size_m"]
    plane = PlanePoints(
        seen=tuple(placed(c, HAND_PX) for c in view["rectangle"]["corners_px"]),
        width=_typed(width), height=_typed(height),
    )  # fmt: skip
    edge = StraightEdges(edges=(tuple(placed(c, EDGE_PX) for c in view["edge_px"]),), u_px=EDGE_PX)
    notebook = geometry_edits.change_geometry(notebook, take_id, plane=plane, edges=edge)
    rule = truth["reference"]
    notebook = scale_edits.lay_reference(
        notebook, take_id, placed(rule["start_px"], HAND_PX), placed(rule["end_px"], HAND_PX)
    )
    notebook = scale_edits.set_reference_length(notebook, take_id, _typed(rule["length_m"]))
    notebook = geometry_edits.change_length(notebook, take_id, None, name=_("Rule on the board"), check=True)
    notebook = scale_edits.place_origin(notebook, take_id, placed(truth["axes"]["origin_px"], HAND_PX))
    along = view["marks"]["px"]
    ends = placed(along[0], HAND_PX), placed(along[-1], HAND_PX)
    notebook = geometry_edits.direct_axes(notebook, take_id, ends, "points", HAND_PX)
    notebook, body_id = reading_edits.add_body(notebook, take_id, scene.body.name)
    notebook = reading_edits.set_reading_uncertainty(notebook, take_id, body_id, HAND_PX)
    seen = truth["bodies"][scene.body.name]
    for frame in range(0, len(seen["x_px"]), 2):
        x, y = placed([seen["x_px"][frame], seen["y_px"][frame]], HAND_PX)
        notebook = reading_edits.place_reading(notebook, take_id, body_id, Reading(frame, x, y))
    first = round(scene.settings["release"] * scene.settings["rate"]) + 2
    last = (len(seen["x_px"]) - 1) // 2 * 2
    notebook, _segment = segment_edits.add_segment(
        notebook, take_id, body_id, of="x", frames=(first // 2 * 2, last), model="constant-acceleration"
    )
    return notebook


def _typed(metres: float) -> Typed:
    text = f"{metres:.3f} m"
    return Typed(value=round(metres, 3), unit="m", U95=0.001, U95_unit="m", text=text, U95_text="0.001 m")
