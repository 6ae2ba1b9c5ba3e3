"""The virtual camera: films a scene and writes down the truth."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from fractions import Fraction
from typing import TYPE_CHECKING, Any

import av
import cv2
import numpy as np

from saltus.core.progress import LongWork, Progress, Steps
from saltus.files.writing import whole, write_whole
from saltus.simulate.bodies import paint_disc, paint_thread
from saltus.simulate.shots import CLOCK, SOUND_RATE, heard, shots_of
from saltus.simulate.view import VIEW

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from numpy.typing import NDArray

    from saltus.simulate.scene import Scene
    from saltus.simulate.view import View


def pictures(scene: Scene) -> Iterator[NDArray[np.uint8]]:
    """Render the frames of a scene, (H, W, 3) uint8 RGB each; the exposure is centred on the frame time."""
    canvas = scene.background()
    still = scene.view_at(0.0).pose is None
    background = scene.view.pictured(canvas)
    nearer = scene.settings["nearer"]
    noise = np.random.default_rng(int(scene.settings["seed"]))
    exposure = scene.settings["exposure"]
    for t in shots_of(scene).taken:
        view = scene.view_at(float(t))
        edges = np.array([t - exposure / 2, t + exposure / 2])
        ends = scene.in_picture(scene.path(edges), nearer=nearer, t=edges)
        moments = max(1, math.ceil(2 * float(np.linalg.norm(ends[1] - ends[0]))))
        when = t + exposure * ((np.arange(moments) + 0.5) / moments - 0.5)
        places = scene.in_picture(scene.path(when), nearer=nearer, t=when)
        picture = background.copy() if still else view.pictured(canvas)
        if scene.pivot is not None:
            paint_thread(picture, _seen(view, scene.pivot, nearer), places.mean(axis=0))
        grown = view.grown(scene.flat(scene.path(np.array([t])))[0], nearer=nearer)
        body = scene.body if grown == 1 else replace(scene.body, radius_px=scene.body.radius_px * grown)
        paint_disc(picture, body, places)
        if scene.settings["noise"]:
            grain = noise.standard_normal(picture.shape[:2], dtype=np.float32)
            cv2.scaleAdd(cv2.cvtColor(grain, cv2.COLOR_GRAY2RGB), scene.settings["noise"], picture, picture)
        # rounds to the nearest grey level and stays within 0 and 255
        yield np.asarray(cv2.add(picture, 0.0, dtype=cv2.CV_8U), dtype=np.uint8)


def _seen(view: View, place: tuple[float, float], nearer: float = 0.0) -> tuple[float, float]:
    """Where a place of the square-on picture is seen, px."""
    x, y = view.seen(np.array([place]), nearer=nearer)[0]
    return float(x), float(y)


def _view_truth(scene: Scene) -> dict[str, Any]:
    """How the camera looks, and what can be marked to find that out: a rectangle, an edge, marks along x."""
    view, settings = scene.view, scene.settings
    width, height = view.width, view.height
    inside = np.array([[0.2, 0.8], [0.8, 0.8], [0.8, 0.2], [0.2, 0.2]]) * [width, height]
    size = [0.6 * width * scene.m_per_px, 0.6 * height * scene.m_per_px]
    edge = np.column_stack([np.linspace(0.05, 0.95, 9) * width, np.full(9, 0.06 * height)])
    if scene.rectangle is not None:
        # its front edge is straight
        inside, size = np.array(scene.rectangle[0]), list(scene.rectangle[1])
        edge = np.linspace(0, 1, 9)[:, None] * (inside[1] - inside[0]) + inside[0]
    marks = np.linspace(0.0, 0.6 * width * scene.m_per_px, 5)
    return {
        **{name: settings[name] for name in VIEW},
        "to_plane_m": view.to_plane,
        "lens_centre_px": [(width - 1) / 2, (height - 1) / 2],
        "lens_radius_px": view.radius,
        "rectangle": {"corners_px": view.seen(inside).tolist(), "size_m": size},
        "edge_px": view.seen(edge).tolist(),
        "marks": {
            "px": scene.in_picture(np.column_stack([marks, 0 * marks])).tolist(),
            "distance_m": marks.tolist(),
        },
    }


def truth_of(scene: Scene) -> dict[str, Any]:
    """Give the truth of a film of this scene, ready for JSON: SI units, picture coordinates in px."""
    shots = shots_of(scene)
    t = shots.taken
    world = scene.path(t)
    picture = scene.in_picture(world, nearer=scene.settings["nearer"], t=t)
    *ends, length = scene.reference
    start, end = (_seen(scene.view, place) for place in ends)
    fixed = np.array([[_seen(scene.view_at(float(when)), place) for when in t] for place in ends])
    return {
        "scene": scene.name,
        "settings": scene.settings,
        "frames": len(t),
        "time_s": (shots.ticks / CLOCK).tolist(),
        "taken_s": t.tolist(),
        "duplicates": list(shots.repeats),
        "gaps": list(shots.gaps),
        "events": {name: list(times) for name, times in scene.events.items()},
        "m_per_px": scene.m_per_px,
        "axes": {
            "origin_px": list(_seen(scene.view, scene.axes_origin)),
            "angle_deg": math.degrees(scene.axes_angle),
        },
        "view": _view_truth(scene),
        "fixed": [{"x_px": p[:, 0].tolist(), "y_px": p[:, 1].tolist()} for p in fixed],
        "reference": {"start_px": list(start), "end_px": list(end), "length_m": length},
        "bodies": {
            scene.body.name: {
                "x_px": picture[:, 0].tolist(),
                "y_px": picture[:, 1].tolist(),
                "x_m": world[:, 0].tolist(),
                "y_m": world[:, 1].tolist(),
                "radius_px": scene.body.radius_px,
            }
        },
        "parameters": scene.truth,
    }


def _record(container: Any, track: Any, sound: NDArray[np.float32]) -> None:
    """Write sound beside the pictures, beginning with the first frame."""
    for start in range(0, len(sound), 1024):
        frame = av.AudioFrame.from_ndarray(sound[None, start : start + 1024], format="fltp", layout="mono")
        frame.sample_rate, frame.pts = SOUND_RATE, start
        container.mux(track.encode(frame))
    container.mux(track.encode(None))


@LongWork
def film(scene: Scene, path: Path, truth: Path | None = None) -> Steps[None]:
    """Film a scene as H.264 MP4.

    Parameters
    ----------
    scene : Scene
    path : Path
        Where the film goes; written beside first, so a film is whole or not there.
    truth : Path, optional
        Where the truth goes, as JSON.
    """
    ticks = shots_of(scene).ticks
    settings = scene.settings
    rate = settings["play_rate"] or settings["rate"]
    with whole(path) as part, av.open(f"file:{part.absolute()}", "w", format="mp4") as container:
        options = {"crf": f"{settings['crf']:g}", "g": f"{settings['group']:g}", "preset": "veryfast"}
        stream = container.add_stream("libx264", rate=Fraction(rate).limit_denominator(1001), options=options)
        stream.width, stream.height = (int(settings[k]) // 2 * 2 for k in ("width", "height"))
        stream.pix_fmt = "yuv420p"
        stream.codec_context.time_base = Fraction(1, CLOCK)
        track = container.add_stream("aac", rate=SOUND_RATE, layout="mono") if settings["sound"] else None
        for i, picture in enumerate(pictures(scene)):
            even = np.ascontiguousarray(picture[: stream.height, : stream.width])
            frame = av.VideoFrame.from_ndarray(even, format="rgb24")
            frame.pts, frame.time_base = int(ticks[i]), Fraction(1, CLOCK)
            container.mux(stream.encode(frame))
            yield Progress(i + 1, len(ticks))
        container.mux(stream.encode(None))
        if track is not None:
            _record(container, track, heard(scene, float(ticks[-1]) / CLOCK + 1 / rate))
    if truth is not None:
        write_whole(truth, json.dumps(truth_of(scene), indent=1) + "\n")
