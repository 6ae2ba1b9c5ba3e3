"""The demo notebook: the open day of a made-up clock-repair workshop, filmed by the virtual camera."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.wording import _
from saltus.investigations.recipe.catalogue import recipe_named
from saltus.notebook.derived.event_sides import sides_about
from saltus.notebook.derived.proposals import proposed
from saltus.notebook.edits import before_after as event_edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.films import reference
from saltus.notebook.geometry import Typed
from saltus.notebook.model import Notebook
from saltus.notebook.readings import Reading
from saltus.notebook.trials import Claim
from saltus.simulate.camera import truth_of
from saltus.simulate.demo_film import DemoTake, demo_facts, demo_film
from saltus.simulate.scene import Scene, SceneError
from saltus.simulate.trials import simulated_notebook

if TYPE_CHECKING:
    from collections.abc import Callable

HAND_PX = 0.8
"""How well the simulated hand places a reading, px."""


TAKES = (
    DemoTake("felt-puck.mp4", "Felt puck on a tilted drawing board", "incline"),
    DemoTake("steel-ball.mp4", "Steel ball past a rod", "free-fall"),
    DemoTake("brass-bob.mp4", "Brass bob", "pendulum", (("duration", 4.0),)),
)
DEMOS = {
    "open-day": "Three films; the puck measured from end to end, the ball with its scale, the bob untouched.",
    "fresh": "The same three films, nothing measured yet.",
    "motion": "A bob that swings and a ball that bounces: models, an impact before and after, points.",
    "times": "A ball heard on a slate and a bob through a gate: instants, cycles, gates and a hand.",
    "runs": "A puck filmed ten times by one camera: ten takes followed like the first, and their table.",
    "askew": "A puck filmed askew through a bent lens: the plane, the lens and what is left to check.",
    "measured": "A puck filmed by a hand that shakes, and a rule read in stills: measuring in the picture.",
    "swings": "Ten swings of the bob timed at six lengths: a table of trials, its graph and what is claimed.",
}


def demo_notebook(name: str = "open-day") -> Notebook:
    """Make a demo notebook; its readings are placed by a simulated hand with its scatter.

    Raises
    ------
    SceneError
        If there is no such demo.
    """
    if name not in DEMOS:
        raise SceneError(
            _("There is no demo “{name}”: choose one of {all}.").format(name=name, all=", ".join(DEMOS))
        )
    own = {"swings": swings, "times": times, "motion": motion}.get(name) or _elsewhere(name)
    if own is not None:
        return own()
    notebook = Notebook(title=_("Clock workshop open day"), who=_("Lapwing group"))
    for take in TAKES:
        notebook, take_id = _opened(notebook, take)
        if name == "open-day" and take.scene == "incline":
            notebook = _measured(notebook, take_id, take.set_up())
        elif name == "open-day" and take.scene == "free-fall":
            notebook = _scaled(notebook, take_id, take.set_up())
    return notebook


def _elsewhere(name: str) -> Callable[[], Notebook] | None:
    """What makes a demo that loads more than the others."""
    if name == "runs":
        from saltus.simulate.demo_runs import runs  # noqa: PLC0415  loads what follows

        return runs
    if name == "askew":
        from saltus.simulate.demo_askew import askew  # noqa: PLC0415  loads what it needs

        return askew
    if name == "measured":
        from saltus.simulate.demo_measured import measured  # noqa: PLC0415  loads what it needs

        return measured
    return None


def swings() -> Notebook:
    """Simulated trials of the workshop's bob: one failed, one set aside, a level that needs a look."""
    notebook = simulated_notebook(recipe_named("pendulum"), seed=7)
    notebook = notebook.but(title=_("Swing time of a brass bob"), who=_("Lapwing group"))
    seen = (("trial-8", "set-aside", _("bob touched the clamp")), ("trial-14", "failed", _("thread slipped")))
    for trial, status, reason in seen:
        notebook = trial_edits.change_trial(notebook, trial, status=status, reason=reason)
    late = {("trial-8", "time"): "16.02", ("trial-11", "time"): "17.71"}
    notebook = trial_edits.set_cells(notebook, late)
    claims = (
        Claim(
            id="claim-1",
            text=_("The square of the period is proportional to the length"),
            rests_on="line/length/period^2",
        ),
        Claim(id="claim-2", text=_("g here is that of the table"), rests_on="compare/g/g"),
        Claim(id="claim-3", text=_("The mass of the bob makes no difference")),
    )
    checks = recipe_named("pendulum").texts["checks"]
    return trial_edits.change_findings(
        notebook, claims=claims, precautions=dict.fromkeys(checks[:2], ""), substitution=True
    )


def motion() -> Notebook:
    """A bob whose swing is told by a model, and a ball struck by a slate, read in every frame."""
    notebook = Notebook(title=_("Clock workshop open day"), who=_("Lapwing group"))
    bob, slate = TAKES[2], DemoTake("ball-on-slate.mp4", "Steel ball on slate", "bounce")
    notebook, swing = _opened(notebook, bob)
    notebook = _scaled(notebook, swing, bob.set_up())
    notebook, body_id = _read(notebook, swing, bob.set_up(), 1, 4)
    last = len(bob.set_up().times()) - 1
    notebook, _segment = segment_edits.add_segment(
        notebook, swing, body_id, of="x", frames=(0, last), model="damped-oscillation"
    )
    notebook, fall = _opened(notebook, slate)
    notebook = _scaled(notebook, fall, slate.set_up())
    notebook, ball = _read(notebook, fall, slate.set_up(), 1, 6)
    take = notebook.take(fall)
    body = take.body(ball) if take is not None else None
    assert take is not None
    assert body is not None
    notebook, made = segment_edits.add_segments(
        notebook, fall, ball, of="y", stretches=proposed(take, body, "y")
    )
    whole = notebook.take(fall)
    assert whole is not None
    flying = [s.id for s in whole.segments if s.id in made and s.model == "constant-acceleration"]
    notebook, event = event_edits.add_event(
        notebook, fall, name=_("First impact"), of="y", sides=sides_about(whole, "y", flying[0])
    )
    notebook = event_edits.change_side(notebook, fall, event, ball, inertia="0.0280(5) kg")
    return segment_edits.choose_headline(notebook, fall, flying[0])


