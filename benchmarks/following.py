"""How far followed places and what is made of them can be trusted, on films with known truth.

Usage: following.py OUT.md [FILMS]. Each film is drawn, compressed, followed by the command, and fitted; then states
and accuracy on drawn scenes none of which was used while the follower was made.
"""

import contextlib
import io
import json
import math
import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import av
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
from drawn import DrawnBody, DrawnScene

from saltus.commands.main import saltus
from saltus.core.following.patch import Box
from saltus.core.following.run import Following, Frame, Start
from saltus.simulate.camera import film, truth_of
from saltus.simulate.scenes import set_up

FILMS = int(sys.argv[2]) if len(sys.argv) > 2 else 200
RATE, SEEDS = 60.0, range(1000, 1008)
BODIES = ((120, 40, 0), (90, 40, 0), (90, 40, 20), (20, 120, 0), (20, 90, 0), (20, 120, 20), (20, 18, 0))
"""Grey levels a body is apart from the ground, of its own marks, and of the texture behind it."""
G_PX = 500.0
WAYS = {
    "free-fall": {"width": (560, 720), "velocity": (-0.4, 0.4), "release": (0.04, 0.1)},
    "incline": {"width": (560, 720), "slope_deg": (12, 18), "turn_deg": (-8, 8), "release": (0.1, 0.4)},
    "pendulum": {
        "width": (560, 720),
        "length": (0.45, 0.7),
        "amplitude_deg": (5, 12),
        "damping": (0.01, 0.04),
    },
}
"""Settings of the scenes that films of a kind differ in; the grain of what lies behind changes with the width."""


def command(*words):
    """Run a headless command; gives what it printed."""
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        saltus.main([str(w) for w in words], standalone_mode=False)
    return out.getvalue()


def camera_film(name, seed, folder):
    """A small film of the virtual camera, where its body is first, and its truth."""
    rng = np.random.default_rng(seed)
    changes = {
        "height": 360,
        "rate": 60,
        "seed": seed,
        "crf": float(rng.integers(18, 27)),
        "noise": float(rng.uniform(1, 4)),
    }
    changes |= {what: float(rng.uniform(*between)) for what, between in WAYS[name].items()}
    changes["width"] = 2 * round(changes["width"] / 2)
    scene = set_up(name, changes)
    path = folder / f"{name}.mp4"
    film(scene, path)
    return path, truth_of(scene)


