"""The demo and films of the virtual camera, made off the interface thread."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QDoubleSpinBox, QFormLayout, QVBoxLayout, QWidget

from saltus.core.progress import Progress
from saltus.core.wording import _
from saltus.notebook.model import Notebook
from saltus.ui.desk.scene_words import setting_words
from saltus.ui.kit.file_dialogs import ask_where_to_save
from saltus.ui.kit.widgets import label

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.core.progress import Steps
    from saltus.ui.desk.desk import Desk


def open_demo(desk: Desk, name: str, then: Callable[[], None]) -> None:
    """Open a demo notebook as a copy that has no file yet."""

    def ready(notebook: Any) -> None:
        desk.start(notebook)
        then()

    def work() -> Steps[Notebook]:
        yield Progress(0, 1)
        from saltus.simulate.demo import demo_notebook  # noqa: PLC0415  loads the encoder

        return demo_notebook(name)

    desk.run(_("Preparing the demo"), work, ready)


class SceneDialog(QDialog):
    """Asks for the settings of a simulated film."""

    def __init__(self, parent: QWidget, scene: str) -> None:
        super().__init__(parent)
        from saltus.simulate import scenes  # noqa: PLC0415  loads the painter of the virtual camera

        self._scene, self._scenes = scene, scenes
        self.setWindowTitle(_("Film a simulated run"))
        layout = QVBoxLayout(self)
        layout.addWidget(label(scenes.describe(scene), "heading", wrap=True))
        form = QFormLayout()
        self._boxes: dict[str, QDoubleSpinBox] = {}
        for key, value in scenes.settings_of(scene).items():
            words = setting_words(key)
            if words:
                box = QDoubleSpinBox()
                box.setDecimals(0 if key in ("rate", "seed") else 4 if key == "exposure" else 3)
                box.setRange(0, 10000)
                box.setValue(value)
                box.setAccessibleName(words)
                form.addRow(words, box)
                self._boxes[key] = box
        layout.addLayout(form)
        self._wrong = label("", "warn", wrap=True)
        layout.addWidget(self._wrong)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        make = buttons.addButton(_("Film it…"), QDialogButtonBox.ButtonRole.AcceptRole)
        assert make is not None
        make.setObjectName("main")
        buttons.accepted.connect(self._try)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

    def settings(self) -> dict[str, float]:
        """The settings as typed."""
        return {key: box.value() for key, box in self._boxes.items()}

    def _try(self) -> None:
        from saltus.simulate import scene  # noqa: PLC0415  loads the decoder

        try:
            self._scenes.set_up(self._scene, self.settings())
        except scene.SceneError as error:
            self._wrong.setText(str(error))
            return
        self.accept()


def ask_to_film(parent: QWidget, desk: Desk, scene: str) -> None:
    """Ask for settings and a place, film the scene, and open the film as a take."""
    dialog = SceneDialog(parent, scene)
    if dialog.exec() != QDialog.DialogCode.Accepted:
        return
    suggestion = (desk.folder or Path.home()) / f"simulated {scene}.mp4"
    path = ask_where_to_save(parent, suggestion, _("Where the film goes"), _("Films (*.mp4)"))
    if path is None:
        return
    settings = dialog.settings()

    def work() -> Steps[Path]:
        from saltus.simulate.camera import film  # noqa: PLC0415  loads the encoder
        from saltus.simulate.scenes import set_up  # noqa: PLC0415  loads the decoder

        yield from film.steps(set_up(scene, settings), path, path.with_suffix(".truth.json"))
        return path

    def join(made: Any) -> None:
        if not desk.session.opened:
            desk.start(Notebook())
        desk.open_film(made, simulated=True)

    desk.run(_("Filming"), work, join)
