"""Findings: the sheet as it will be printed, and the ways out."""

from __future__ import annotations

from functools import partial
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker, QTimer
from PyQt6.QtWidgets import QButtonGroup, QDialog, QPlainTextEdit, QScrollArea, QWidget

from saltus.core.notation.line import as_html
from saltus.core.wording import _
from saltus.exchange.motion_table import motion_of_take, readings_of_take
from saltus.exchange.tables import write_table
from saltus.exchange.trials_sheet import sheet_of
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.next_step import next_question
from saltus.notebook.edits import takes as edits
from saltus.printing import figures, sheet_document
from saltus.printing.pictures import write_marked_frame
from saltus.ui.desk.film_thread import FilmThread, Wish
from saltus.ui.desk.stage import Stage
from saltus.ui.desk.tables import export_trials
from saltus.ui.findings.claims import SaysPanel
from saltus.ui.findings.pages import PagesView
from saltus.ui.kit.file_dialogs import ask_where_to_save
from saltus.ui.kit.menus import Entry, menu_of, open_under
from saltus.ui.kit.scaling import scaled, sized
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import Card, Facts, Field, button, label, rich, row

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtGui import QImage

    from saltus.exchange.sheet_data import Result, Sheet
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

WHILE_TYPING_MS = 400


class FindingsStage(Stage):
    """Sheet at the left; who, remarks and the ways out at the right."""

    follows_place = False

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._picture: tuple[str, str, int, QImage] | None = None
        self._of_take = False
        self._pages = PagesView()
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setWidget(self._pages)
        self._scroll.setStyleSheet(
            f"QScrollArea, QScrollArea > QWidget > QWidget {{ background: {self._ground()} }}"
        )
        self.beside(self._scroll, 400)
        self._build_column()
        # its own decoder: printing a frame must not wait behind stepping through the film
        self._thread = FilmThread()
        self._thread.picture.connect(self._picture_arrived)
        self._thread.start()
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(WHILE_TYPING_MS)
        self._later.timeout.connect(self._take_words)
        self.listen()
        desk.lookedElsewhere.connect(self._looked)

    def _ground(self) -> str:
        return "#D3DBD5" if not theme.dark else "#0E1211"

    def _build_column(self) -> None:
        self._of = QButtonGroup(self)
        self._switch = QWidget()
        switch = row(label(_("Sheet of"), "note"))
        for words, take in ((_("the trials"), False), (_("the film"), True)):
            one = button(words, partial(self._show_sheet_of, take=take), "filter")
            one.setCheckable(True)
            self._of.addButton(one, int(take))
            switch.addWidget(one)
        switch.addStretch(1)
        switch.setContentsMargins(0, 0, 0, 0)
        self._switch.setLayout(switch)
        self._column.addWidget(self._switch)
        self._column.addWidget(label(_("Result"), "title"))
        card = Card(padding=12)
        self._result = rich()
        self._result.setWordWrap(True)
        self._result.setStyleSheet(sized("font-size: 20px; font-weight: 600"))
        self._result_words = label("", "note", wrap=True)
        card.add(self._result, self._result_words)
        self._column.addWidget(card)
        self._column.addWidget(label(_("What limits it"), "heading"))
        self._budget = Facts()
        self._column.addWidget(self._budget)
        self._limits = label("", "note", wrap=True)
        self._column.addWidget(self._limits)
        self.pdf = button(_("Save as PDF"), self.save_pdf, "main")
        self.csv = button(_("Readings as CSV"), self._save_numbers)
        self.more = button(_("More ways out…"), self._more)
        self.says = SaysPanel(self._desk)
        self._column.addWidget(self.says)
        self._who = Field(_("Who measured"))
        self._who.setPlaceholderText(_("Who measured: names or group"))
        self._who.entered.connect(self._type_who)
        self._column.addWidget(label(_("On the sheet"), "heading"))
        self._column.addWidget(self._who)
        self._remarks = QPlainTextEdit()
        self._remarks.setPlaceholderText(_("Remarks: what you saw, what limited it, precautions"))
        self._remarks.setAccessibleName(_("Remarks"))
        self._remarks.setFixedHeight(scaled(96))
        self._remarks.setTabChangesFocus(True)
        self._remarks.textChanged.connect(lambda: self._later.start())
        self._column.addWidget(self._remarks)
        self._foot.setSpacing(8)
        self._foot.addLayout(row(self.pdf, self.csv, self.more, stretch=3))
        self._column.addStretch(1)

    def _save_numbers(self) -> None:
        """Save what was measured as a table: trials, or readings of the take."""
        if self.of_trials:
            export_trials(self, self._desk)
        else:
            self.save_table("readings")

    # -- ways out ------------------------------------------------------------------------------------

    def _suggestion(self, ending: str) -> Path:
        folder = self._desk.folder or Path.home()
        take = self._desk.take
        stem = take.name if take is not None else self._desk.notebook.title
        safe = "".join(c if c.isalnum() or c in " -_" else "-" for c in stem).strip()[:80] or "sheet"
        return folder / f"{safe}{ending}"

    def save_pdf(self) -> None:
        """Ask for a place and write the sheet as PDF, in the background."""
        path = ask_where_to_save(self, self._suggestion(".pdf"), _("Save as PDF"), "PDF (*.pdf)")
        if path is not None:
            self.write_pdf(path)

    def write_pdf(self, path: Path) -> None:
        """Write the sheet as PDF, in the background."""
        sheet, take, image = self._sheet(), self._take, self._image()
        self._write(
            path,
            lambda: sheet_document.write_pdf(
                sheet_document.sheet_pages(sheet, take, image), path, sheet.title
            ),
        )

    def _write(self, path: Path, act: Callable[[], object]) -> None:
        """Write a file in the background and say where it is."""
        self._desk.tasks.write_file(_("Writing {name}").format(name=path.name), path, act, self._written)

    def _more(self) -> None:
        """Offer the other ways out."""
        drawn = self._sheet().chart is not None
        entries = [
            Entry(_("Motion as a table, CSV or XLSX…"), lambda: self.save_table("motion")),
            Entry(_("Sheet as ODT, for a word processor…"), lambda: self.save_other("odt")),
            Entry(_("Sheet as one HTML file…"), lambda: self.save_other("html")),
            Entry(_("Graph as SVG…"), lambda: self.save_other("svg"), drawn),
            Entry(_("Graph as PNG, 300 dots per inch…"), lambda: self.save_other("png"), drawn),
            Entry(_("Frame with its marks as PNG…"), self.save_frame, self.has_picture()),
            Entry(_("Print…"), self.print_sheet),
        ]
        open_under(menu_of(self, entries), self.more)

    def save_other(self, ending: str) -> None:
        """Ask for a place and write the sheet as ODT or HTML, or the graph as SVG or PNG."""
        words = _("Save as {kind}").format(kind=ending.upper())
        path = ask_where_to_save(self, self._suggestion(f".{ending}"), words, f"*.{ending}")
        if path is None:
            return
        sheet, take, image = self._sheet(), self._take, self._image()
        figure = figures.graph_figure(sheet)
        if ending == "odt":
            self._write(path, lambda: sheet_document.write_odt(sheet, take, image, path))
        elif ending == "html":
            self._write(path, lambda: sheet_document.write_html(sheet, take, image, path))
        elif figure is not None:
            self._write(path, lambda: figures.write_figure(figure, path))

    def save_frame(self) -> None:
        """Ask for a place and write the frame of the sheet with its marks, in the size of the film."""
        take, image, sheet = self._desk.take, self._image(), self._sheet()
        if take is None or image is None or sheet.picture_frame is None:
            return
        frame = sheet.picture_frame
        suggestion = self._suggestion(f" frame {frame}.png")
        path = ask_where_to_save(self, suggestion, _("Save the frame"), "PNG (*.png)")
        if path is not None:
            self._write(path, lambda: write_marked_frame(image, take, frame, path))

    def print_sheet(self) -> None:
        """Print the sheet on a printer."""
        from PyQt6.QtPrintSupport import QPrintDialog, QPrinter  # noqa: PLC0415  asks the system for printers

        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if QPrintDialog(printer, self).exec() != QDialog.DialogCode.Accepted:
            return
        document = sheet_document.sheet_pages(self._sheet(), self._take, self._image())
        if not sheet_document.print_pages(document, printer):
            self._desk.said.emit(_("The printer took nothing: see whether it is switched on."), "warn")

    def save_table(self, what: str) -> None:
        """Ask for a place and write a table of the take in hand, as CSV or by its ending as XLSX."""
        take = self._desk.take
        if take is None:
            return
        kinds = _("Tables (*.csv *.xlsx)")
        path = ask_where_to_save(self, self._suggestion(f" {what}.csv"), _("Save the table"), kinds)
        if path is None:
            return
        table_of_take = readings_of_take if what == "readings" else motion_of_take
        self._write(path, lambda: write_table(path, *table_of_take(take)))

    def _written(self, path: Path) -> None:
        self._desk.said.emit(
            _("Written: {name}, in {folder}").format(name=path.name, folder=path.parent), "note"
        )

    def _type_who(self, text: str) -> None:
        self._desk.edit(_("say who measured"), edits.set_who(self._desk.notebook, text[:200]))

    def _take_words(self) -> None:
        text = self._remarks.toPlainText()[:20_000]
        if text != self._desk.notebook.remarks:
            self._desk.edit(_("write remarks"), edits.set_remarks(self._desk.notebook, text), "remarks")

    # -- showing -------------------------------------------------------------------------------------

    def close_film(self) -> None:
        """End the thread."""
        self._thread.stop()

    def hideEvent(self, event: object) -> None:
        if self._later.isActive():
            self._later.stop()
            self._take_words()

    def resizeEvent(self, event: object) -> None:
        self._pages.fit()

    def _looked(self) -> None:
        if self._picture is None or self._picture[0] != self._desk.take_id:
            self.refresh()

    def _sheet(self) -> Sheet:
        return sheet_of(self._desk.notebook, self._desk.take, of_trials=self.of_trials)

    @property
    def of_trials(self) -> bool:
        """Whether the sheet is that of the table of trials."""
        notebook = self._desk.notebook
        return notebook.trials is not None and not (self._of_take and notebook.takes)

    @property
    def _take(self) -> Take | None:
        """The take of the sheet; None where it is that of the trials."""
        return None if self.of_trials else self._desk.take

    def _show_sheet_of(self, *, take: bool) -> None:
        self._of_take = take
        self.refresh()

    def _image(self) -> QImage | None:
        sheet = self._sheet()
        take = self._desk.notebook.take(sheet.take_id)
        wanted = (sheet.take_id, take.film.sha256 if take is not None else "", sheet.picture_frame)
        return self._picture[3] if self._picture is not None and self._picture[:3] == wanted else None

    def has_picture(self) -> bool:
        """Whether the picture of the sheet is at hand."""
        return self._image() is not None

    def _picture_arrived(self, wish: Wish, image: QImage) -> None:
        self._picture = (wish.take.id, wish.take.film.sha256, wish.frame, image)
        self.refresh()

    def show_now(self) -> None:
        """Lay the sheet out anew."""
        desk, sheet = self._desk, self._sheet()
        take = self._take
        both = desk.notebook.trials is not None and bool(desk.notebook.takes)
        self._switch.setVisible(both)
        chosen = self._of.button(int(not self.of_trials))
        if chosen is not None:
            chosen.setChecked(True)
        image = self._image()
        if (
            image is None
            and take is not None
            and sheet.picture_frame is not None
            and take.id not in desk.film_problems
        ):
            self._thread.want(Wish(take, desk.folder, sheet.picture_frame))
        self._pages.show_document(sheet_document.sheet_pages(sheet, take, image))
        symbol = "<span style=\"font-family: 'Source Serif 4'\">{}</span> = {}"
        result = sheet.result
        self._result.setText(
            symbol.format(_symbol_html(result), escape(result.text)) if result else _("No result yet")
        )
        self._result_words.setText(
            sheet.result.words
            if sheet.result
            else sheet.missing or _("Choose a segment on the Motion stage.")
        )
        rows = sheet.budget.rows if sheet.budget else ()
        self._budget.show_rows(tuple((name, f"{u}   {share}".strip()) for name, u, share in rows))
        self._limits.setText(sheet.limits)
        self._who.show_text(desk.notebook.who)
        if not self._remarks.hasFocus() and self._remarks.toPlainText() != desk.notebook.remarks:
            with QSignalBlocker(self._remarks):
                self._remarks.setPlainText(desk.notebook.remarks)
        for thing in (self.pdf, self.csv, self.more):
            thing.setEnabled(take is not None or self.of_trials)
        self.csv.setText(_("Trials as CSV") if self.of_trials else _("Readings as CSV"))
        self.says.refresh()
        self.next.say(self._next_step(sheet))

    def _next_step(self, sheet: Sheet) -> str:
        if sheet.result is None:
            return sheet.missing or _(
                "The sheet fills itself as you work. It still needs a segment with a model, in Motion."
            )
        if self.of_trials and not self._desk.notebook.findings.claims:
            return _("Say what you claim and what it rests on, then save the sheet as PDF.")
        evaluation = evaluate(self._desk.notebook) if self.of_trials else None
        if self._desk.notebook.who and evaluation is not None and (asked := next_question(evaluation)):
            return asked
        return _("Say who measured and what you saw, then save the sheet as PDF.")


def _symbol_html(result: Result) -> str:
    """The symbol of a result as rich text."""
    return as_html(result.box) if result.box is not None else f"<i>{escape(result.symbol)}</i>"
