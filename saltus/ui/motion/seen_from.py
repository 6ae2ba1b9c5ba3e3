"""From where a motion is seen: the room, another body, or the centre of mass of several."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDialog, QDialogButtonBox, QSizePolicy, QVBoxLayout, QWidget

from saltus.core.coverage import NORMAL_95
from saltus.core.entry import entry
from saltus.core.units import KILOGRAM, UnitError
from saltus.core.wording import _
from saltus.core.written import WrittenError
from saltus.notebook.edits import measuring as edits
from saltus.notebook.geometry import Typed
from saltus.ui.kit.choices import fill
from saltus.ui.kit.widgets import Field, label, row

if TYPE_CHECKING:
    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk

ROOM, NEW = "", "+"


class SeenFrom(QComboBox):
    """Chooses from where a motion is seen.

    Signals
    -------
    chosen(about)
        Id of a body or a moving frame; empty for the room.
    """

    chosen = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.about = ROOM
        self.setAccessibleName(_("Seen from"))
        self.setToolTip(_("The origin may ride on another body, or on the centre of mass of several"))
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(12)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.activated.connect(lambda _i: self._choose())

    def _choose(self) -> None:
        wanted = self.currentData()
        take = self._desk.take
        if wanted == NEW and take is not None:
            dialog = CentreOfMass(self, take)
            if dialog.exec() == QDialog.DialogCode.Accepted:
                self.about = self._lay(take, dialog)
        else:
            self.about = str(wanted or ROOM)
        self.chosen.emit(self.about)

    def _lay(self, take: Take, dialog: CentreOfMass) -> str:
        notebook = self._desk.notebook
        for body_id, mass in dialog.masses.items():
            notebook = edits.set_mass(notebook, take.id, body_id, mass)
        bodies = tuple(dialog.masses)
        same = next((f for f in take.moving_frames if set(f.bodies) == set(bodies)), None)
        if same is not None:
            self._desk.edit(_("give masses"), notebook)
            return same.id
        names = [b.name for b in take.bodies if b.id in bodies]
        name = _("centre of mass of {names}").format(names=_(" and ").join(names))[:200]
        notebook, frame_id = edits.add_moving_frame(notebook, take.id, name, bodies)
        self._desk.edit(_("see a motion from a centre of mass"), notebook)
        return frame_id

    def show_for(self, take: Take | None, body: Body | None) -> None:
        """Offer what the motion of a body can be seen from."""
        others = [b for b in take.bodies if b is not body and not b.fixed] if take is not None else []
        frames = take.moving_frames if take is not None else ()
        if self.about not in {ROOM, *(b.id for b in others), *(f.id for f in frames)}:
            self.about = ROOM
        entries: list[tuple[str, object]] = [(_("from the room"), ROOM)]
        entries += [(_("from {body}").format(body=b.name), b.id) for b in others]
        entries += [(_("from the {frame}").format(frame=f.name), f.id) for f in frames]
        if others:
            entries.append((_("from a centre of mass…"), NEW))
        fill(self, entries, self.about)
        self.setVisible(bool(others))


class CentreOfMass(QDialog):
    """Asks which bodies count, and for their masses.

    Attributes
    ----------
    masses : dict of str to Typed
        By id of the body, once it was accepted.
    """

    def __init__(self, parent: QWidget, take: Take) -> None:
        super().__init__(parent)
        self.masses: dict[str, Typed] = {}
        self.setWindowTitle(_("Centre of mass"))
        layout = QVBoxLayout(self)
        words = _("Tick the bodies that count, and type their masses with what is uncertain of them.")
        layout.addWidget(label(words, wrap=True))
        self._lines: dict[str, tuple[QCheckBox, Field]] = {}
        for body in take.bodies:
            if body.fixed:
                continue
            tick = QCheckBox(body.name)
            tick.setChecked(True)
            mass = Field(_("Mass of {body}").format(body=body.name), 150)
            mass.setPlaceholderText("0.164(1) kg")
            mass.setText(body.mass.text if body.mass is not None else "")
            layout.addLayout(row(tick, mass, stretch=0))
            self._lines[body.id] = tick, mass
        self._wrong = label("", "warn", wrap=True)
        layout.addWidget(self._wrong)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self._try)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

    def _try(self) -> None:
        found: dict[str, Typed] = {}
        for body_id, (tick, field) in self._lines.items():
            if not tick.isChecked():
                continue
            try:
                found[body_id] = typed_mass(field.text())
            except (WrittenError, UnitError) as error:
                field.mark_wrong(str(error))
                self._wrong.setText(str(error))
                field.setFocus()
                return
        if len(found) < 2:
            self._wrong.setText(_("A centre of mass needs two bodies at least."))
            return
        self.masses = found
        self.accept()


def typed_mass(text: str) -> Typed:
    """Read a mass as it was typed.

    Raises
    ------
    WrittenError, UnitError
        If it cannot be read, or is not above zero.
    """
    read = entry(text.strip(), KILOGRAM, default_unit="kg", where=_("Mass: "))
    if not read.value > 0:
        raise WrittenError(_("A mass is more than zero: type for example 0.164(1) kg."))
    return Typed(
        value=read.value, unit="kg", U95=NORMAL_95 * (read.u or 0.0), U95_unit="kg", text=text.strip()[:200]
    )
