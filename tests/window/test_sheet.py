"""The sheet and its ways out: PDF, HTML, ODT, SVG and PNG hold what the notebook says, drawn as vectors."""

import re
import subprocess
import sys
import xml.etree.ElementTree as ET
import zipfile
from pathlib import Path

import made
import numpy as np
import pypdf
import pytest
from PyQt6.QtCore import QSizeF
from PyQt6.QtGui import QImage, QPdfWriter
from PyQt6.QtWidgets import QFileDialog

from saltus.commands.main import run
from saltus.core.statement import stated
from saltus.exchange.chart import Chart, Curve, Label, Points
from saltus.exchange.sheet import describe
from saltus.notebook.derived.motion import headline
from saltus.notebook.edits import takes as edits
from saltus.notebook.storage import save
from saltus.printing import sheet_document
from saltus.printing.chart_painter import draw_chart
from saltus.printing.chart_style import PAPER
from saltus.printing.figures import Drawn, figure_image
from saltus.printing.tokens import DARK, LIGHT, SOURCES, look


@pytest.fixture
def measured_clip(clip_notebook, tmp_path):
    """The clip with a measured body, saved beside its film; gives notebook and path."""
    notebook = made.measured(30, noise_px=0.4, seed=2)[0]
    take = notebook.takes[0].but(film=clip_notebook.takes[0].film, facts=clip_notebook.takes[0].facts)
    notebook = edits.set_who(notebook.but(takes=(take,), title="Cart & <ramp>"), "Group <3>")
    save(notebook, tmp_path / "n.saltus")
    return notebook, tmp_path / "n.saltus"


TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"


def command(*words):
    """Run a headless command that must succeed."""
    with pytest.raises(SystemExit) as left:
        run([str(w) for w in words])
    assert left.value.code == 0


def words_of(path):
    """The text of a PDF, spaces made single."""
    return " ".join(" ".join(page.extract_text() for page in pypdf.PdfReader(path).pages).split())


def result_text(notebook):
    """The result as it must be stated everywhere."""
    value = headline(notebook.takes[0])[1]
    return stated(float(value), value.U95, value.unit)


def test_pdf_holds_result_table_budget_and_vector_graphs(measured_clip, tmp_path):
    """The PDF states the result, names who measured, and has one raster picture only: the film's frame."""
    notebook, path = measured_clip
    command("report", path, "-o", tmp_path / "s.pdf")
    text = words_of(tmp_path / "s.pdf")
    for part in (f"a = {result_text(notebook)}", "Cart & <ramp>", "Group <3>", "30 readings were placed by hand",
                 "What limits the result", "Reading", "Method", "1 of 2"):  # fmt: skip
        assert part in text, part
    reader = pypdf.PdfReader(tmp_path / "s.pdf")
    assert sum(len(page.images) for page in reader.pages) == 1
    assert (float(reader.pages[0].mediabox.width), float(reader.pages[0].mediabox.height)) == (
        pytest.approx(595, abs=1), pytest.approx(842, abs=1))  # fmt: skip
    fonts = {str(f["/BaseFont"]) for page in reader.pages for f in
             (r.get_object() for r in page["/Resources"]["/Font"].values())}  # fmt: skip
    assert all("Source" in name for name in fonts), fonts


def test_pdf_without_its_film_goes_without_a_picture(measured_clip, tmp_path, clip, capsys):
    """A missing film costs the picture, not the sheet, and is said."""
    notebook, path = measured_clip
    clip.unlink()
    command("report", path, "-o", tmp_path / "s.pdf")
    assert "goes without its picture" in capsys.readouterr().err
    assert result_text(notebook) in words_of(tmp_path / "s.pdf")


def test_html_is_one_file_and_escapes(measured_clip, tmp_path):
    """No outside address, the graph as inline SVG, what people typed as text, not as markup."""
    notebook, path = measured_clip
    command("report", path, "-o", tmp_path / "s.html")
    page = (tmp_path / "s.html").read_text(encoding="utf-8")
    assert result_text(notebook) in page
    assert "Cart &amp; &lt;ramp&gt;" in page
    assert "<svg" in page
    addresses = re.findall(r"(?:src|href)=['\"]([^'\"]{0,30})", page)
    assert addresses
    assert all(a.startswith("data:image/png") for a in addresses)
    assert "http://" not in re.sub(r"http://www\.w3\.org/[^\"']*", "", page)


