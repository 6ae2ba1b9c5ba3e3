"""Before bodies are followed: how well each can be found, how far to go, and the start."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.coverage import NORMAL_95
from saltus.core.following.evidence import AROUND, cut_about
from saltus.core.following.run import FirstLook
from saltus.core.statement import value_and_uncertainty
from saltus.core.wording import _, plural
from saltus.core.written import WrittenError, number
from saltus.printing.pictures import as_array, as_image
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.widgets import Card, Field, Group, Stepper, button, label, row
from saltus.ui.read.follow_parts import LookedFor

if TYPE_CHECKING:
    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.read.follow_setup import Drawn, FollowSetup


class FollowStart(Group):
    """What is looked for, and how far it is followed."""

    def __init__(self, desk: Desk, setup: FollowSetup) -> None:
        super().__init__()
        self._desk, self._setup = desk, setup
        self._of: object = None
        card = Card(padding=10, gap=8)
        self.patch = LookedFor(104)
        self.words = label("", "value")
        self._found = label(_("at best found to"), "note")
        self.advice = label("", "note", wrap=True)
        beside = Group(gap=4)
        beside.column.addWidget(self._found)
        beside.column.addWidget(self.words)
        beside.column.addWidget(self.advice)
        beside.column.addStretch(1)
        self._seen = row(self.patch, beside)
        self._seen.setStretch(1, 1)
        card.column.addLayout(self._seen)
        self.sides = {
            side: Field(_("{side} of the box in px").format(side=side), 56) for side in ("width", "height")
        }
        for side, field in self.sides.items():
            field.entered.connect(lambda text, s=side: self._type_size(s, text))
        self._size_row = Group()
        sizes = row(label(_("Box"), "note"), self.sides["width"], "×", self.sides["height"], "px", stretch=1)
        self._size_row.column.addLayout(sizes)
        card.add(self._size_row)
        self.column.addWidget(card)
        self.column.addWidget(label(_("Frames"), "heading"))
        self.way = chooser(_("Direction"), self._choose_way)
        fill(self.way, [(_("forwards, to frame"), False), (_("backwards, to frame"), True)], False)
        self.last = Field(_("Last frame"), 66)
        self.last.entered.connect(self._type_last)
        ways = row(self.way, self.last)
        ways.setStretch(0, 1)
        self.column.addLayout(ways)
        self.every = Stepper(_("Every which frame is read"), 1, 1000)
        self.every.stepped.connect(self._step)
        self.column.addLayout(row(label(_("Read every, frames"), "note"), self.every, stretch=1))
        self._many = label("", "note", wrap=True)
        self.column.addWidget(self._many)
        self.go = button(_("Follow"), setup.start, "main")
        self.cancel = button(_("Cancel"), setup.close, "link")
        self.buttons = Group()
        buttons = row(self.go, self.cancel)
        buttons.setStretch(0, 1)
        self.buttons.column.addLayout(buttons)

    # -- what a person does --------------------------------------------------------------------------

    def begin(self) -> bool:
        """Begin to follow what is drawn; False where that cannot be, which is said."""
        now = self._desk.following
        if now.run is not None:
            body = self._desk.body
            words = _("{name} is being followed already: stop that first, what it found stays.")
            self._desk.said.emit(words.format(name=body.name if body is not None else ""), "warn")
            return False
        run = self._setup.run() if self._setup.ready else None
        if run is None:
            return False
        self._setup.close()
        now.begin(run)
        return True

    def _type_size(self, side: str, text: str) -> None:
        body = self._desk.body
        drawn = self._setup.drawn.get(body.id) if body is not None else None
        if body is None or drawn is None:
            return
        try:
            value = number(text)
            if not 3 <= value <= 2000:
                raise WrittenError(_("A box is 3 to 2000 px wide and high."))
        except WrittenError as error:
            self.sides[side].mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        width, height = (value, drawn.box.height) if side == "width" else (drawn.box.width, value)
        self._setup.resize(body, width, height)

    def _choose_way(self) -> None:
        self._setup.backwards, self._setup.last = bool(self.way.currentData()), None
        self._setup.changed.emit()

    def _type_last(self, text: str) -> None:
        take = self._desk.take
        frames = len(take.facts.ticks) if take is not None else 0
        if not text.strip().isdigit() or int(text) >= frames:
            words = _("Type a frame from 0 to {last}.").format(last=frames - 1)
            self.last.mark_wrong(words)
            self._desk.said.emit(words, "warn")
            return
        self._setup.last = int(text)
        self._setup.backwards = int(text) < self._desk.frame
        self._setup.changed.emit()

    def _step(self, every: int) -> None:
        self._setup.every = every
        self._setup.changed.emit()

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self, take: Take, body: Body) -> None:
        """Show what is drawn round the body in hand."""
        drawn, found = self._setup.drawn.get(body.id), self._setup.look_at(body)
        first, last, every = self._setup.span(take)
        fill(
            self.way,
            [(_("forwards, to frame"), False), (_("backwards, to frame"), True)],
            self._setup.backwards,
        )
        self.last.show_text(str(last))
        self.every.show_value(every)
        n = len(self._setup.drawn)
        frames = abs(last - first) // every
        self._many.setText(
            plural(
                "{n} frame from frame {first} on",
                "{n} frames from frame {first} on",
                frames,
                first=str(first),
            )
        )
        kept = sum(self._by_hand(take, drawn_body, first, last) for drawn_body in self._setup.drawn)
        if kept:
            words = plural(
                "{n} reading by hand on the way stays", "{n} readings by hand on the way stay", kept
            )
            self._many.setText(self._many.text() + "; " + words)
        self.go.setText(
            plural("Follow {n} body", "Follow {n} bodies", n)
            if n > 1
            else _("Follow {name}").format(name=body.name[:24])
        )
        self.go.setEnabled(self._setup.ready)
        self._size_row.setVisible(drawn is not None)
        self.patch.setVisible(drawn is not None)
        if drawn is None:
            self.words.setText("")
            self._found.hide()
            self.advice.setText(
                _("Drag a box round {name} in the picture; Enter lays one where it is expected.").format(
                    name=body.name
                )
            )
            return
        for side, field in self.sides.items():
            field.show_text(f"{getattr(drawn.box, side):.0f}")
        self._show_patch(drawn)
        self._say(found)

    @staticmethod
    def _by_hand(take: Take, body_id: str, first: int, last: int) -> int:
        """How many readings by hand of a body lie on the way."""
        body, way = take.body(body_id), range(min(first, last), max(first, last) + 1)
        there = body.readings if body is not None else ()
        return sum(r.origin != "followed" and r.frame in way and r.frame != first for r in there)

    def _show_patch(self, drawn: Drawn) -> None:
        shown = self._desk.shown
        now = (drawn.box, shown[:2] if shown is not None else None)
        if shown is not None and now != self._of:
            self._of = now
            x, y = drawn.box.centre
            self.patch.show_image(as_image(cut_about(as_array(shown[2]), x, y, drawn.box.size * AROUND)))

    def _say(self, found: FirstLook | str | None) -> None:
        if not isinstance(found, FirstLook):
            self.words.setText("")
            self._found.hide()
            self.advice.setText(found or _("The picture is on its way."))
            self.advice.setObjectName("warn" if found else "note")
        else:
            spread = value_and_uncertainty(0.0, NORMAL_95 * found.u)[1]
            self.words.setText(_("± {U} px").format(U=spread))
            self._found.show()
            by = {
                "pattern": _("by the pattern of the patch"), "edge": _("by its outline"),
                "colour": _("by its colour"), "spot": _("as a spot"), "auto": "",
            }[found.method]  # fmt: skip
            more = (
                _("95 %, {by}. A box with more edges in it would do better.")
                if found.faint
                else _("95 %, {by}.")
            )
            self.advice.setText(more.format(by=by))
            self.advice.setObjectName("note")
        style = self.advice.style()
        if style is not None:
            style.unpolish(self.advice)
            style.polish(self.advice)
