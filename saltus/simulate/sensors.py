"""Simulated sensors: what a logger would record, with noise, drift and a zero offset; the truth is known."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.wording import _
from saltus.simulate.scene import SceneError

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Settings = dict[str, float]


@dataclass(frozen=True)
class Recording:
    """What a sensor recorded.

    Attributes
    ----------
    columns : dict of str to (str, (N,) ndarray)
        Name to unit and values.
    signal : str
        The column that noise, drift and offset act on.
    quiet : int
        How many values at the beginning were recorded at rest.
    truth : dict of str to float
        SI.
    """

    columns: dict[str, tuple[str, Array]]
    signal: str
    quiet: int
    truth: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Sensor:
    """A sensor at work on one thing."""

    about: str
    settings: Settings
    signal: Callable[[Settings, np.random.Generator], Recording]

    def record(self, changes: Settings) -> Recording:
        """Record with some settings changed.

        Raises
        ------
        SceneError
            If there is no such setting, or a value makes no sense.
        """
        unknown = set(changes) - set(self.settings)
        if unknown:
            raise SceneError(
                _("“{name}” is no setting of this sensor: it has {all}.").format(
                    name=min(unknown), all=", ".join(self.settings)
                )
            )
        chosen = {**self.settings, **changes}
        if not all(map(math.isfinite, chosen.values())):
            raise SceneError(_("A setting must be a finite number."))
        if not 0 < chosen["duration"] * chosen["rate"] <= 5_000_000:
            raise SceneError(_("Duration times rate must give between 1 and 5 000 000 values."))
        rng = np.random.default_rng(int(chosen["seed"]))
        made = self.signal(chosen, rng)
        unit, values = made.columns[made.signal]
        t = made.columns["time"][1]
        disturbed = (
            values + chosen["offset"] + chosen["drift"] * t + rng.normal(0, 1, len(t)) * chosen["noise"]
        )
        if chosen.get("step", 0.0) > 0:
            disturbed = np.round(disturbed / chosen["step"]) * chosen["step"]
        columns = {**made.columns, made.signal: (unit, disturbed)}
        return Recording(columns, made.signal, made.quiet, made.truth)


def _times(chosen: Settings) -> Array:
    return np.arange(max(round(chosen["duration"] * chosen["rate"]), 1)) / chosen["rate"]


def _pull_hook(chosen: Settings, _rng: np.random.Generator) -> Recording:
    """A weight hung on the hook of a force sensor after a quiet start."""
    t = _times(chosen)
    hung = 1 / (1 + np.exp(-(t - chosen["start"]) / 0.02))
    force = chosen["mass"] * chosen["g"] * hung
    quiet = int(np.sum(t < chosen["start"] - 0.2))
    truth = {"force": chosen["mass"] * chosen["g"]}
    return Recording({"time": ("s", t), "force": ("N", force)}, "force", quiet, truth)


def _pull_run(chosen: Settings, _rng: np.random.Generator) -> Recording:
    """A cart pulled with a steady force while force and acceleration are recorded."""
    t = _times(chosen)
    on = (t >= chosen["start"]) & (t < chosen["stop"])
    acceleration = np.where(on, (chosen["force"] - chosen["friction"]) / chosen["mass"], 0.0)
    force = np.where(on, chosen["force"], 0.0)
    truth = {
        "acceleration": (chosen["force"] - chosen["friction"]) / chosen["mass"],
        "force": chosen["force"],
    }
    columns = {"time": ("s", t), "force": ("N", force), "acceleration": ("m/s^2", acceleration)}
    return Recording(columns, "force", int(np.sum(t < chosen["start"])), truth)


def _cord_jump(chosen: Settings, _rng: np.random.Generator) -> Recording:
    """A load released on an elastic cord: free fall, caught, bouncing out; zeroed at rest."""
    t = _times(chosen)
    g, k, m, slack = chosen["g"], chosen["stiffness"], chosen["mass"], chosen["slack"]
    steps = 20
    dt = 1 / chosen["rate"] / steps
    y, v, out = 0.0, 0.0, []
    for time in t:
        for _step in range(steps):
            if time < chosen["start"]:
                continue
            taut = -y - slack
            pull = (k * taut - chosen["damping"] * v) / m if taut > 0 else 0.0
            a = -g + max(pull, 0.0)
            v += a * dt
            y += v * dt
        taut = -y - slack
        pull = max((k * taut - chosen["damping"] * v) / m, 0.0) if taut > 0 else 0.0
        out.append(0.0 if time < chosen["start"] else pull - g)
    values = np.array(out)
    truth = {"free_fall": -g, "peak": float(values.max())}
    columns = {"time": ("s", t), "acceleration": ("m/s^2", values)}
    return Recording(columns, "acceleration", int(np.sum(t < chosen["start"])), truth)


def _spin(chosen: Settings, _rng: np.random.Generator) -> Recording:
    """A turntable onto which a disc is dropped: angular speed before and after, with friction."""
    t = _times(chosen)
    i, added, drop = chosen["inertia"], chosen["added"], chosen["start"]
    before = chosen["speed"] - chosen["slowing"] * np.minimum(t, drop)
    after = (chosen["speed"] - chosen["slowing"] * drop) * i / (i + added) - chosen["slowing"] * (t - drop)
    omega = np.where(t < drop, before, np.maximum(after, 0.0))
    at = chosen["speed"] - chosen["slowing"] * drop
    truth = {"before": at, "after": at * i / (i + added)}
    return Recording({"time": ("s", t), "omega": ("rad/s", omega)}, "omega", 0, truth)


def _gate_pulses(chosen: Settings, rng: np.random.Generator) -> Recording:
    """A fence of stripes passing a gate with steady acceleration: the time of each edge of the same kind."""
    n = max(int(chosen["stripes"]), 2)
    s = np.arange(n) * chosen["spacing"]
    v, a = chosen["speed"], chosen["acceleration"]
    t = s / v if a == 0 else (-v + np.sqrt(v**2 + 2 * a * s)) / a
    t = np.asarray(t + rng.normal(0, 1, n) * chosen["jitter"])
    missed = int(chosen["missed"])
    if 0 < missed < n - 1:
        t = np.delete(t, missed)
    truth = {"speed": v, "acceleration": a}
    edges: Array = np.asarray(t, dtype=np.float64)
    return Recording({"time": ("s", edges), "state": ("", np.ones(len(edges)))}, "state", 0, truth)


def _balance(chosen: Settings, _rng: np.random.Generator) -> Recording:
    """A balance read again and again: a digital step, a zero that creeps."""
    t = _times(chosen)
    mass = np.full(len(t), chosen["mass"])
    return Recording({"time": ("s", t), "mass": ("kg", mass)}, "mass", 0, {"mass": chosen["mass"]})


_QUIET: Settings = {"noise": 0.0, "drift": 0.0, "offset": 0.0, "seed": 1}
SENSORS: dict[str, Sensor] = {
    "pull-hook": Sensor(
        _("a weight hung on a force sensor"),
        _QUIET
        | {"duration": 6, "rate": 100, "start": 2, "mass": 0.3, "g": 9.81, "noise": 0.02, "offset": 0.15},
        _pull_hook,
    ),
    "pull-run": Sensor(
        _("a cart pulled with a steady force"),
        _QUIET
        | {"duration": 5, "rate": 100, "start": 1.5, "stop": 3.5, "mass": 0.52, "force": 0.8, "friction": 0.1}
        | {"noise": 0.03, "offset": 0.1},
        _pull_run,
    ),
    "cord-jump": Sensor(
        _("a load that jumps on an elastic cord"),
        _QUIET
        | {
            "duration": 8,
            "rate": 200,
            "start": 1,
            "mass": 0.4,
            "stiffness": 18,
            "slack": 1.2,
            "damping": 0.15,
        }
        | {"g": 9.81, "noise": 0.15, "offset": 0.3},
        _cord_jump,
    ),
    "spin": Sensor(
        _("a disc dropped onto a turning table"),
        _QUIET
        | {
            "duration": 6,
            "rate": 50,
            "start": 3,
            "speed": 9,
            "slowing": 0.05,
            "inertia": 0.006,
            "added": 0.003,
        }
        | {"noise": 0.03},
        _spin,
    ),
    "gate-pulses": Sensor(
        _("a striped fence passing a gate"),
        _QUIET
        | {"duration": 1, "rate": 1, "stripes": 20, "spacing": 0.01, "speed": 0.3, "acceleration": 0.8}
        | {"jitter": 0.0001, "missed": 0},
        _gate_pulses,
    ),
    "balance": Sensor(
        _("a balance read again and again"),
        _QUIET
        | {
            "duration": 20,
            "rate": 1,
            "mass": 0.1234,
            "noise": 4e-5,
            "drift": 1e-6,
            "offset": 2e-4,
            "step": 1e-4,
        },
        _balance,
    ),
}
