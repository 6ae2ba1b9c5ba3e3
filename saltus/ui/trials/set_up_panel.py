"""The panel where an investigation is set up."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from saltus.core.loads import load_for
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.notebook.edits import trials as edits
from saltus.ui.kit.choices import tick
from saltus.ui.kit.marks import MarkLabel
from saltus.ui.kit.widgets import CheckLine, Field, clear_layout, label
from saltus.ui.trials.side import Panel

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QCheckBox

    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.ui.desk.desk import Desk


class SetUpPanel(Panel):
    """Checks to tick, which become precautions, cautions, steps, and the load planner."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._asked: tuple[object, ...] = ()
        self.ticks: dict[str, QCheckBox] = {}
        self._planner: tuple[Field, Field, Field] | None = None
        self._answer = label("", wrap=True)

    def show_set_up(self, evaluation: Evaluation) -> None:
        """Show checks and cautions of the investigation."""
        asked = (evaluation.recipe.id, evaluation.recipe.texts["checks"])
        if asked != self._asked:
            self._asked = asked
            self._build(evaluation)
        done = self.desk.notebook.findings.precautions
        for text, box in self.ticks.items():
            tick(box, text in done)

    def _build(self, evaluation: Evaluation) -> None:
        clear_layout(self.column)
        self.ticks = {}
        texts = evaluation.recipe.texts
        self.column.addWidget(label(_("Check before the first trial"), "heading", wrap=True))
        self.column.addWidget(label(_("What is ticked goes on the sheet."), "note", wrap=True))
        for text in texts["checks"]:
            line = CheckLine(text)
            line.box.toggled.connect(partial(self._tick, text))
            self.ticks[text] = line.box
            self.column.addWidget(line)
        if texts["cautions"]:
            self.column.addWidget(label(_("Cautions"), "heading"))
            for text in texts["cautions"]:
                self.column.addWidget(MarkLabel("look", text, quiet=True))
            words = _("Local rules and the responsible teacher decide.")
            self.column.addWidget(label(words, "note", wrap=True))
        for title, key in ((_("Kept the same"), "same"), (_("Who does what"), "roles")):
            if texts.get(key):
                self.column.addWidget(label(title, "heading"))
                for text in texts[key]:
                    self.column.addWidget(label(f"{text[:1].upper()}{text[1:]}", "", wrap=True))
        if texts["steps"]:
            self.column.addWidget(label(_("Steps"), "heading"))
            for i, text in enumerate(texts["steps"], 1):
                self.column.addWidget(label(f"{i}.  {text}", "", wrap=True))
        if evaluation.recipe.load:
            self._build_planner()
        self.column.addStretch(1)

    def _tick(self, text: str, on: bool) -> None:
        done = {k: v for k, v in self.desk.notebook.findings.precautions.items() if k != text}
        if on:
            done[text] = ""
        made = edits.change_findings(self.desk.notebook, precautions=done)
        self.desk.edit(_("tick a check"), made)

    def _build_planner(self) -> None:
        self.column.addWidget(label(_("Load planner"), "heading"))
        words = _("Which pieces make a round total with the carrier? All in one unit.")
        self.column.addWidget(label(words, "note", wrap=True))
        fields = []
        for name, hint in (
            (_("Mass of the carrier"), "50"),
            (_("Pieces there are"), "100 50 20 20 10 5"),
            (_("Total wanted"), "120"),
        ):
            field = Field(name)
            field.setPlaceholderText(_("{name}, such as {hint}").format(name=name, hint=hint))
            field.textChanged.connect(lambda _t: self._plan())
            fields.append(field)
            self.column.addWidget(field)
        self._planner = (fields[0], fields[1], fields[2])
        self._answer = label("", wrap=True)
        self.column.addWidget(self._answer)

    def _plan(self) -> None:
        if self._planner is None:
            return
        texts = [f.text().strip() for f in self._planner]
        if not all(texts):
            self._answer.setText("")
            return
        try:
            carrier, wanted = number(texts[0]), number(texts[2])
            pieces = [number(part) for part in texts[1].replace(";", " ").split()]
        except WrittenError as error:
            self._answer.setText(str(error))
            return
        found = load_for(wanted, carrier, pieces)
        if found is None:
            self._answer.setText(_("The carrier alone is heavier than that."))
            return
        names = " + ".join(f"{p:g}" for p in found.pieces) or _("nothing")
        self._answer.setText(
            _("Hang on {names}: total {total}.").format(names=names, total=f"{found.total:g}")
        )
