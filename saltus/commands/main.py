"""``saltus``: opens the window, or runs one headless command."""

from __future__ import annotations

import contextlib
import os
import sys
import traceback
from pathlib import Path
from typing import Any, ClassVar

import click

from saltus import __version__
from saltus.core.progress import Cancelled
from saltus.core.wording import _, use_language
from saltus.files.writing import PART

BAD_INPUT, FAILURE = 2, 1


WHAT = {
    "alias": "List the true rates that look like an apparent one.",
    "annotate": "Draw trail, arrows and numbered positions on the film of a take.",
    "batch": "Follow the bodies of a template through all films of a folder, each of which becomes a take.",
    "check": "Check a notebook or a pack, its films and its numbers.",
    "clip": "Look at a film or a folder of numbered pictures.",
    "cycles": "Find the passings through a level, the period and its drift.",
    "demo": "Open the window with demo data.",
    "event": "Tell the velocity just before and just after an event, from two segments carried to it.",
    "export": "Write readings or motion as a table, or the graph as a picture.",
    "fit": "Lay a line or curve through two columns of tables.",
    "follow": "Follow bodies through a film: their places in every frame, with uncertainties.",
    "gate": "Find when a body crosses lines, and how fast it is there.",
    "geometry": "Tell the scale of a take, how its references agree, and what of it is checked.",
    "interval": "Time between two instants that fell between frames.",
    "investigate": "Run the investigation ID (or a file ending in .toml) on tables of trials.",
    "motion": "Turn readings (px) into positions, velocities and accelerations with uncertainties.",
    "pack": "Put a notebook and its films into one file.",
    "points": "Find the characteristic points of a motion or a recorded signal, each with its uncertainty.",
    "repeats": 'Mean, spread and odd values of repeats, such as "2.31 2.38 2.29".',
    "report": "Print the findings sheet.",
    "results": "Tell every result of notebooks: of their trials, and what their takes give.",
    "segment": "Fit a model to a stretch of a motion table.",
    "series": "Mean or slope of a stretch of a recorded series; or the motion behind the pulses of a gate.",
    "simulate": "Film a SCENE with the virtual camera.",
    "unpack": "Unpack PACK into FOLDER, which is new or empty.",
}
"""The first sentence of each command's help, for the list of commands."""


