"""Takes of the virtual camera as notebooks, never drawn, read as unsure as one likes."""

import math
from fractions import Fraction

import made
import numpy as np

from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import timing as edits
from saltus.notebook.geometry import Typed
from saltus.notebook.readings import Reading, Readings
from saltus.simulate.shots import CLOCK, shots_of


def covered(q, truth):
    """Whether a stated interval holds the truth."""
    return abs(float(q) - truth) <= q.U95


def filmed(scene, **changes):
    """A notebook with the frames of a simulated take, never drawn; gives it, the take's id and the shots."""
    shots = shots_of(scene)
    ticks = shots.ticks - shots.ticks[0]
    notebook, take_id = made.with_film(
        ticks=tuple(map(int, ticks)), time_base=Fraction(1, CLOCK), duplicates=shots.repeats,
        width=int(scene.settings["width"]), height=int(scene.settings["height"]), **changes,
    )  # fmt: skip
    return notebook, take_id, shots


def first_after(shots, event):
    """The first frame taken after an event, as a person sees it."""
    return int(np.flatnonzero(shots.taken >= event)[0])


def timed(notebook, take_id, **changes):
    """The take with some of its timing changed."""
    return edits.change_timing(notebook, take_id, **changes).take(take_id)


def read_on(scene, noise_px, seed, *, readout=0.0, **timing):
    """Read the body of a scene, each reading so unsure, rows of the sensor one after the other."""
    notebook, take_id, shots = filmed(scene)
    rng = np.random.default_rng(seed)
    taken = shots.taken
    for _round in range(3 if readout else 0):
        # the row the body lies in says when it was seen
        y = scene.in_picture(scene.path(taken))[:, 1]
        taken = shots.taken + readout * (y / scene.settings["height"] - 0.5)
    places = scene.in_picture(scene.path(taken)) + rng.normal(0, noise_px, (len(taken), 2))
    start, end, length = scene.reference
    notebook = scale_edits.lay_reference(notebook, take_id, start, end)
    notebook = scale_edits.set_end_uncertainty(notebook, take_id, 0.01)
    typed = Typed(value=length, unit="m", U95=0.0001, U95_unit="m")
    notebook = scale_edits.set_reference_length(notebook, take_id, typed)
    notebook = scale_edits.place_origin(notebook, take_id, scene.axes_origin)
    notebook = scale_edits.turn_axes(notebook, take_id, math.degrees(scene.axes_angle))
    notebook, body = reading_edits.add_body(notebook, take_id, "Bob")
    rows = Readings([Reading(n, float(x), float(y)) for n, (x, y) in enumerate(places)])
    take = notebook.take(take_id)
    take = take.but(bodies=(take.body(body).but(readings=rows, u_px=max(noise_px, 0.01)),))
    notebook = notebook.but(takes=(take,))
    return edits.change_timing(notebook, take_id, **timing), take_id, body
