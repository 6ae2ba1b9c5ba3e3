"""Motions made on the spot for the tests: bouncing, swinging, struck, let go; their truth is known."""

import math

import numpy as np

from saltus.core import sources
from saltus.core.quantities import family
from saltus.core.units import METRE

G = 9.81
HEADER = (
    "body,frame,t [s],x [m],y [m],u(x) [m],u(y) [m],vx [m/s],vy [m/s],u(vx) [m/s],u(vy) [m/s],"
    "ax [m/s^2],ay [m/s^2],u(ax) [m/s^2],u(ay) [m/s^2],u_scale [1],u_rate [1]"
)


def read(values, u, axis="x", unit=METRE, scale=0.0):
    """Positions read with an independent u, and with a common relative uncertainty of the scale."""
    made = family(values, np.full(len(values), u), unit, sources.reading("t", "b", axis))
    return made.with_source(sources.scale_length("t"), values * scale) if scale else made


def bouncing(t, drop, kept, slowest=0.5):
    """Heights of a ball let fall at t = 0, and its impacts and its highest places between them, s."""
    starts, impacts, tops = [(0.0, drop, 0.0)], [], []
    at, speed = math.sqrt(2 * drop / G), kept * math.sqrt(2 * G * drop)
    while at < t[-1] and speed > slowest:
        starts.append((at, 0.0, speed))
        impacts.append(at)
        tops.append(at + speed / G)
        at, speed = at + 2 * speed / G, kept * speed
    which = np.searchsorted([s[0] for s in starts], t, side="right") - 1
    since = t - np.array([s[0] for s in starts])[which]
    height = np.array([s[1] for s in starts])[which] + np.array([s[2] for s in starts])[which] * since
    return height - 0.5 * G * since**2, impacts, tops


def struck(t, at, before, after, slopes=(0.0, 0.0)):
    """Places of a body whose velocity changes at once, at the origin."""
    since = t - at
    sides = [v * since + 0.5 * a * since**2 for v, a in zip((before, after), slopes, strict=True)]
    return np.where(since < 0, *sides)


def table_of(path, t, x, y, u=0.001, *, body="A", u_scale=0.0, u_rate=0.0, more=None):
    """Write a motion table; ``more`` names further columns."""
    extra = more or {}
    lines = [",".join([HEADER, *extra])]
    for i in range(len(t)):
        cells = [body, str(i), *(f"{v:.12g}" for v in (t[i], x[i], y[i], u, u)), *[""] * 8]
        cells += [f"{u_scale:g}", f"{u_rate:g}", *(f"{c[i]:.12g}" for c in extra.values())]
        lines.append(",".join(cells))
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return path
