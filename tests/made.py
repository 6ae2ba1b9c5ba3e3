"""Notebooks made on the spot for the tests, with a film that need not exist."""

import math
from fractions import Fraction

import numpy as np

from saltus.core.sources import Source, SourceId
from saltus.footage.facts import FilmFacts
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.geometry import Typed
from saltus.notebook.model import FilmRef, Notebook
from saltus.notebook.readings import Reading

RATE = 30


def source(name, kind="instruments", label="", shape="normal", dof=math.inf):
    """A source of uncertainty that no product knows."""
    return Source(SourceId(name), kind, label, shape, dof)


def work(notebook):
    """A notebook without the note of which ids were ever given: undo takes all back but that."""
    return notebook.but(last_ids={})


def without_runs(data):
    """The data of a notebook as files up to version 5 had its readings; changed in place."""
    for take in data["takes"]:
        for body in take["bodies"]:
            del body["runs"]
            body["readings"] = [[*row[:5], row[5] == "aside"] for row in body["readings"]]
    return data


def facts(frames=40, **changes):
    """Facts of an even film of 640 × 360 px at 30 frames per second."""
    usual = {
        "width": 640, "height": 360, "rotation_deg": 0, "codec": "h264", "ticks": tuple(range(frames)),
        "time_base": Fraction(1, RATE), "start_ticks": 0, "last_ticks": 1, "sound": False,
    }  # fmt: skip
    return FilmFacts(**usual | changes)


def with_film(notebook=None, **changes):
    """A notebook with one take; gives it and the take's id."""
    film = FilmRef(name="run.mp4", size=10, sha256="0" * 64)
    return take_edits.add_take(notebook or Notebook(), film, facts(**changes))


def scaled(notebook, take_id, length_m=1.0, pixels=500.0):
    """Lay a reference length along the picture and place the origin at its left end."""
    notebook = scale_edits.lay_reference(notebook, take_id, (50.0, 300.0), (50.0 + pixels, 300.0))
    typed = Typed(
        value=length_m, unit="m", U95=0.002, U95_unit="m", text=f"{length_m:.3f} m", U95_text="0.002 m"
    )
    notebook = scale_edits.set_reference_length(notebook, take_id, typed)
    return scale_edits.place_origin(notebook, take_id, (50.0, 300.0))


def measured(frames=40, *, acceleration=2.0, noise_px=0.0, seed=0, step=1):
    """A notebook with a run of constant acceleration along x, read and fitted; gives it and ids."""
    notebook, take_id = with_film(frames=frames)
    notebook = scaled(notebook, take_id)
    notebook, body = reading_edits.add_body(notebook, take_id, "Cart")
    rng = np.random.default_rng(seed)
    for n in range(0, frames, step):
        x = 50 + 500 * (0.5 * acceleration * (n / RATE) ** 2) + rng.normal(0, noise_px)
        reading = Reading(n, float(x), 200.0 + float(rng.normal(0, noise_px)))
        notebook = reading_edits.place_reading(notebook, take_id, body, reading)
    notebook, segment = segment_edits.add_segment(notebook, take_id, body, of="x", frames=(0, frames - 1))
    return notebook, take_id, body, segment
