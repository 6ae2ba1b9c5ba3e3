"""The bend of the lens: by straight edges, by a board, or as kept for a camera."""

from __future__ import annotations

from datetime import date
from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal

from saltus.core.statement import to_figures, value_and_uncertainty
from saltus.core.wording import _, plural
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.edits import geometry as edits
from saltus.notebook.geometry import KnownLens
from saltus.notebook.part import PartError
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.settings import set_setting, setting
from saltus.ui.kit.widgets import Card, Field, Group, button, label, row
from saltus.ui.picture.laid_handles import lay

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

CAMERAS, MOST = "cameras", 40


def kept_cameras() -> list[KnownLens]:
    """The lenses kept from earlier calibrations on this machine; what cannot be read is left out."""
    found = []
    told = setting(CAMERAS)
    for one in told if isinstance(told, list) else []:
        try:
            found.append(KnownLens(**one))
        except (PartError, TypeError):
            continue
    return found


def keep_camera(lens: KnownLens) -> None:
    """Keep a lens under the name of its camera, in the place of an earlier one."""
    rest: list[dict[str, Any]] = [k.model_dump() for k in kept_cameras() if k.camera != lens.camera]
    set_setting(CAMERAS, [lens.model_dump(), *rest][:MOST])


class LensPanel(Group):
    """Card of the lens.

    Signals
    -------
    wanted(mode)
        The tool that lays something is to be taken up; ``board-lens``: a board is to be looked for.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        card = Card(padding=10)
        self.remove = button(_("Remove"), lambda: self._change(edges=None, lens=None), "link")
        card.column.addLayout(row(label(_("Bend of the lens"), "heading"), self.remove, stretch=1))
        self.words = label("", wrap=True)
        card.add(self.words)
        for words, mode in (
            (_("Click places along a straight edge"), "edge"),
            (_("Begin another edge"), "new-edge"),
            (_("Find a printed board"), "board-lens"),
        ):
            card.column.addLayout(row(button(words, partial(self.wanted.emit, mode), "link"), stretch=1))
        self.column.addWidget(card)
        kept = Card(padding=10)
        kept.add(label(_("Keep it for this camera"), "heading"))
        self.name = Field(_("Name of the camera"), 150)
        self.name.setPlaceholderText(_("such as lab phone, wide"))
        self.keep = button(_("Keep"), self._keep, "link")
        kept.column.addLayout(row(self.name, self.keep, stretch=2))
        self.cameras = chooser(_("Cameras that were calibrated"))
        self.use = button(_("Use"), self._use, "link")
        kept.column.addLayout(row(self.cameras, self.use, stretch=2))
        kept.add(label(_("Holds for the same lens, zoom and shape of picture only."), "note", wrap=True))
        self.column.addWidget(kept)
        self.column.addStretch(1)

    def _change(self, **changes: object) -> None:
        take = self._desk.take
        if take is not None:
            lay(
                self._desk,
                _("change the lens"),
                edits.change_geometry(self._desk.notebook, take.id, **changes),
            )

    def _keep(self) -> None:
        take, name = self._desk.take, self.name.text().strip()
        bend = geometry_of(take).bend if take is not None else None
        if bend is None:
            self._desk.said.emit(_("Mark a straight edge or find a board first."), "note")
            return
        if not name:
            self.name.mark_wrong(_("Name the camera, so that you know it again."))
            return
        today = date.today().isoformat()  # noqa: DTZ011  the day where the person is
        keep_camera(KnownLens(camera=name[:200], k1=bend.lens.k1, u_k1=bend.lens.u_k1, when=today))
        self._desk.said.emit(_("Kept for “{name}”.").format(name=name), "note")
        self._show_kept()

    def _use(self) -> None:
        chosen = self.cameras.currentData()
        known = next((k for k in kept_cameras() if k.camera == chosen), None)
        if known is not None:
            self._change(lens=known, edges=None)

    def show_take(self, take: Take | None) -> None:
        """Show the lens of a take."""
        geometry = take.geometry if take is not None else None
        self.remove.setVisible(geometry is not None and bool(geometry.edges or geometry.lens))
        self.words.setText(self._words(take))
        self._show_kept()

    def _show_kept(self) -> None:
        kept = kept_cameras()
        fill(self.cameras, [(f"{k.camera} ({k.when})" if k.when else k.camera, k.camera) for k in kept])
        for part in (self.cameras, self.use):
            part.setVisible(bool(kept))

    def _words(self, take: Take | None) -> str:
        if take is None:
            return ""
        found, geometry = geometry_of(take), take.geometry
        if geometry.edges is not None:
            count = sum(map(len, geometry.edges.edges))
            if "lens" in found.problems:
                words = plural("{n} mark so far.", "{n} marks so far.", count)
                return f"{words} {found.problems['lens']}"
            assert found.bend is not None
            lens = found.bend.lens
            value, u = value_and_uncertainty(100 * lens.k1, 100 * 1.96 * lens.u_k1)
            return _("A place at the corner is moved by {k} ± {u} % (95 %). The edge is bent by {bend} px as "
                     "filmed, {left} px are left.").format(
                k=value, u=u, bend=to_figures(found.bend.bend_px, 2), left=to_figures(found.bend.left_px, 2)
            )  # fmt: skip
        if geometry.lens is not None:
            value, u = value_and_uncertainty(100 * geometry.lens.k1, 100 * 1.96 * geometry.lens.u_k1)
            return _("As kept for “{name}”: {k} ± {u} % at the corner (95 %).").format(
                name=geometry.lens.camera, k=value, u=u
            )
        return _("Not checked. Click five places or more along something straight near the border of the "
                 "picture: a table edge, a door frame.")  # fmt: skip