def times() -> Notebook:
    """Landings seen and heard, passings of the bob from its readings, and a measured hand."""
    notebook = Notebook(title=_("Clock workshop open day"), who=_("Lapwing group"))
    slate = DemoTake("ball-on-slate.mp4", "Steel ball on slate", "bounce")
    notebook, ball = _opened(notebook, slate)
    words = _("the first frame in which the ball no longer falls")
    notebook, landing = timing_edits.add_event(notebook, _("landing"), words)
    scene = slate.set_up()
    taken = np.array(truth_of(scene)["time_s"])
    for at in scene.events["landing"][:4]:
        frame = int(np.searchsorted(taken, at, side="right"))
        notebook, instant = timing_edits.mark_instant(notebook, ball, event=landing, frame=frame)
    name = _("first to fourth landing")
    notebook, _kept = timing_edits.add_interval(notebook, ball, "instant-1", instant, name)
    bob = DemoTake("brass-bob.mp4", "Brass bob", "pendulum", (("duration", 4.0),))
    notebook, swing = _opened(notebook, bob)
    notebook = _scaled(notebook, swing, bob.set_up())
    notebook, body_id = _read(notebook, swing, bob.set_up(), 1, 4)
    notebook, _count = timing_edits.add_count(
        notebook, swing, how="readings", name=_("Brass bob"), body=body_id, of="x"
    )
    rest = bob.set_up().in_picture(np.array([[0.0, -bob.set_up().settings["length"]]]))[0]
    notebook, _gates = timing_edits.add_gates(
        notebook, swing, body=body_id, of="x", place=(float(rest[0]), float(rest[1])), spacing=0.02, number=3
    )
    notebook, hand = timing_edits.add_hand(notebook, "Heron")
    presses = np.random.default_rng(9).normal(0.014, 0.041, 18)
    return timing_edits.set_presses(notebook, hand, "predicted", tuple(round(float(p), 3) for p in presses))


def _opened(notebook: Notebook, take: DemoTake) -> tuple[Notebook, str]:
    path = demo_film(take)
    return take_edits.add_take(notebook, reference(path), demo_facts(path), take.name, simulated=True)


def _read(notebook: Notebook, take_id: str, scene: Scene, step: int, seed: int) -> tuple[Notebook, str]:
    """Read the body of a scene as a hand would; gives the notebook and the body's id."""
    rng = np.random.default_rng(seed)
    truth = truth_of(scene)["bodies"][scene.body.name]
    notebook, body_id = reading_edits.add_body(notebook, take_id, scene.body.name)
    notebook = reading_edits.set_reading_uncertainty(notebook, take_id, body_id, HAND_PX)
    notebook = take_edits.set_step(notebook, take_id, step)
    for frame in range(0, len(truth["x_px"]), step):
        x = truth["x_px"][frame] + rng.normal(0, HAND_PX)
        y = truth["y_px"][frame] + rng.normal(0, HAND_PX)
        reading = Reading(frame, round(float(x), 2), round(float(y), 2))
        notebook = reading_edits.place_reading(notebook, take_id, body_id, reading)
    return notebook, body_id


def _scaled(notebook: Notebook, take_id: str, scene: Scene) -> Notebook:
    """Lay the reference length and the axes as a hand would, slightly off."""
    rng = np.random.default_rng(5)
    start, end, length = scene.reference
    ends = [tuple(np.asarray(place) + rng.normal(0, 0.7, 2)) for place in (start, end)]
    notebook = scale_edits.lay_reference(notebook, take_id, ends[0], ends[1])
    notebook = scale_edits.set_reference_length(
        notebook,
        take_id,
        Typed(value=length, unit="m", U95=0.001, U95_unit="m", text=f"{length:.3f} m", U95_text="0.001 m"),
    )
    origin = np.asarray(scene.axes_origin) + rng.normal(0, 0.5, 2)
    notebook = scale_edits.place_origin(notebook, take_id, (float(origin[0]), float(origin[1])))
    if not scene.axes_angle:
        return notebook
    angle = float(np.degrees(scene.axes_angle) + rng.normal(0, 0.1))
    return scale_edits.turn_axes(notebook, take_id, round(angle, 2), 0.1)


def _measured(notebook: Notebook, take_id: str, scene: Scene) -> Notebook:
    """Read the body every second frame as a hand would, and choose the stretch after the release."""
    notebook = _scaled(notebook, take_id, scene)
    notebook, body_id = _read(notebook, take_id, scene, 2, 12)
    frames = range(0, len(scene.times()), 2)
    release = round(scene.settings["release"] * scene.settings["rate"])
    first, last = (release // 2 + 1) * 2, frames[-1]
    notebook, _segment = segment_edits.add_segment(
        notebook, take_id, body_id, of="x", frames=(0, release // 2 * 2), model="rest"
    )
    notebook, _segment = segment_edits.add_segment(
        notebook, take_id, body_id, of="x", frames=(first, last), model="constant-acceleration"
    )
    return notebook