def test_odt_opens_as_a_package(measured_clip, tmp_path):
    """The ODT is a zip with its text and two pictures in it."""
    notebook, path = measured_clip
    command("report", path, "-o", tmp_path / "s.odt")
    with zipfile.ZipFile(tmp_path / "s.odt") as package:
        assert package.testzip() is None
        content = ET.fromstring(package.read("content.xml"))
        text = " ".join("".join(content.itertext()).split())
        pictures = [n for n in package.namelist() if n.startswith("Pictures/")]
    # word processors drop tables within tables: none may be there, and all of the sheet's rows must be
    assert result_text(notebook) in text
    assert not [
        t for table in content.iter(f"{TABLE}table") for t in table.iter(f"{TABLE}table") if t is not table
    ]
    assert "position at the start" in text
    assert "What limits the result" in text
    assert len(list(content.iter(f"{TABLE}table-row"))) > 20
    assert len(pictures) == 2


def test_graph_as_svg_and_png(measured_clip, tmp_path):
    """SVG has text and paths, no raster; PNG has 300 dots per inch; a take without segment says so."""
    _notebook, path = measured_clip
    command("export", path, "-o", tmp_path / "g.svg")
    drawing = ET.parse(tmp_path / "g.svg").getroot()
    kinds = {element.tag.rpartition("}")[2] for element in drawing.iter()}
    assert "text" in kinds
    assert "image" not in kinds
    assert len(list(drawing.iter("{http://www.w3.org/2000/svg}path"))) >= 60
    command("export", path, "-o", tmp_path / "g.png")
    picture = QImage(str(tmp_path / "g.png"))
    assert picture.width() == pytest.approx(658 * 300 / 96, abs=4)
    empty = tmp_path / "e.saltus"
    save(made.with_film()[0], empty)
    with pytest.raises(SystemExit) as left:
        run(["export", str(empty), "--what", "graph", "-o", str(tmp_path / "h.svg")])
    assert left.value.code == 2


def test_a_report_that_cannot_be_written_is_a_failure(measured_clip, tmp_path, capsys):
    """A folder that is not there: one line, exit code 1, nothing half written."""
    with pytest.raises(SystemExit) as left:
        run(["report", str(measured_clip[1]), "-o", str(tmp_path / "gone" / "s.pdf")])
    assert left.value.code == 1
    assert len(capsys.readouterr().err.splitlines()) == 1


def test_findings_in_the_window(window, measured_clip, tmp_path, qtbot, monkeypatch):
    """The page shows the film's frame, remarks join as one step of undo, files are written where asked."""
    notebook, path = measured_clip
    window.desk.start(notebook, path)
    window.go_to("findings")
    stage = window.findings
    qtbot.waitUntil(stage.has_picture)
    assert result_text(notebook) in stage._result.text()
    for word in ("Draught", "Draught from", "Draught from the door"):
        stage._remarks.setPlainText(word)
        qtbot.waitUntil(lambda w=word: window.desk.notebook.remarks == w)
    window.desk.undo()
    assert window.desk.notebook.remarks == ""
    stage._remarks.clearFocus()
    window.desk.redo()
    assert stage._remarks.toPlainText() == "Draught from the door"
    stage._who.setText("Lapwing group")
    stage._who.editingFinished.emit()
    for button, name in (
        (stage.pdf.click, "s.pdf"), (stage.csv.click, "r.csv"), (lambda: stage.save_table("motion"), "m.xlsx"),
        (lambda: stage.save_other("odt"), "s.odt"), (lambda: stage.save_other("html"), "s.html"),
        (lambda: stage.save_other("svg"), "g.svg"), (lambda: stage.save_other("png"), "g.png"),
        (stage.save_frame, "f.png"),
    ):  # fmt: skip
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, n=name, **_k: (str(tmp_path / n), ""))
        button()
        qtbot.waitUntil(lambda n=name: f"Written: {n}" in window.messages.text())
        qtbot.waitUntil(lambda: window.desk.tasks.idle)
        assert (tmp_path / name).stat().st_size > 500
    frame = QImage(str(tmp_path / "f.png"))
    assert (frame.width(), frame.height()) == (320, 180)
    assert "Draught from the door" in words_of(tmp_path / "s.pdf")
    printer = QPdfWriter(str(tmp_path / "printed.pdf"))
    document = sheet_document.sheet_pages(stage._sheet(), window.desk.take, None)
    assert sheet_document.print_pages(document, printer)
    assert result_text(notebook) in words_of(tmp_path / "printed.pdf")
    assert "Lapwing group" in words_of(tmp_path / "s.pdf")
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / "no" / "s.pdf"), "")
    )
    stage.pdf.click()
    qtbot.waitUntil(lambda: "could not be done" in window.messages.text())


