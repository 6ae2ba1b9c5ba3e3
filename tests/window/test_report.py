"""The sheet as a report: pages, tables, HTML and word processor files, for every investigation."""

import io
import itertools
import re
import zipfile
from xml.etree import ElementTree as ET

import pypdf
import pytest
from PyQt6.QtGui import QColor, QImage, QPainter

from saltus.core.formulas import parse
from saltus.core.notation.boxes import Fraction, read_symbol
from saltus.core.notation.setting import set_formula
from saltus.exchange.report import Answer, Equation, Heading, Pair, Paragraph, Report, Table, report_of
from saltus.exchange.sheet_data import Grid
from saltus.exchange.trials_sheet import describe_trials, sheet_of
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.recipe.recipe import FUNCTIONS
from saltus.printing.figures import figures
from saltus.printing.formula_painter import formula_image, lay
from saltus.printing.report_html import aligned, html_of, is_numeric
from saltus.printing.report_odt import odt_of
from saltus.printing.report_pages import HIGH, PAGE, pages_of
from saltus.printing.report_parts import TableLayout, split_number
from saltus.printing.sheet_document import write_pdf
from saltus.simulate.demo import demo_notebook
from saltus.simulate.trials import simulated_notebook
from saltus.ui.app.app import make_application
from saltus.ui.kit.span_view import SpanView

MATH = "{http://www.w3.org/1998/Math/MathML}math"
STYLE = "{urn:oasis:names:tc:opendocument:xmlns:style:1.0}"
TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"


pytestmark = pytest.mark.usefixtures("qapp", "_dressed")


@pytest.fixture
def _dressed():
    make_application(dark=False)


def report(name, *, worked=True):
    """The report of an investigation with simulated trials, and its figures."""
    notebook = simulated_notebook(recipe_named(name))
    notebook = notebook.but(findings=notebook.findings.but(substitution=worked))
    sheet = describe_trials(notebook, evaluate(notebook))
    drawn = figures(sheet, None, None)
    return report_of(sheet, set(drawn)), drawn


def placed(pages):
    """Parts of each page with where they begin and end, px from the upper margin at full size."""
    return [[(p.part, p.y, p.y + p.part.high) for p in page] for page in pages._pages]


@pytest.mark.parametrize("name", ids())
def test_no_page_tears_anything(name):
    """Nothing runs over a page, no heading stands last on one, and headings have the same space above."""
    made, drawn = report(name)
    pages = pages_of(made, drawn)
    high = HIGH / pages._scale
    spaces = set()
    for page in placed(pages):
        assert all(bottom <= high + 0.5 for _part, _top, bottom in page)
        assert all(top >= before for (_p, _t, before), (_q, top, _b) in itertools.pairwise(page))
        assert not page[-1][0].with_next, "what belongs to the next block stands last on a page"
        for (_part, _top, before), (part, top, _bottom) in itertools.pairwise(page):
            if part.before == 16.0:
                spaces.add(round(top - before, 3))
    assert spaces <= {16.0}
    assert pages.count() <= 2


def test_one_page_where_one_is_enough():
    """A short report that would run over by a few lines is set a little tighter."""
    made, drawn = report("falling-mass-inertia", worked=False)
    assert pages_of(made, drawn).count() == 1
    assert pages_of(Report("T", "b", (Paragraph("short"),)), {}).count() == 1


def test_long_tables_break_between_rows_only():
    """Eighty rows go over pages; two rows at least stay together at each end."""
    rows = tuple((f"{i}.{i:02d}", f"{i * 1.5:.1f}") for i in range(80))
    pages = pages_of(Report("T", "b", (Table(Grid(("a", "b"), rows), "Table 1. Long."),)), {})
    assert pages.count() == 2
    first, second = placed(pages)
    assert len(first) > 40
    assert len(second) >= 2


