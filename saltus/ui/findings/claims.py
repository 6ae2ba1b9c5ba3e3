"""Claims and what they rest on, precautions, observations, questions and answers, follow-up."""

from __future__ import annotations

from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.evidence import evidence
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import Answer, Claim, Observation
from saltus.ui.kit.choices import tick
from saltus.ui.kit.marks import MarkLabel
from saltus.ui.kit.widgets import Card, CheckLine, Field, button, clear_layout, label, row

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtWidgets import QPushButton

    from saltus.investigations.view.evidence import Evidence
    from saltus.notebook.model import Notebook
    from saltus.ui.desk.desk import Desk


class SaysPanel(QWidget):
    """Everything a person says on the sheet; lists are built anew only when their length changes."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._shape: tuple[object, ...] = ()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(8)
        self.claims: list[Field] = []
        self.rests: list[QComboBox] = []
        self._supports: list[QVBoxLayout] = []
        self._fields: list[tuple[Field, Callable[[Notebook], str]]] = []
        self.observation: Field | None = None
        self.substitution: CheckLine | None = None

    def refresh(self) -> None:
        """Show what is said as it is now."""
        notebook = self._desk.notebook
        findings, found = notebook.findings, evidence(notebook)
        shape = (
            tuple(c.id for c in findings.claims), tuple(findings.precautions), len(findings.observations),
            len(findings.answers), tuple((e.key, e.name) for e in found), notebook.trials is not None,
        )  # fmt: skip
        if shape != self._shape:
            self._shape = shape
            self._build(notebook, found)
        for field, text in self._fields:
            field.show_text(text(notebook))
        for i, claim in enumerate(findings.claims):
            self._show_support(i, claim, found)
        if self.substitution is not None:
            tick(self.substitution.box, findings.substitution)

    # -- building ------------------------------------------------------------------------------------

    def _build(self, notebook: Notebook, found: list[Evidence]) -> None:
        clear_layout(self._column)
        self._fields = []
        self._build_claims(notebook, found)
        self._build_precautions(notebook)
        self._build_observations(notebook)
        self._build_answers(notebook)
        self._column.addWidget(label(_("What to try next"), "heading"))
        hints = evaluate(notebook)
        hint = next(iter(hints.recipe.texts["next"]), "") if hints is not None else ""
        follow = self._field(_("What to try next"), lambda n: n.findings.follow_up, self._set_follow_up)
        follow.setPlaceholderText(hint or _("What would you measure now?"))
        self._column.addWidget(follow)
        self.substitution = None
        if notebook.trials is not None:
            self.substitution = CheckLine(_("Print one example worked with own numbers"))
            self.substitution.box.toggled.connect(self._set_substitution)
            self._column.addWidget(self.substitution)

    def _heading(self, words: str, note: str, add: QPushButton | None = None) -> None:
        parts = [label(words, "heading"), label(note, "note")]
        self._column.addLayout(row(*parts, *([add] if add is not None else []), stretch=2))

    def _field(self, name: str, shown: Callable[[Notebook], str], entered: Callable[[str], None]) -> Field:
        field = Field(name)
        field.entered.connect(entered)
        self._fields.append((field, shown))
        return field

    def _build_claims(self, notebook: Notebook, found: list[Evidence]) -> None:
        self.add_claim = button(_("+ Claim"), self._add_claim, "link")
        self._heading(_("What you claim"), _("each must rest on a result"), self.add_claim)
        self.claims, self.rests, self._supports = [], [], []
        for i, claim in enumerate(notebook.findings.claims):
            card = Card(padding=8, gap=4)
            field = self._field(_("Claim"), partial(self._claim_text, i), partial(self._set_claim, claim.id))
            field.setPlaceholderText(_("Say it in one sentence"))
            rests = QComboBox()
            rests.setAccessibleName(_("Rests on"))
            rests.addItem(_("no evidence yet"), "")
            for one in found:
                rests.addItem(one.name, one.key)
            rests.activated.connect(lambda _i, c=claim.id, b=rests: self._set_rests(c, b.currentData()))
            rests.setMinimumWidth(120)
            take = button(_("Take away"), partial(self._remove_claim, claim.id), "link")
            card.add(field)
            card.column.addLayout(row(_("rests on"), rests, take, stretch=2))
            holder = QVBoxLayout()
            card.column.addLayout(holder)
            self.claims.append(field)
            self.rests.append(rests)
            self._supports.append(holder)
            self._column.addWidget(card)
        if not notebook.findings.claims:
            words = _("Add a claim, then choose the result or comparison that shows it.")
            self._column.addWidget(label(words, "note", wrap=True))

    def _show_support(self, place: int, claim: Claim, found: list[Evidence]) -> None:
        rests = next((e for e in found if claim.rests_on and claim.rests_on in (e.key, e.before)), None)
        key = rests.key if rests is not None else claim.rests_on
        self.rests[place].setCurrentIndex(max(self.rests[place].findData(key), 0))
        holder = self._supports[place]
        clear_layout(holder)
        words = rests.words if rests is not None else _("No evidence: choose what shows it, or leave it out.")
        holder.addWidget(MarkLabel("done" if rests is not None else "look", words, quiet=True))

    def _build_precautions(self, notebook: Notebook) -> None:
        self._heading(_("Precautions"), _("from the checks you ticked"))
        if not notebook.findings.precautions:
            words = _("None yet: tick checks under Set-up on the Trials stage.")
            self._column.addWidget(label(words, "note", wrap=True))
        for text in notebook.findings.precautions:
            self._column.addWidget(MarkLabel("done", text, quiet=True))
            field = self._field(text, partial(_precaution, text), partial(self._set_precaution, text))
            field.setPlaceholderText(_("say what you did, if you like"))
            self._column.addWidget(field)

    def _build_observations(self, notebook: Notebook) -> None:
        self._heading(_("Seen along the way"), _("kept with the time"))
        for i, seen in enumerate(notebook.findings.observations):
            take = button(_("Take away"), partial(self._remove_observation, i), "link")
            words = label(f"{seen.when.replace('T', ' ')}  {seen.text}", "note", wrap=True)
            line = row(words, take)
            line.setStretch(0, 1)
            self._column.addLayout(line)
        self.observation = Field(_("What you saw"))
        self.observation.setPlaceholderText(_("What you saw, then Enter"))
        self.observation.entered.connect(self.note)
        self._column.addWidget(self.observation)

    def _build_answers(self, notebook: Notebook) -> None:
        self.add_question = button(_("+ Question"), self._add_question, "link")
        self._heading(_("Questions"), _("of a worksheet"), self.add_question)
        for i, _answer in enumerate(notebook.findings.answers):
            question = self._field(
                _("Question"), partial(_answer_part, i, "question"), partial(self._set_answer, i, "question")
            )
            question.setPlaceholderText(_("Question"))
            answer = self._field(
                _("Answer"), partial(_answer_part, i, "answer"), partial(self._set_answer, i, "answer")
            )
            answer.setPlaceholderText(_("Answer"))
            take = button(_("Take away"), partial(self._remove_answer, i), "link")
            line = row(question, take)
            line.setStretch(0, 1)
            self._column.addLayout(line)
            self._column.addWidget(answer)

    # -- edits ---------------------------------------------------------------------------------------

    def _change(self, name: str, **changes: object) -> None:
        self._desk.edit(name, edits.change_findings(self._desk.notebook, **changes))

    def _add_claim(self) -> None:
        notebook, _claim_id = edits.add_claim(self._desk.notebook)
        self._desk.edit(_("add a claim"), notebook)
        if self.claims:
            self.claims[-1].setFocus()

    def _claim_text(self, place: int, notebook: Notebook) -> str:
        claims = notebook.findings.claims
        return claims[place].text if place < len(claims) else ""

    def _with_claim(self, claim_id: str, name: str, **changes: str) -> None:
        claims = self._desk.notebook.findings.claims
        self._change(name, claims=tuple(c.but(**changes) if c.id == claim_id else c for c in claims))

    def _set_claim(self, claim_id: str, text: str) -> None:
        self._with_claim(claim_id, _("write a claim"), text=text.strip()[:1000])

    def _set_rests(self, claim_id: str, key: str) -> None:
        self._with_claim(claim_id, _("choose what a claim rests on"), rests_on=key)

    def _remove_claim(self, claim_id: str) -> None:
        claims = self._desk.notebook.findings.claims
        self._change(_("take a claim away"), claims=tuple(c for c in claims if c.id != claim_id))

    def _set_precaution(self, text: str, words: str) -> None:
        known = self._desk.notebook.findings.precautions
        self._change(_("say what was done"), precautions={**known, text: words.strip()[:1000]})

    def note(self, text: str) -> None:
        """Keep something that was seen, with the time."""
        text = " ".join(text.split())[:1000]
        if not text:
            return
        when = datetime.now().astimezone().strftime("%Y-%m-%dT%H:%M")
        seen = self._desk.notebook.findings.observations
        self._change(_("note what was seen"), observations=(*seen, Observation(text=text, when=when)))

    def _remove_observation(self, place: int) -> None:
        seen = self._desk.notebook.findings.observations
        self._change(_("take an observation away"), observations=seen[:place] + seen[place + 1 :])

    def _add_question(self) -> None:
        answers = self._desk.notebook.findings.answers
        self._change(_("add a question"), answers=(*answers, Answer(question="")))

    def _set_answer(self, place: int, part: str, text: str) -> None:
        answers = self._desk.notebook.findings.answers
        changed = answers[place].but(**{part: text.strip()[:1000]})
        self._change(_("answer a question"), answers=(*answers[:place], changed, *answers[place + 1 :]))

    def _remove_answer(self, place: int) -> None:
        answers = self._desk.notebook.findings.answers
        self._change(_("take a question away"), answers=answers[:place] + answers[place + 1 :])

    def _set_follow_up(self, text: str) -> None:
        self._change(_("say what to try next"), follow_up=text.strip()[:5000])

    def _set_substitution(self, on: bool) -> None:
        self._change(_("print a worked example"), substitution=on)


def _precaution(text: str, notebook: Notebook) -> str:
    return notebook.findings.precautions.get(text, "")


def _answer_part(place: int, part: str, notebook: Notebook) -> str:
    answers = notebook.findings.answers
    return str(getattr(answers[place], part)) if place < len(answers) else ""