class _Commands(click.Group):
    """Commands are loaded when they are used; anything else is a notebook or film to open."""

    _homes: ClassVar[dict[str, str]] = {
        "clip": "clip",
        "motion": "motion",
        "geometry": "geometry",
        "segment": "motion",
        "simulate": "simulate",
        "report": "notebooks",
        "export": "notebooks",
        "check": "notebooks",
        "results": "results",
        "pack": "packs",
        "unpack": "packs",
        "demo": "window",
        "cycles": "timing",
        "gate": "timing",
        "event": "events",
        "points": "events",
        "follow": "follow",
        "batch": "batch",
        "annotate": "annotate",
        "fit": "numbers",
        "series": "numbers",
        "interval": "numbers",
        "repeats": "numbers",
        "alias": "numbers",
        "investigate": "investigate",
    }

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List the commands without loading any of them."""
        names = self.list_commands(ctx)
        room = formatter.width - 6 - max(map(len, names))
        with formatter.section(_("Commands")):
            formatter.write_dl(
                [(name, click.Command(name, help=_(WHAT[name])).get_short_help_str(room)) for name in names]
            )

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted(self._homes)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in self._homes:
            return None
        from importlib import import_module  # noqa: PLC0415  each command pays only for what it needs

        home = import_module(f"saltus.commands.{self._homes[cmd_name]}")
        command: click.Command = getattr(home, cmd_name)
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args[0] not in self._homes:
            if args[0].startswith("-") or not Path(args[0]).exists():
                raise click.UsageError(
                    _("“{word}” is neither a command nor a file. Commands: {all}.").format(
                        word=args[0], all=", ".join(self.list_commands(ctx))
                    )
                )
            from saltus.commands.window import open_window  # noqa: PLC0415  start-up time

            return "open", open_window, args
        return super().resolve_command(ctx, args)


@click.group(cls=_Commands, invoke_without_command=True, context_settings={"max_content_width": 100})
@click.version_option(__version__, prog_name="Saltus")
@click.pass_context
def saltus(ctx: click.Context) -> None:
    """Measure motion from film. Without a command: open the window, on a NOTEBOOK or film if named."""
    if ctx.invoked_subcommand is None:
        from saltus.commands.window import open_window  # noqa: PLC0415  start-up time

        ctx.invoke(open_window, path=None)


LONGEST_COMPLAINT = 600


def _complain(sentence: str) -> None:
    """Say one line of printable characters on standard error, whatever a name in it holds."""
    line = "".join(c if c.isprintable() else " " for c in " ".join(sentence.split()))
    with contextlib.suppress(OSError, ValueError):
        print("saltus:", line[:LONGEST_COMPLAINT], file=sys.stderr, flush=True)


def _any_terminal() -> None:
    """Let no encoding of a terminal stop what is printed."""
    for stream in (sys.stdout, sys.stderr):
        with contextlib.suppress(AttributeError, OSError, ValueError):
            stream.reconfigure(errors="backslashreplace")  # type: ignore[union-attr]


def _system_words(error: OSError) -> str:
    """What the system says of a failure, with the name of the file but no name of our own making."""
    name = error.filename
    shown = Path(os.fsdecode(name)).name if isinstance(name, (str, bytes)) else ""
    words = error.strerror or str(error) or type(error).__name__
    return f"{shown}: {words}" if shown and PART not in shown else words


def _bad_input() -> tuple[type[Exception], ...]:
    """The mistakes that lie in what was given; only those of modules already loaded can have been raised."""
    names = {
        "saltus.files.writing": "OutputError",
        "saltus.footage.facts": "FilmError",
        "saltus.exchange.tables": "TableError",
        "saltus.notebook.storage": "NotebookError",
        "saltus.notebook.part": "PartError",
        "saltus.notebook.readings": "ReadingError",
        "saltus.simulate.scene": "SceneError",
        "saltus.core.written": "WrittenError",
        "saltus.core.units": "UnitError",
        "saltus.core.formulas": "FormulaError",
        "saltus.core.series": "SeriesError",
        "saltus.core.clock.brackets": "InstantError",
        "saltus.core.clock.aliasing": "RateError",
        "saltus.core.quantity": "UncertaintyError",
        "saltus.core.pulses": "PulseError",
        "saltus.core.motion.coordinates": "PivotError",
        "saltus.core.motion.events": "EventError",
        "saltus.core.following.run": "FollowingError",
        "saltus.jobs.batch": "TemplateError",
        "saltus.investigations.recipe.recipe": "RecipeError",
        "saltus.investigations.table.trials": "TrialsError",
    }
    return tuple(getattr(sys.modules[m], name) for m, name in names.items() if m in sys.modules)


def _traced(error: Exception) -> str:
    """What went wrong and where, in one line; the whole of it where the environment asks for it."""
    if os.environ.get("SALTUS_TRACE"):
        traceback.print_exception(error)
    last = traceback.extract_tb(error.__traceback__)[-1:]
    place = f" ({Path(last[0].filename).name}, {last[0].lineno})" if last else ""
    return f"{type(error).__name__}{place}"


def run(arguments: list[str] | None = None) -> None:
    """Run the command line and leave with its exit code: 0 done, 1 failure, 2 bad input."""
    _any_terminal()
    code: Any = 0
    try:
        use_language(None if "--json" in (arguments or sys.argv) else os.environ.get("LANGUAGE"))
        code = saltus.main(arguments, prog_name="saltus", standalone_mode=False)
    except click.exceptions.Exit as leave:
        code = leave.exit_code
    except click.ClickException as error:
        _complain(error.format_message())
        code = BAD_INPUT
    except (click.Abort, Cancelled, KeyboardInterrupt):
        _complain(_("stopped"))
        code = FAILURE
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        code = FAILURE
    except OSError as error:
        _complain(_system_words(error))
        code = FAILURE
    except MemoryError:
        _complain(_("there is not enough memory for this"))
        code = FAILURE
    except Exception as error:  # noqa: BLE001  a command ends with one line, whatever went wrong
        if isinstance(error, _bad_input()):
            _complain(str(error))
            code = BAD_INPUT
        else:
            _complain(_("something went wrong inside: {what}").format(what=_traced(error)))
            code = FAILURE
    sys.exit(code if isinstance(code, int) else 0)


if __name__ == "__main__":
    run()
