"""Words for the scenes of the virtual camera and their settings."""

from __future__ import annotations

from saltus.core.wording import _

SCENE_NAMES = ("incline", "free-fall", "bounce", "pendulum")


def scene_words(name: str) -> tuple[str, str]:
    """Title and sentence of a scene of the virtual camera."""
    return {
        "incline": (_("Felt puck"), _("slides down a tilted drawing board")),
        "free-fall": (_("Steel ball"), _("falls past a rod")),
        "bounce": (_("Steel ball on slate"), _("bounces, and is heard")),
        "pendulum": (_("Brass bob"), _("swings on a thread")),
    }[name]


def setting_words(key: str) -> str:
    """Words for a setting of a scene."""
    words = {
        "rate": _("Frames per second"),
        "duration": _("Duration, s"),
        "exposure": _("Exposure, s"),
        "noise": _("Sensor noise, grey levels"),
        "slope_deg": _("Slope, °"),
        "friction": _("Friction coefficient"),
        "turn_deg": _("Camera turned, °"),
        "length": _("Thread, m"),
        "amplitude_deg": _("Amplitude, °"),
        "damping": _("Damping, 1/s"),
        "velocity": _("Start velocity, m/s"),
        "drop": _("Drop, m"),
        "restitution": _("Restitution"),
        "jitter": _("Frames late by up to, s"),
        "missing": _("Frames lost"),
        "repeat_every": _("Every which frame shown twice (0 none)"),
        "play_rate": _("Played at, frames/s (0 as taken)"),
        "sound": _("With sound (1 yes, 0 no)"),
        "microphone": _("Microphone away, m"),
        "warm": _("Air, °C"),
        "seed": _("Seed of the noise"),
    }
    return words.get(key, "")
