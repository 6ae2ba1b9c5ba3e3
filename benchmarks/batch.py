"""Many films of one set-up: how much two cores are worth, and whether what is stated of the results holds.

Usage: batch.py. Films thirty runs of the demo's set-up, each let go at another moment, at another slope.
"""

import os
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from saltus.core.progress import finished
from saltus.notebook.derived.motion import segment_fit
from saltus.session.batch import batch
from saltus.simulate.camera import film
from saltus.simulate.demo_runs import prepared, run_films, scene_of
from saltus.simulate.scenes import set_up

FILMS = 30


def filmed(folder):
    """Thirty films and what accelerates the puck in each, m/s²."""
    rng = np.random.default_rng(11)
    truths = {}
    for n in range(FILMS):
        settings = dict(scene_of(0).settings) | {
            "slope_deg": float(rng.uniform(13, 21)), "release": float(rng.uniform(0.1, 0.35)), "seed": 500.0 + n,
        }  # fmt: skip
        scene = set_up("incline", settings)
        path = folder / f"film-{n:02}.mp4"
        film(scene, path)
        truths[path.name] = scene.truth["acceleration"]
    return truths


def bench_batch(folder, row):
    """The same films on one core and on all; results held against what was filmed."""
    truths = filmed(folder)
    paths = sorted(folder.glob("film-*.mp4"))
    notebook, take_id = prepared(run_films())
    every = os.sched_getaffinity(0)
    seconds = {}
    for cores in ({min(every)}, every):
        os.sched_setaffinity(0, cores)
        begun = time.perf_counter()
        outcome = finished(batch(notebook, take_id, None, paths))
        seconds[len(cores)] = time.perf_counter() - begun
    os.sched_setaffinity(0, every)
    one, all_of_them = seconds[1], seconds[len(every)]
    row(f"batch of {FILMS} films, beside the same on one core", all_of_them, one, "≤ 0.625 ×", "s")
    held = 0
    for take in outcome.notebook.takes[1:]:
        q = segment_fit(take, take.segments[0]).parameters["acceleration"] if take.segments else None
        held += q is not None and abs(float(q) - truths[take.film.name]) <= q.U95
    row(f"batch of {FILMS} films: results within their 95 % intervals", held / FILMS, None, "95 %", "%")


if __name__ == "__main__":
    with tempfile.TemporaryDirectory(prefix="saltus-batch-") as name:
        for variable in ("DATA", "CONFIG", "CACHE", "STATE"):
            os.environ[f"XDG_{variable}_HOME"] = str(Path(name) / variable.lower())
        bench_batch(Path(name), lambda *told: print(*told, file=sys.stdout, flush=True))
