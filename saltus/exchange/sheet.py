"""The findings sheet as plain data: words, tables and graphs, nothing drawn yet."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.budget import budget
from saltus.core.coverage import NORMAL_95
from saltus.core.motion.models import MODELS
from saltus.core.motion.segment import SegmentFit
from saltus.core.shown_unit import si
from saltus.core.statement import (
    rounded_uncertainty,
    stated,
    value_and_uncertainty,
)
from saltus.core.wording import _, plural
from saltus.exchange.chart import Chart, Curve, Label, Points
from saltus.exchange.motion_words import (
    coordinate_scale,
    coordinate_symbol,
    coordinate_words,
    parameter_words,
    symbol_of,
)
from saltus.exchange.scale_words import axes_words, scale_words, unchecked_words
from saltus.exchange.sheet_data import Grid, Result, Sheet
from saltus.notebook.derived.frame_clock import frame_times, rhythm
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import motion_in, segment_fit, segment_mask

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from saltus.core.budget import Contribution
    from saltus.core.quantity import Quantity
    from saltus.core.shown_unit import ShownUnit
    from saltus.notebook.model import Body, Notebook, Segment, Take
    from saltus.notebook.reading_columns import ReadingColumns

TABLE_ROWS = 12
CURVE_POINTS = 400
SMALLEST_SHARE = 0.005


def take_facts(take: Take) -> Grid:
    """The facts of a take in plain words."""
    beat, facts = rhythm(take), take.facts
    times = frame_times(take)
    rows = [
        (_("Film"), take.film.name),
        (_("Frames"), f"{len(facts.ticks)}"),
        (_("Duration"), f"{times[-1] + (beat.spacing_s or 0):.3f} s"),
        (_("Size"), f"{facts.width} × {facts.height} px"),
    ]
    if not facts.pictures:
        return Grid((), (rows[0], rows[2], (_("Holds"), _("sound alone"))))
    if beat.usual_rate:
        even = _("variable") if beat.variable else _("even")
        rows.append((_("Rate, from frame times"), f"{beat.usual_rate:.2f} /s, {even}"))
    if facts.rotation_deg:
        rows.append((_("Turned for display"), _("{n}° clockwise").format(n=facts.rotation_deg)))
    if take.simulated:
        rows.append((_("Origin"), _("virtual camera, not a measurement")))
    return Grid((), tuple(rows))


def describe(notebook: Notebook, take: Take | None) -> Sheet:
    """Describe the sheet of a take.

    Parameters
    ----------
    notebook : Notebook
    take : Take or None
        None gives an empty sheet with the notebook's title.
    """
    byline = " · ".join(part for part in (notebook.who, take.name if take else "") if part)
    if take is None:
        return Sheet(notebook.title, byline, None)
    segment = take.headline_segment
    fit = segment_fit(take, segment) if segment else None
    body = take.body(segment.body) if segment else (take.bodies[0] if take.bodies else None)
    base = Sheet(
        title=notebook.title,
        byline=byline,
        result=None,
        method=_method(take, segment, fit if isinstance(fit, SegmentFit) else None),
        take_id=take.id,
        picture_frame=_picture_frame(take, segment, body),
        picture_words=_("Readings of {bodies}, the reference length and the axes.").format(
            bodies=", ".join(b.name for b in take.bodies if len(b.readings)) or _("no body yet")
        ),
        facts=take_facts(take),
        remarks=notebook.remarks,
    )
    if segment is None or body is None or not isinstance(fit, SegmentFit):
        return base
    return _with_fit(base, take, body, segment, fit)


def _with_fit(base: Sheet, take: Take, body: Body, segment: Segment, fit: SegmentFit) -> Sheet:
    name, value = fit.leading
    result = None
    lines = None
    if value is not None:
        words = _("95 %, {name} of {body}, {axis}").format(
            name=parameter_words(name), body=body.name, axis=coordinate_words(segment.of, take)
        )
        if take.simulated:
            words += _(", from a simulated film: not a measurement")
        result = Result(symbol_of(name, segment), stated(float(value), value.U95, value.unit), words)
        lines = budget_grid(value)
    return replace(
        base,
        result=result,
        chart=segment_chart(take, body, segment, fit),
        residuals=residual_chart(take, body, segment, fit),
        chart_words=_(
            "Position of {body} with the fitted model; below, measured minus fitted. Bars: 95 %."
        ).format(body=body.name),
        readings=_readings_grid(take, body, segment),
        parameters=parameter_grid(segment, fit),
        budget=lines,
        limits=limit_words(value) if value is not None else "",
    )  # fmt: skip


def _px_words(body: Body) -> str:
    """Standard uncertainty of the readings of a body, px: one, or from the least to the most."""
    own = body.readings.used
    by_hand = own.u_x[own.run == ""]
    each = np.unique(np.where(np.isnan(by_hand), body.u_px, by_hand)).tolist() or [body.u_px]
    if len(each) == 1:
        return f"{each[0]:g}"
    return _("{low:g} to {high:g}").format(low=each[0], high=each[-1])


def _reading_words(body: Body) -> Iterator[str]:
    """How the readings of a body came about."""
    every = body.readings.columns
    followed = every.only(every.followed)
    by_hand = len(every.frame) - len(followed.frame)
    if by_hand:
        words = plural("{n} reading was placed by hand on", "{n} readings were placed by hand on", by_hand)
        u = _("{body}, each to {u} px (standard uncertainty).").format(body=body.name, u=_px_words(body))
        yield words + " " + u
    used = followed.of("used").u_x
    used = used[~np.isnan(used)]
    if len(used):
        words = _("{body} was followed through the film: {n} readings, each to {u:.2g} px (median of u).")
        yield words.format(body=body.name, n=len(used), u=float(np.median(used)))
    yield from _renewal_words(body, followed.of("used"))
    left = len(followed.frame) - len(used)
    if left:
        yield plural(
            "{n} reading that was doubted is not used.", "{n} readings that were doubted are not used.", left
        )


def _renewal_words(body: Body, used: ReadingColumns) -> Iterator[str]:
    """How often the patch a body was followed by was made anew, and how far places may lie off by that."""
    renewed = [run for run in body.runs if run.renewals and np.any(used.run == run.id)]
    if renewed:
        u = max(float(run.u_common_in(used.frame[used.run == run.id]).max()) for run in renewed)
        yield plural(
            "The patch that was looked for was made anew {n} time; places after that may lie off together "
            "by ±\u00a0{U}\u00a0px (95 %).",
            "The patch that was looked for was made anew {n} times; places after that may lie off together "
            "by ±\u00a0{U}\u00a0px (95 %).",
            sum(len(run.renewals) for run in renewed),
            U=value_and_uncertainty(0.0, NORMAL_95 * u)[1] or "",
        )


def _method(take: Take, segment: Segment | None, fit: SegmentFit | None) -> tuple[str, ...]:
    sentences = [words for body in take.bodies for words in _reading_words(body)]
    words = scale_words(take)
    if words:
        sentences.append(_("Scale: {words}.").format(words=words))
    sentences += [words for words in (axes_words(take), unchecked_words(take)) if words]
    if segment is not None and fit is not None:
        t = frame_times(take)
        sentences.append(
            _("{model} was fitted to the {n} positions from {a:.3f} s to {b:.3f} s.").format(
                model=MODELS[segment.model].title,
                n=len(fit.residuals),
                a=t[segment.first],
                b=t[min(segment.last, len(t) - 1)],
            )
        )
        sentences.extend(fit.warnings)
    return tuple(sentences)


def _picture_frame(take: Take, segment: Segment | None, body: Body | None) -> int:
    frames = body.readings.used.frame if body is not None else np.empty(0, dtype=np.int64)
    if segment is not None:
        frames = frames[(frames >= segment.first) & (frames <= segment.last)]
    if frames.size:
        return int(frames[(2 * frames.size) // 3])
    return take.reference.frame if take.reference else 0


def length_unit(take: Take) -> str:
    """Unit of positions as shown: m, or px without a scale."""
    return mapping_of(take).unit.text


def segment_chart(take: Take, body: Body, segment: Segment, fit: SegmentFit) -> Chart:
    """Position against time with the fitted model; of x and y together, y."""
    of = shown_coordinate(segment)
    motion = motion_in(take, body, of)
    position = motion.of(of)
    chosen = segment_mask(motion, segment)
    t = np.linspace(motion.t[chosen][0], motion.t[chosen][-1], CURVE_POINTS)
    return Chart(
        Label("t", "s"),
        Label(coordinate_symbol(of), coordinate_scale(take, of).unit),
        (Points(motion.t, position.value, NORMAL_95 * position.u_own, body.look, body.name, ~chosen),),
        (Curve(t, fit.position(t, of)),),
    )


def shown_coordinate(segment: Segment) -> str:
    """The coordinate a segment is drawn in."""
    return "y" if segment.of == "xy" else segment.of


def residual_chart(take: Take, body: Body, segment: Segment, fit: SegmentFit) -> Chart:
    """Measured minus fitted against time, with the band that reading explains."""
    of = shown_coordinate(segment)
    motion = motion_in(take, body, of)
    t = motion.t[segment_mask(motion, segment)]
    scale = coordinate_scale(take, of)
    limits = (float(motion.t.min()), float(motion.t.max()))
    air = 0.03 * max(limits[1] - limits[0], 1e-6)
    residuals, u = fit.residuals_of(of)
    return Chart(
        Label("t", "s"),
        Label(f"Δ{coordinate_symbol(of)}", scale.fine_unit),
        (Points(t, scale.fine * residuals, None, body.look, body.name),),
        band=(t, scale.fine * NORMAL_95 * u),
        x_range=(limits[0] - air, limits[1] + air),
    )


def _readings_grid(take: Take, body: Body, segment: Segment) -> Grid:
    motion = motion_in(take, body, segment.of)
    rows_in = np.flatnonzero(segment_mask(motion, segment))
    shown = rows_in[np.unique(np.linspace(0, len(rows_in) - 1, TABLE_ROWS).round().astype(int))]
    unit = length_unit(take)
    rows = []
    for i in shown:
        places = (
            value_and_uncertainty(float(q.value[i]), NORMAL_95 * float(q.u_own[i]))[0]
            for q in (motion.x, motion.y)
        )
        rows.append((f"{motion.frames[i]}", f"{motion.t[i]:.3f}", *places))
    of = shown_coordinate(segment)
    scale = coordinate_scale(take, of)
    reading_U = NORMAL_95 * float(np.median(motion.of(of).u_own[rows_in])) * scale.fine
    note = _("Each position ± {U} {unit} (95 %, reading).").format(
        U=rounded_uncertainty(reading_U), unit=scale.fine_unit
    )
    if len(shown) < len(rows_in):
        note += " " + _("{shown} of {all} readings are shown.").format(shown=len(shown), all=len(rows_in))
    return Grid((_("frame"), "t / s", f"x / {unit}", f"y / {unit}"), tuple(rows), note)


def parameter_grid(segment: Segment, fit: SegmentFit) -> Grid:
    """Parameters of a fit with U95."""
    rows = []
    for name, q in fit.parameters.items():
        text = stated(float(q), q.U95, q.unit) if q is not None else _("not yet")
        rows.append((parameter_words(name), symbol_of(name, segment), text))
    return Grid((), tuple(rows))


def budget_grid(
    q: Quantity, shown: ShownUnit | None = None, lines: Sequence[Contribution] | None = None
) -> Grid:
    """The budget of a result: source, standard uncertainty, share of the variance.

    Parameters
    ----------
    q : Quantity
    shown : ShownUnit, optional
        The unit it is shown in; else SI.
    lines : sequence of Contribution, optional
        Its parts under the names they have here.
    """
    lines, shown = budget(q) if lines is None else lines, shown or si(q.unit)
    rows = [
        (line.label, shown.u(line.u), f"{100 * line.share:.0f} %")
        for line in lines
        if line.share >= SMALLEST_SHARE
    ]
    hidden = [line.label for line in lines if line.share < SMALLEST_SHARE]
    if hidden:
        rows.append((hidden[0] if len(hidden) == 1 else _("all the rest"), "", "< 1 %"))
    return Grid((_("source"), _("u"), _("share")), tuple(rows))


def limit_words(q: Quantity, lines: Sequence[Contribution] | None = None) -> str:
    """One sentence on what limits a result; ``lines``: its parts under the names they have here."""
    lines = budget(q) if lines is None else lines
    if not lines:
        return _("No uncertainty was stated.")
    first = lines[0]
    return _("{label} limits this result most: {share:.0f} % of the variance.").format(
        label=first.label, share=100 * first.share
    )
