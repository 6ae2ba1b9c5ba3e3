"""``saltus clip``: what a film holds, and one of its frames."""

from __future__ import annotations

from pathlib import Path

import click

from saltus.commands.showing import print_json, terminal_report
from saltus.core.progress import finished
from saltus.core.quantities import exact
from saltus.core.statement import as_json as as_json_of
from saltus.core.statement import stated
from saltus.core.units import SECOND
from saltus.core.wording import _
from saltus.files.writing import keep_inputs, write_whole
from saltus.footage.facts import FilmError, FilmFacts
from saltus.footage.opening import facts_of, reader_of
from saltus.footage.slow import slow_words

VIDEO = click.argument("video", type=click.Path(path_type=Path))
RATE = click.option("--rate", type=float, help="Pictures per second, for a folder of pictures.")


@click.group()
def clip() -> None:
    """Look at a film or a folder of numbered pictures."""


@clip.command()
@VIDEO
@RATE
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def info(video: Path, rate: float | None, as_json: bool) -> None:
    """Tell what a film holds: frames, times, size, repeats, gaps."""
    facts = finished(facts_of.steps(video, rate), terminal_report(_("frame")))
    if as_json:
        print_json(facts_json(facts))
        return
    beat = facts.regularity
    print(f"{video.name}: {facts.frames} frames, {facts.width} × {facts.height} px, {facts.codec}")
    rate_text = f"{beat.nominal_rate:.3f} frames/s" if beat.nominal_rate else _("one frame")
    print(f"{facts.duration_s:.3f} s, {rate_text}{_(', variable rate') if beat.variable else ''}")
    print(_("with sound") if facts.sound else _("without sound"))
    if facts.duplicates:
        print(_("frames that repeat the one before:"), *facts.duplicates)
    if beat.gaps:
        print(_("frames are missing after:"), *beat.gaps)
    for sentence in (*facts.warnings, *slow_words(facts)):
        print(sentence)


def facts_json(facts: FilmFacts) -> dict[str, object]:
    """Give the facts in the shape of ``clip info --json``."""
    beat = facts.regularity
    return {
        "frames": facts.frames,
        "width": facts.width,
        "height": facts.height,
        "rotation_deg": facts.rotation_deg,
        "duration_s": facts.duration_s,
        "codec": facts.codec,
        "time_s": facts.times,
        "start_s": facts.start_s,
        "nominal_rate": beat.nominal_rate,
        "variable_rate": beat.variable,
        "duplicates": facts.duplicates,
        "gaps": beat.gaps,
        "sound": facts.sound,
        "warnings": [*facts.warnings, *slow_words(facts)],
    }


@clip.command()
@VIDEO
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def sound(video: Path, as_json: bool) -> None:
    """Find where sounds set in, on the clock of the frames; works on recordings without pictures too."""
    from saltus.core.clock.onsets import onsets  # noqa: PLC0415  start-up time
    from saltus.footage.sound import SMEARED_S  # noqa: PLC0415  start-up time
    from saltus.footage.sound_apart import sound_of  # noqa: PLC0415  start-up time

    facts = finished(facts_of.steps(video, sound_alone=True), terminal_report(_("frame")))
    track = sound_of(video, facts.start_s if facts.pictures else None)
    found = onsets(track.samples, float(track.rate), 0.0 if track.exact else SMEARED_S)
    warnings = list(track.warnings)
    if not track.exact:
        warnings.append(_("The sound is compressed: onsets are known to one or two milliseconds."))
    if not found:
        warnings.append(_("No onset stands out from the sound."))
    times = [onset.time + track.start_s * exact(1.0, SECOND) for onset in found]
    if as_json:
        marks = [{"time": as_json_of(t), "strength": o.strength} for t, o in zip(times, found, strict=True)]
        print_json(
            {"sample_rate": track.rate, "start_s": track.start_s, "onsets": marks, "warnings": warnings}
        )
        return
    for t, onset in zip(times, found, strict=True):
        print(f"{stated(float(t), t.U95, t.unit)}  {100 * onset.strength:.0f} %")
    for sentence in warnings:
        print(sentence)


@clip.command()
@VIDEO
@RATE
@click.option("--frame", "number", type=int, required=True, help="Number of the frame; the first is 0.")
@click.option("-o", "output", type=click.Path(path_type=Path), required=True, help="A PNG file.")
def frame(video: Path, rate: float | None, number: int, output: Path) -> None:
    """Write exactly frame N, in displayed orientation and shape."""
    keep_inputs(output, [video])
    import cv2  # noqa: PLC0415  0.2 s

    facts = finished(facts_of.steps(video, rate), terminal_report(_("frame")))
    reader = reader_of(video, facts)
    try:
        picture = reader.picture(number)
    finally:
        reader.close()
    if output.suffix.lower() != ".png":
        raise FilmError(
            _("Frames are written as PNG: name the file {name}.").format(name=output.stem + ".png")
        )
    done, data = cv2.imencode(".png", picture[..., ::-1])
    assert done
    write_whole(output, data.tobytes())
