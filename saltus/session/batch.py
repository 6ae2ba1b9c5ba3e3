"""A batch of films taken into a document: each becomes a take with readings, segments, a row of the table."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from saltus.core.clock.cycles import Cycles
from saltus.core.motion.segment import NoFit
from saltus.core.progress import Progress
from saltus.core.wording import _
from saltus.footage.facts import FilmError
from saltus.footage.opening import fingerprint
from saltus.investigations.table.rows_like import filled_like, template_rows, waiting_rows
from saltus.jobs.batch import follow_films
from saltus.notebook.derived.before_after import event_found
from saltus.notebook.derived.like_template import stretches_like
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.derived.times import count_value
from saltus.notebook.edits.following import add_found, begin_run
from saltus.notebook.edits.like_template import parts_like, set_up_like, take_like
from saltus.notebook.films import find
from saltus.session.following import block_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import Path

    from saltus.core.progress import Steps
    from saltus.core.quantity import Quantity
    from saltus.jobs.batch_film import FilmDone
    from saltus.jobs.following import Steering
    from saltus.notebook.model import Notebook, Take

STATES = ("found", "weak", "lost")
UNLIKE = 2.0
"""Residuals so many times what is stated are no scatter: one film in twenty leaves more than χ² allows."""


@dataclass(frozen=True)
class FilmLine:
    """What a film of a batch came to.

    Attributes
    ----------
    film : str
        Its name.
    take : str or None
        Id of its take; None where it became none.
    bodies : dict of str to dict
        Frames found, weak and lost, by the name of the body.
    results : dict of str to Quantity
        Parameters of the headline first; of other segments under the id of the template's.
    problem : str
        Why it gave no result, in a sentence; empty where it did.
    notes : tuple of str
        What needs a look.
    """

    film: str
    take: str | None = None
    bodies: dict[str, dict[str, int]] = field(default_factory=dict)
    results: dict[str, Quantity] = field(default_factory=dict)
    problem: str = ""
    notes: tuple[str, ...] = ()

    @property
    def state(self) -> str:
        """``failed``, ``weak`` or ``well``."""
        if self.problem:
            return "failed"
        doubtful = any(counts["weak"] or counts["lost"] for counts in self.bodies.values())
        return "weak" if doubtful or self.notes else "well"


@dataclass(frozen=True)
class Outcome:
    """A batch taken in: the notebook before and after, what came of each film, and a line for each."""

    before: Notebook
    notebook: Notebook
    done: tuple[FilmDone, ...]
    lines: tuple[FilmLine, ...]


def taken_in(
    notebook: Notebook, template_id: str, done: FilmDone, *, rows: Sequence[str] = (), repeats: bool = False
) -> tuple[Notebook, FilmLine]:
    """Take what came of a film into the notebook.

    Parameters
    ----------
    notebook : Notebook
    template_id : str
        The template take.
    done : FilmDone
    rows : sequence of str
        Rows of the table that wait for it.
    repeats : bool
        Films repeat the trial of the template: what is varied is the same.
    """
    template = notebook.take(template_id)
    if template is None:
        raise KeyError(template_id)
    if done.problem:
        return notebook, FilmLine(done.path.name, problem=done.problem)
    if done.template:
        return notebook, _line(done.path.name, template, template, {s.id: s.id for s in template.segments})
    assert done.film is not None
    assert done.facts is not None
    own = _is_of(done, template)
    if own:
        take_id, bodies = template.id, {b.id: b.id for b in template.bodies}
    elif (there := _unread(notebook, done.film.sha256)) is not None:
        take_id = there.id
        notebook, bodies = set_up_like(notebook, template, take_id)
    else:
        notebook, take_id, bodies = take_like(notebook, template, done.film, done.facts)
    notebook = _with_readings(notebook, template, take_id, bodies, done)
    take = notebook.take(take_id)
    assert take is not None
    if own:
        return notebook, _line(done.path.name, template, take, {s.id: s.id for s in take.segments})
    notebook, ids = parts_like(notebook, template, take_id, bodies, stretches_like(template, take, bodies))
    notebook = filled_like(notebook, template, take_id, bodies | ids, rows=rows, repeats=repeats)
    take = notebook.take(take_id)
    assert take is not None
    return notebook, _line(done.path.name, template, take, ids)


def is_read(take: Take) -> bool:
    """Whether anything was measured in a take."""
    return any(len(body.readings) for body in take.bodies)


def _unread(notebook: Notebook, sha256: str) -> Take | None:
    """The take of a film in which nothing is read yet."""
    return next((t for t in notebook.takes if t.film.sha256 == sha256 and not is_read(t)), None)


def _is_of(done: FilmDone, take: Take) -> bool:
    """Whether a film is that of a take."""
    return done.film is not None and done.film.sha256 == take.film.sha256


def all_taken_in(
    notebook: Notebook, template_id: str, done: Sequence[FilmDone], *, repeats: bool
) -> Steps[Outcome]:
    """Take what came of many films into the notebook, in their order.

    Parameters
    ----------
    notebook, template_id, repeats
        See :func:`taken_in`.
    done : sequence of FilmDone
    """
    before, lines = notebook, {}
    template = notebook.take(template_id)
    assert template is not None
    own = [i for i, one in enumerate(done) if one.template or _is_of(one, template)]
    others = [i for i in range(len(done)) if i not in own]
    # a film that failed leaves its row empty: the rows of those after it are theirs all the same
    waiting, each = waiting_rows(notebook, template), len(template_rows(notebook, template))
    rows = {i: waiting[k * each : (k + 1) * each] for k, i in enumerate(others)}
    # the template first: by its motion the stretches of the others are found
    for n, i in enumerate([*own, *others], 1):
        of_film = rows.get(i, [])
        notebook, lines[i] = taken_in(notebook, template_id, done[i], rows=of_film, repeats=repeats)
        yield Progress(n, len(done))
    return Outcome(before, notebook, tuple(done), tuple(lines[i] for i in range(len(done))))


def batch(
    notebook: Notebook, template_id: str, folder: Path | None, paths: Sequence[Path], *,
    repeats: bool = False, steering: Steering | None = None,
) -> Steps[Outcome]:  # fmt: skip
    """Follow many films and take them in; hands on :class:`saltus.jobs.batch.Told`.

    Parameters
    ----------
    notebook, template_id, repeats
        See :func:`taken_in`.
    folder : Path or None
        Where the notebook lies.
    paths : sequence of Path
    steering : Steering, optional

    Raises
    ------
    FilmError
        If the film of the template is not there.
    TemplateError
        If the take cannot be a template.
    """
    template = notebook.take(template_id)
    if template is None:
        raise KeyError(template_id)
    film = _film_of(template, folder, paths)
    unread = any(not len(body.readings) for body in template.bodies) and film not in paths
    # a template that was only boxed is followed, too: its motion says where its stretches lie
    wanted = [*paths, film] if unread else list(paths)
    measured = {t.film.sha256: t.name for t in notebook.takes if t.id != template_id and is_read(t)}
    done = yield from follow_films.steps(template, film, wanted, None, steering, measured)
    made = yield from all_taken_in(notebook, template_id, done, repeats=repeats)
    return replace(made, lines=made.lines[: len(paths)])


def _film_of(template: Take, folder: Path | None, paths: Sequence[Path]) -> Path:
    """The film of the template: beside its notebook, where it was last, or among the films."""
    try:
        return find(template.film, folder)
    except FilmError:
        for path in paths:
            # one that cannot be read is told in its own line
            with suppress(FilmError):
                if fingerprint(path)[1] == template.film.sha256:
                    return path
        raise


def _with_readings(
    notebook: Notebook, template: Take, take_id: str, bodies: Mapping[str, str], done: FilmDone
) -> Notebook:
    outcome = done.outcome
    assert outcome is not None
    every = done.frames[1] - done.frames[0] if len(done.frames) > 1 else 1
    blocks = {}
    for i, (body, start, followed) in enumerate(
        zip(template.bodies, done.starts, outcome.bodies, strict=True)
    ):
        box = (start.box.x, start.box.y, start.box.width, start.box.height)
        known = body.first_run
        notebook, run = begin_run(
            notebook, take_id, bodies[body.id], method=known.method if known else "auto", box=box,
            point=start.point or start.box.centre, start=done.frames[0], end=done.frames[-1], every=every,
            u_box=done.u[i],
        )  # fmt: skip
        blocks[bodies[body.id]] = block_of(run, followed)
    return add_found(notebook, take_id, blocks)


def _line(film: str, template: Take, take: Take, ids: Mapping[str, str]) -> FilmLine:
    """Say what a take came to; ``ids`` of its parts by those of the template's."""
    notes: list[str] = []
    results: dict[str, Quantity] = {}
    head = template.headline_segment
    for segment in sorted(template.segments, key=lambda s: s is not head):
        made = take.segment(ids.get(segment.id))
        fit = segment_fit(take, made) if made is not None else None
        if isinstance(fit, NoFit):
            notes.append(fit.reason)
        elif fit is not None:
            if fit.birge is not None and fit.birge > UNLIKE:
                notes.append(_("A stretch does not follow the template’s model: look at it on Motion."))
            results |= {
                name if name not in results else f"{segment.id}.{name}": q
                for name, q in fit.parameters.items()
                if q is not None
            }
        elif segment is not head:
            notes.append(_("A stretch of the template is not there: look at it on Motion."))
    problem = ""
    if head is not None and head.id not in ids:
        problem = _("{film} has no stretch like the template’s: choose it on Motion.").format(film=film)
    counts = {b.name: _counts(take, b.id) for b in take.bodies}
    return FilmLine(film, take.id, counts, results | _others(take), problem, tuple(dict.fromkeys(notes)))


def _others(take: Take) -> dict[str, Quantity]:
    """Periods of counted passings, and velocities about events, by what they are called."""
    found: dict[str, Quantity] = {}
    for count in take.timing.counts:
        made = count_value(take, count)
        period = made.period if isinstance(made, Cycles) else None
        if period is None:
            continue
        found["period" if "period" not in found else f"period of {count.name}"] = period
    names = {b.id: b.name for b in take.bodies}
    for event in take.events:
        for part, q in event_found(take, event).values().items():
            told = " ".join(names.get(word, word) for word in part.split(" "))
            found[f"{event.name}: {told}"] = q
    return found


def _counts(take: Take, body_id: str) -> dict[str, int]:
    """How many frames show the body, as the last run that looked at each saw it."""
    body = take.body(body_id)
    assert body is not None
    seen = {row.frame: row.state for run in body.runs for row in run.record}
    states = list(seen.values())
    return {state: states.count(state) for state in STATES}