def of_camera(name, of, model, seed):
    """Whether the stated interval of a scene's acceleration or period holds the truth; its half-width over it."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        path, truth = camera_film(name, seed, folder)
        body = next(iter(truth["bodies"].values()))
        r = body["radius_px"] * 1.15
        box = f"{body['x_px'][0] - r},{body['y_px'][0] - r},{2 * r},{2 * r}"
        command("follow", path, "--box", box, "-o", folder / "r.csv")
        x, y = truth["axes"]["origin_px"]
        command("motion", folder / "r.csv", "--scale", truth["m_per_px"], "--origin", f"{x},{y}", "--angle",
                truth["axes"]["angle_deg"], "-o", folder / "m.csv")  # fmt: skip
        if model == "period":
            found = json.loads(command("cycles", folder / "m.csv", "--of", of, "--json"))["period"]
            value = float(np.mean(np.diff(truth["events"]["passing from the right"])))
        else:
            start = truth["parameters"]["release"] + 0.02
            end = truth["time_s"][-1] if name != "incline" else truth["parameters"]["release"] + 1.2
            words = ("--model", model, "--of", of, "--from", start, "--to", end)
            told = json.loads(command("segment", folder / "m.csv", *words, "--json"))
            found, value = told["parameters"]["acceleration"], truth["parameters"]["acceleration"]
        if found is None:
            return None
        return abs(found["value"] - value) <= found["U95"], found["U95"] / abs(value)


def projectile(seed):
    """The same for the fall of a thrown body, drawn."""
    rng = np.random.default_rng(seed)
    t = np.arange(50) / RATE
    vx, vy, size = rng.uniform(150, 300), rng.uniform(150, 260), float(rng.integers(20, 40))
    path = np.stack([40 + vx * t, 150 - vy * t + 0.5 * G_PX * t**2], axis=1)
    scene = DrawnScene(
        (DrawnBody(path, size=size, level=150, seed=seed),), 360, 320, noise=float(rng.uniform(1, 4)), seed=seed,
        exposure=float(rng.uniform(0, 0.2)),
    )  # fmt: skip
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        scene.film(folder / "p.mp4", float(rng.integers(18, 27)))
        x, y = path[0] - size / 2
        command("follow", folder / "p.mp4", "--box", f"{x},{y},{size},{size}", "-o", folder / "r.csv")
        command("motion", folder / "r.csv", "--scale", "0.01", "-o", folder / "m.csv")
        words = ("--model", "constant-acceleration", "--of", "y")
        q = json.loads(command("segment", folder / "m.csv", *words, "--json"))["parameters"]["acceleration"]
        return abs(q["value"] + G_PX / 100) <= q["U95"], q["U95"] / (G_PX / 100)


KINDS = {
    "free fall: g": ("free-fall", "y", "constant-acceleration"),
    "incline: acceleration": ("incline", "x", "constant-acceleration"),
    "swing: period": ("pendulum", "x", "period"),
    "projectile: g": None,
}


def one(job):
    """One film of one kind."""
    kind, seed = job
    return kind, projectile(seed) if KINDS[kind] is None else of_camera(*KINDS[kind], seed)


def run_on(scene, pictures):
    """Follow the first body of a scene through pictures."""
    body = scene.bodies[0]
    x, y = body.path[0] - body.size / 2
    frames = (Frame(n, n / RATE, p, lambda: None) for n, p in enumerate(pictures))
    run = Following((Start("body", Box(x, y, body.size, body.size), "pattern"),), next(frames))
    for frame in frames:
        run.step(frame)
    return run.results()[0]


def decoded(scene, crf):
    """The pictures as H.264 leaves them."""
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "f.mp4"
        scene.film(path, crf)
        with av.open(str(path)) as container:
            for frame in container.decode(video=0):
                plane = frame.planes[0]
                rows = np.frombuffer(plane, np.uint8).reshape(-1, plane.line_size)
                yield rows[: frame.height, : frame.width].copy()


def accuracy(job):
    """Errors over stated u, and errors, of one scene; 20 levels from the ground if only the marks stand out."""
    apart, marks, texture, crf, seed = job
    rng = np.random.default_rng(seed)
    t = np.arange(150) / RATE
    period, phase = rng.uniform(1.2, 2.2), rng.uniform(0, 6)
    path = np.stack(
        [160 + 100 * np.sin(2 * np.pi * t / period + phase), 90 + 30 * np.cos(7 * t / period + phase)], axis=1
    )
    body = DrawnBody(path, size=48, contrast=marks, level=170 - apart, seed=seed)
    scene = DrawnScene((body,), 320, 180, seed=seed, ground_contrast=texture)
    result = run_on(scene, scene.pictures() if crf is None else decoded(scene, crf))
    off = (np.stack([result.x, result.y], axis=1) - path)[1:]
    found = np.array([s == "found" for s in result.states])[1:]
    u = np.stack([result.u_x, result.u_y], axis=1)[1:]
    off, u = off[found], u[found]
    spread = off - off.mean(axis=0)
    return (
        (apart, marks, texture, crf),
        float(np.mean(off**2)),
        float(np.mean((spread / u) ** 2)),
        float(np.mean(found)),
    )


def hard_scenes(seed):
    """Scenes in which a body is hidden, crossed, leaves, flickers, hardly stands out or is smeared."""
    rng = np.random.default_rng(seed)
    size, n = float(rng.choice([28, 36, 48])), 120
    swing = swung(n, rng.uniform(1.2, 1.8), rng.uniform(0, 6))
    speed = rng.uniform(1.4, 2.4)
    line = np.stack([40 + speed * np.arange(n), 90 + 0.05 * np.arange(n)], axis=1)
    back = np.stack([280 - speed * np.arange(n), 88 + 0 * np.arange(n)], axis=1)
    here = {"size": size, "seed": seed, "level": 150.0}
    how = {"width": 320, "height": 180, "seed": seed}
    yield "hidden by a post", DrawnScene((DrawnBody(line, **here),), posts=((150, 150 + 1.3 * size),), **how)
    yield "crossed by a twin", DrawnScene((DrawnBody(line, **here), DrawnBody(back, **here)), **how)
    yield "leaving", DrawnScene((DrawnBody(line * [1.4, 1] + [40, 0], **here),), **how)
    yield "flicker", DrawnScene((DrawnBody(swing, **here),), flicker=0.06, **how)
    yield "18 grey levels", DrawnScene((DrawnBody(swing, contrast=18.0, **here),), **how)
    yield "smeared", DrawnScene((DrawnBody(swung(n, 0.7, 1.0), **here),), exposure=0.6, **how)
    t = np.arange(n) / RATE
    yield "turning", DrawnScene((DrawnBody(swing, angle=rng.uniform(-1, 1) * t, **here),), **how)
    yield "growing", DrawnScene((DrawnBody(swing, growth=1 + 0.2 * t, **here),), **how)
    yield "turning away", DrawnScene((DrawnBody(swing, changed=np.clip(t - 0.5, 0, 1), **here),), **how)
    k = np.maximum(np.arange(44) - 8, 0)
    small, wide = {**here, "size": 24.0}, {**how, "width": 860}
    away = np.stack([40 + 21.0 * np.maximum(k - 1, 0), 90 + 0 * k], axis=1)
    yield "launched, smeared by its size", DrawnScene((DrawnBody(away, **small),), exposure=0.95, **wide)
    k = np.maximum(np.arange(64) - 8, 0)
    up = np.stack([40 + 13.0 * k, 150 - 17.0 * k + 0.32 * k**2], axis=1)
    yield "thrown out and back", DrawnScene((DrawnBody(up, **small),), exposure=rng.uniform(0, 0.9), **wide)


def swung(n, period, phase):
    """A swing over most of the picture, px."""
    t = np.arange(n) / RATE
    return np.stack(
        [160 + 95 * np.sin(2 * np.pi * t / period + phase), 90 + 20 * np.cos(7 * t / period + phase)], axis=1
    )


def states(seed):
    """What was called found, scene by scene: wrong by more than 3 px, out of sight, and of the frames in full sight."""
    out = []
    for name, scene in hard_scenes(seed):
        result = run_on(scene, scene.pictures())
        off = (np.stack([result.x, result.y], axis=1) - scene.bodies[0].path)[1:]
        found = np.array([s == "found" for s in result.states])[1:]
        sight = scene.in_sight()[1:]
        wrong, blind = found & (np.hypot(*off.T) > 3), found & (sight < 0.05)
        full = sight > 0.999
        out.append((name, int(wrong.sum()), int(blind.sum()), int((found & full).sum()), int(full.sum())))
    return out


def main():
    """Measure and write the page."""
    lines = ["# Followed readings against known truth", "", "Made by `benchmarks/following.py`.", "", f"{FILMS} films a kind, H.264 at CRF 18 to 26, noise 1 to 4 grey levels; scale and clock exact.", "",
             "| what | films | stated 95 % intervals that hold | median U95 |", "|---|---|---|---|"]  # fmt: skip
    with ProcessPoolExecutor() as pool:
        kinds = {kind: [] for kind in KINDS}
        for kind, found in pool.map(one, [(k, s) for k in KINDS for s in range(FILMS)]):
            if found is not None:
                kinds[kind].append(found)
        for kind, found in kinds.items():
            held, width = np.mean([h for h, _w in found]), np.median([w for _h, w in found])
            lines.append(f"| {kind} | {len(found)} | {100 * held:.1f} % | {100 * width:.2g} % |")
        jobs = [
            (apart, marks, texture, crf, s)
            for apart, marks, texture in BODIES
            for crf in (None, 18, 23, 28)
            for s in SEEDS
        ]
        table = {}
        for key, square, ratio, share in pool.map(accuracy, jobs):
            table.setdefault(key, []).append((square, ratio, share))
        lines += ["", f"A 48 px body, noise 2, {len(SEEDS)} scenes each; grey levels; e/u: scatter about the run's mean over stated u.", "",
                  "| apart from the ground | its marks | background | H.264 | rms, px | e/u pooled | e/u by scene | found |", "|---|---|---|---|---|---|---|---|"]  # fmt: skip
        for (apart, marks, texture, crf), rows in table.items():
            squares, ratios, shares = (np.array(c) for c in zip(*rows, strict=True))
            by = f"{math.sqrt(ratios.min()):.2f} to {math.sqrt(ratios.max()):.2f}"
            lines.append(
                f"| {apart} | {marks} | {'texture' if texture else 'plain'} | {f'CRF {crf}' if crf else 'none'} | {math.sqrt(squares.mean()):.3f} "
                f"| {math.sqrt(ratios.mean()):.2f} | {by} | {100 * shares.mean():.1f} % |"
            )
        scenes = {}
        for found in pool.map(states, SEEDS):
            for name, *counts in found:
                scenes.setdefault(name, []).append(counts)
    lines += [
        "",
        "| scene | found but more than 3 px wrong | found out of sight | found of the frames in full sight |",
        "|---|---|---|---|",
    ]
    for name, rows in scenes.items():
        wrong, blind, seen, full = np.sum(rows, axis=0)
        lines.append(f"| {name} | {wrong} | {blind} | {100 * seen / full:.1f} % of {full} |")
    Path(sys.argv[1]).write_text("\n".join(lines) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