def test_the_tour_shows_every_view(tmp_path):
    """Without a display every main view is drawn at 1280 × 800, none of them empty."""
    command_path = Path(sys.executable).with_name("saltus")
    done = subprocess.run(
        [command_path, "demo", "--tour", tmp_path / "tour"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert done.stderr == ""
    pictures = sorted((tmp_path / "tour").glob("*.png"))
    names = [p.stem[3:] for p in pictures]
    assert names[:6] == ["start", "film", "scale", "read", "motion", "many-films"]
    for path in pictures:
        image = QImage(str(path))
        assert (image.width(), image.height()) == (1280, 800)
        colours = {image.pixel(x, y) for x in range(0, 1280, 16) for y in range(0, 800, 16)}
        assert len(colours) > 40, path
    assert str(tmp_path / "tour") in done.stdout


def luminance(colour):
    """Relative luminance of a colour (WCAG 2)."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    red, green, blue = (p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(a, b):
    """Contrast ratio of two colours (WCAG 2)."""
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("tokens", [LIGHT, DARK], ids=["light", "dark"])
def test_text_can_be_read_on_every_ground(tokens):
    """Text, actions, the cursor and warnings have at least 4.5:1 on the grounds they stand on."""
    for ink in ("ink", "ink2", "ink3", "accent", "good", "warn", "cursor"):
        for ground in ("card", "panel"):
            assert contrast(tokens[ink], tokens[ground]) >= 4.5, (ink, ground)
    for ground in ("accsoft", "warnsoft"):
        assert contrast(tokens["ink"], tokens[ground]) >= 4.5
    assert contrast(tokens["onacc"], tokens["accent"]) >= 4.5
    assert contrast(tokens["onstage"], tokens["stage"]) >= 4.5
    for fill, _hatch, ink in SOURCES.values():
        assert contrast(ink, fill) >= 4.5
    for number in range(4):
        assert contrast(look(number).paper, LIGHT["card"]) >= 4.5
        assert contrast(look(number).stage, DARK["card"]) >= 4.5
    assert len({(look(n).shape, look(n).open) for n in range(8)}) == 8


@pytest.mark.usefixtures("qapp")
def test_a_page_breaks_without_losing_anything(tmp_path):
    """A sheet overfull with remarks runs over as many pages as it needs; hollow and odd graphs draw."""
    notebook = edits.set_remarks(
        made.measured(40)[0], "\n".join(f"line {i} of what was seen" for i in range(120))
    )
    sheet = describe(notebook, notebook.takes[0])
    document = sheet_document.sheet_pages(sheet, notebook.takes[0], None)
    assert document.count() >= 4
    sheet_document.write_pdf(document, tmp_path / "long.pdf", "long")
    assert "line 119 of what was seen" in words_of(tmp_path / "long.pdf")
    t = np.array([0.0, 1.0])
    chart = Chart(
        Label("t", "s"),
        Label("x", "m"),
        (Points(t, np.array([np.nan, 1.0]), t, 6, hollow=t > 0),),
        (Curve(t, t),),
    )
    figure = Drawn(QSizeF(300, 200), lambda p, box: draw_chart(p, box, chart, PAPER))
    assert not figure_image(figure, 1.0).isNull()