def test_numbers_stand_below_each_other_at_the_point():
    """Whatever their digits: the ink of a column of points lies in one line."""
    grid = Grid(("x",), (("1.25",), ("12.5 ± 0.3",), ("−103.75",), ("7",)))
    layout = TableLayout(grid, 400)
    pens = []

    class Pen(QPainter):
        def drawText(self, at, text):
            pens.append((text, at.x()))

    image = QImage(400, 100, QImage.Format.Format_RGB32)
    painter = Pen(image)
    for row in range(layout.rows):
        layout.row_part(row).paint(painter, 0, 0)
    painter.end()
    behind = [x for text, x in pens if text.startswith(".") or not text]
    assert len({round(x, 3) for x in behind}) == 1
    assert [split_number(t) for t in ("1.25", "steel", "12.5 ± 0.3", "3/3", "(1.2 ± 0.1)×10⁻⁵")] == [
        ("1", ".25"), None, ("12", ".5 ± 0.3"), ("3", "/3"), ("(1", ".2 ± 0.1)×10⁻⁵")]  # fmt: skip
    ends = [cell for cell in aligned(grid)[0] if "±" not in cell]
    assert {len(cell) - cell.replace("\u2007", "").find(".") for cell in ends[:1]}


@pytest.mark.parametrize("name", ["pendulum", "spin-drop", "level-launch"])
def test_html_holds_all_and_sets_formulas(name):
    """Every block is there, formulas as MathML with words for readers of screens, wide things scroll by themselves."""
    made, drawn = report(name)
    text = html_of(made, drawn)
    assert text.count("<h2>") == sum(isinstance(b, Heading) for b in flat(made.blocks))
    assert text.count("<math") == sum(isinstance(b, Equation | Answer) for b in flat(made.blocks))
    assert text.count("<table") == sum(isinstance(b, Table) for b in flat(made.blocks))
    assert "<mfrac>" in text
    assert "aria-label" in text
    assert "width=device-width" in text
    assert "@media print" in text
    assert not re.search(r"https?://(?!www\.w3\.org)", text), "nothing is fetched"
    assert re.search(r"Figure 1\. .+</figcaption>", text)


def flat(blocks):
    """Blocks, also those side by side."""
    for block in blocks:
        if isinstance(block, Pair):
            yield from flat((*block.left, *block.right))
        else:
            yield block


@pytest.mark.parametrize("name", ["pendulum", "falling-mass-inertia", "cord-jump"])
def test_odt_has_styles_and_formula_objects(name):
    """What a word processor opens: every paragraph has a named style, each formula is an object with its text."""
    made, drawn = report(name)
    packed = zipfile.ZipFile(io.BytesIO(odt_of(made, drawn)))
    first = packed.infolist()[0]
    assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
    content, styles = (ET.fromstring(packed.read(n)) for n in ("content.xml", "styles.xml"))
    known = {s.get(f"{STYLE}name") for s in (*styles.iter(f"{STYLE}style"), *content.iter(f"{STYLE}style"))}
    used = {
        p.get(f"{TEXT}style-name")
        for p in (*content.iter(f"{TEXT}p"), *content.iter(f"{TEXT}h"), *content.iter(f"{TEXT}span"))
    }
    assert used <= known
    formulas = [n for n in packed.namelist() if n.startswith("Formula") and n.endswith("content.xml")]
    assert len(formulas) == sum(isinstance(b, Equation) for b in flat(made.blocks))
    assert all(ET.fromstring(packed.read(n)).tag == MATH for n in formulas)
    manifest = packed.read("META-INF/manifest.xml").decode()
    assert all(n in manifest for n in packed.namelist() if n not in ("mimetype", "META-INF/manifest.xml"))
    titles = [t.text for t in content.iter("{urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0}title")]
    assert len(titles) >= len(formulas)


def test_markup_of_a_person_is_words():
    """What somebody types into remarks and claims is text on paper, in HTML and in ODT."""
    wild = "<b>&\u2028 \u0130 ]]> 5 < 6"
    made = Report(wild, wild, (Heading(wild), Paragraph(wild), Table(Grid((wild,), ((wild,),)), wild)))
    assert wild.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;") in html_of(made, {})
    content = zipfile.ZipFile(io.BytesIO(odt_of(made, {}))).read("content.xml")
    assert wild in "".join(ET.fromstring(content).itertext())
    image = QImage(int(PAGE.width()), int(PAGE.height()), QImage.Format.Format_RGB32)
    painter = QPainter(image)
    pages_of(made, {}).draw(painter, 0)
    painter.end()


def words_of(path):
    """All words of a PDF."""
    return " ".join(page.extract_text() for page in pypdf.PdfReader(path).pages)


