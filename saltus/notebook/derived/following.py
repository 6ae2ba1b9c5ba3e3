"""What following said of the frames of a take: found, doubted, lost, and why."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import NORMAL_95
from saltus.core.following.judgement import least_alike
from saltus.core.statement import value_and_uncertainty
from saltus.notebook.memory import remembered
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from saltus.notebook.following import FrameRecord
    from saltus.notebook.model import Body, Take


@dataclass(frozen=True)
class Doubtful:
    """A reading that was proposed and is doubted, or a stretch in which a body was not seen.

    Attributes
    ----------
    body : str
        Id.
    frame, last : int
        The frame, or the first and last of a stretch.
    lost : bool
    doubts : tuple of str
        Codes, the weightiest first.
    frames : int
        How many frames were looked at in a stretch.
    """

    body: str
    frame: int
    last: int
    lost: bool
    doubts: tuple[str, ...] = ()
    frames: int = 1


@remembered
def looked_at(body: Body) -> tuple[FrameRecord, ...]:
    """What was seen in each frame a body was followed in, in order; a later run says more than an earlier."""
    if len(body.runs) == 1:
        return body.runs[0].record.rows
    seen: dict[int, FrameRecord] = {}
    for run in body.runs:
        seen.update((row.frame, row) for row in run.record)
    return tuple(seen[frame] for frame in sorted(seen))


@remembered
def lost_stretches(body: Body) -> tuple[Doubtful, ...]:
    """Stretches of frames in which a body was looked for and is not to be seen; where it was read, it is."""
    found: list[Doubtful] = []
    before = False
    for row in looked_at(body):
        lost = row.state == "lost" and body.readings.at(row.frame) is None
        if lost and before:
            last = found.pop()
            found.append(Doubtful(body.id, last.frame, row.frame, True, last.doubts, last.frames + 1))
        elif lost:
            found.append(Doubtful(body.id, row.frame, row.frame, True, row.doubts))
        before = lost
    return tuple(found)


@remembered
def weak_readings(body: Body) -> tuple[Doubtful, ...]:
    """Readings that were proposed and are doubted, in order of time."""
    weak = body.readings.columns.of("weak").frame.tolist()
    doubts = {row.frame: row.doubts for row in looked_at(body)} if weak else {}
    return tuple(Doubtful(body.id, frame, frame, False, doubts.get(frame, ())) for frame in weak)


def doubtful(take: Take) -> list[Doubtful]:
    """All that is to be decided of a take, in order of time."""
    every = (d for body in take.bodies for d in (*weak_readings(body), *lost_stretches(body)))
    return sorted(every, key=lambda d: (d.frame, d.body))


def counts(body: Body) -> dict[str, int]:
    """How many frames of a body are found, weak and lost."""
    weak = len(weak_readings(body))
    found = int(np.count_nonzero(body.readings.used.run != ""))
    return {"found": found, "weak": weak, "lost": sum(d.frames for d in lost_stretches(body))}


@remembered
def doubted_below(body: Body) -> float:
    """Likeness below which a place of a body is doubted; NaN where nothing was compared."""
    alike = [row.likeness for row in looked_at(body) if row.state == "found" and row.likeness is not None]
    return least_alike(float(np.median(alike))) if alike else math.nan


def why(doubtful: Doubtful) -> str:
    """Say in words why something is doubted, as briefly as a list wants it."""
    if doubtful.lost:
        return say("following.not-seen-in-list", n=doubtful.frames)
    return doubt_words(doubtful.doubts[0]) if doubtful.doubts else say("following.doubt")


def renewed_words(body: Body, frame: int) -> str:
    """Say how often the patch was made anew up to a frame, and how far places may have drifted by it."""
    reading = body.readings.at(frame)
    run = body.run(reading.run) if reading is not None else None
    if run is None:
        return ""
    made = [one.frame for one in run.renewals if abs(one.frame - run.start) <= abs(frame - run.start)]
    if not made:
        return ""
    u = run.u_common_in(np.array([frame]))
    off = value_and_uncertainty(0.0, NORMAL_95 * float(u.max()))[1]
    return say("following.patch-renewed", n=len(made), last=str(made[-1]), U=off)


def unseen_words(stretch: Doubtful) -> str:
    """Say that nothing was seen in a stretch, and that no position is made up for it."""
    return say("following.not-seen", n=stretch.frames)


def doubt_words(code: str) -> str:
    """Words for a doubt; one made by a newer program is only a doubt."""
    words = {
        "likeness": say("following.doubt-likeness"),
        "hidden": say("following.doubt-hidden"),
        "brightness": say("following.doubt-brightness"),
        "second": say("following.doubt-second"),
        "edge": say("following.doubt-edge"),
        "smeared": say("following.doubt-smeared"),
        "jump": say("following.doubt-jump"),
        "after-loss": say("following.doubt-after-loss"),
    }
    return words.get(code, say("following.doubt"))