def ink(image):
    """Box of what was painted on a clear picture, px."""
    spots = [
        (x, y)
        for x in range(image.width())
        for y in range(image.height())
        if image.pixelColor(x, y).alpha() > 40
    ]
    xs, ys = zip(*spots, strict=True)
    return min(xs), min(ys), max(xs) + 1, max(ys) + 1


@pytest.mark.parametrize("text", [
    "4*pi^2/slope", "m*r*(g - r*a)/a", "sqrt(a/(b + c^2))", "abs(a - b)^2", "combine(w/(w - v))", "a/(b/(c/d))", "-x/y^2",
    "exp(a*b)", "sin(2*a)/cos(a)", "(a + b)*(c - d)",
])  # fmt: skip
def test_a_formula_stays_in_the_box_it_was_laid_in(text):
    """Nothing is painted outside its width and height, and hardly any of it is left empty."""
    box = set_formula(parse(text, FUNCTIONS).tree, lambda name: read_symbol(name if len(name) == 1 else "s"))
    image, laid = formula_image(box, 24.0, QColor("black"), 2.0)
    left, top, right, bottom = ink(image)
    assert left > 0
    assert top > 0
    assert right < image.width()
    assert bottom < image.height()
    assert image.width() == round((laid.wide + 4) * 2)
    assert right - left > 0.82 * 2 * laid.wide
    assert bottom - top > 0.8 * 2 * (laid.up + laid.down)


def test_a_fraction_stands_on_its_line():
    """Numerator over the stroke, denominator under it, both in the middle; a power is smaller and higher."""
    wide = lay(read_symbol("abc"), 20.0)
    fraction = lay(Fraction(read_symbol("x"), read_symbol("abc")), 20.0)
    assert fraction.wide > wide.wide
    assert fraction.up > wide.up
    assert fraction.down > wide.down
    power = lay(read_symbol("x^2"), 20.0)
    assert power.up > lay(read_symbol("x"), 20.0).up
    low = lay(read_symbol("x_2"), 20.0)
    assert low.down > lay(read_symbol("x"), 20.0).down


def test_the_pdf_says_what_the_sheet_says(tmp_path):
    """Headings, captions, result and comparison can be read out of the PDF, in their order."""
    made, drawn = report("pendulum")
    write_pdf(pages_of(made, drawn), tmp_path / "s.pdf", "s")
    words = re.sub(r"\s+", " ", words_of(tmp_path / "s.pdf"))
    for one in ("Result", "Method", "Figure 1.", "Table 1.", "What limits the result", "Comparison", "1 of "):
        assert one in words, one
    assert (
        words.index("Result") < words.index("Method") < words.index("Figure 1.") < words.index("Comparison")
    )
    assert "free-fall acceleration" in words.lower()


def test_a_span_names_both_ends(window):
    """The bar of the wheel's inertia is told to who cannot see it, and goes where there is none."""
    window.desk.start(simulated_notebook(recipe_named("falling-mass-inertia")))
    window.go_to("graph")
    span = window.graph.findChild(SpanView)
    assert span.isVisible()
    assert "all its mass at the axis" in span.accessibleName()
    assert "0.008 kg·m²" in span.accessibleName()
    window.desk.start(simulated_notebook(recipe_named("pendulum")))
    assert not span.isVisible()


def test_no_page_is_left_half_empty_where_a_lower_graph_mends_it():
    """Picture and graph of a film stand on one page; columns that hold words too begin in one line."""
    notebook = demo_notebook("open-day")
    sheet = sheet_of(notebook, notebook.takes[0], of_trials=False)
    picture = QImage(640, 360, QImage.Format.Format_RGB32)
    picture.fill(QColor("grey"))
    drawn = figures(sheet, notebook.takes[0], picture)
    pages = pages_of(report_of(sheet, set(drawn)), drawn)
    assert pages.gap() < 0.2
    assert pages.count() == 2
    facts = next(
        b.grid
        for b in flat(report_of(sheet, set(drawn)).blocks)
        if isinstance(b, Table) and b.grid == sheet.facts
    )
    assert not is_numeric(facts, 1)
    assert [c.number for row in TableLayout(facts, 400)._cells for c in row[1:]] == [False] * len(facts.rows)
    assert is_numeric(sheet.readings, 2)
