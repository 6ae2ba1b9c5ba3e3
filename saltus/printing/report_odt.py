"""A report as a document for word processors: named styles to be edited, formulas as formula objects.

Source: Open Document Format for Office Applications (OpenDocument) Version 1.2, OASIS Standard.
"""

from __future__ import annotations

import io
import zipfile
from typing import TYPE_CHECKING, Literal
from xml.sax.saxutils import escape, quoteattr

from saltus.core.notation.boxes import Word
from saltus.core.notation.line import as_text, runs
from saltus.core.notation.mathml import as_mathml
from saltus.exchange.report import Answer, Equation, EquationRow, Figure, Heading, Pair, Paragraph, Table
from saltus.printing.figures import png_of
from saltus.printing.formula_painter import lay
from saltus.printing.report_html import aligned, is_numeric
from saltus.printing.report_pages import WIDTH
from saltus.printing.report_parts import COLUMN_AIR, TableLayout

if TYPE_CHECKING:
    from collections.abc import Mapping

    from saltus.core.notation.boxes import Box
    from saltus.exchange.report import Block, Report
    from saltus.exchange.sheet_data import Grid
    from saltus.printing.figures import Drawn

_NAMES = (
    'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    'xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0" '
    'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" '
    'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" '
    'xmlns:draw="urn:oasis:names:tc:opendocument:xmlns:drawing:1.0" '
    'xmlns:fo="urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0" '
    'xmlns:svg="urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0" '
    'xmlns:xlink="http://www.w3.org/1999/xlink" '
    'xmlns:dc="http://purl.org/dc/elements/1.1/" office:version="1.2"'
)
_MIME = "application/vnd.oasis.opendocument"
_FONT = "Source Serif 4"
_FONT_FACE = (
    f'<office:font-face-decls><style:font-face style:name="{_FONT}" svg:font-family="&apos;{_FONT}&apos;" '
    'style:font-family-generic="roman" style:font-pitch="variable"/></office:font-face-decls>'
)
ROOMY = 1.22
"""Columns are a little wider than here: the font may be another one there."""
CM_PER_PX = 2.54 / 96
EQUATION_SIZE = 16.0


def odt_of(report: Report, figures: Mapping[str, Drawn]) -> bytes:
    """Write a report as ODT, figures as pictures of 300 dots per inch.

    Parameters
    ----------
    report : Report
    figures : mapping of str to Drawn
    """
    writer = _Writer(figures)
    body = "".join(writer.block(block) for block in report.blocks)
    title = f'<text:h text:style-name="Title" text:outline-level="1">{escape(report.title)}</text:h>'
    by = _p("Subtitle", escape(report.byline))
    content = (
        f'<?xml version="1.0" encoding="UTF-8"?><office:document-content {_NAMES}>'
        f"{_FONT_FACE}<office:automatic-styles>{_TABLE_STYLES}{''.join(writer.width_styles.values())}"
        "</office:automatic-styles>"
        f"<office:body><office:text>{title}{by}{body}</office:text></office:body></office:document-content>"
    )
    files = {"content.xml": content.encode(), "styles.xml": _STYLES.encode(), "meta.xml": _meta(report.title)}
    files |= writer.files
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        # the type stands first and bare, so that it can be told without unpacking
        packed.writestr(zipfile.ZipInfo("mimetype"), f"{_MIME}.text")
        packed.writestr("META-INF/manifest.xml", _manifest(files))
        for name, data in files.items():
            packed.writestr(name, data)
    return out.getvalue()


class _Writer:
    """Writes blocks, and keeps the pictures and formulas they show."""

    def __init__(self, figures: Mapping[str, Drawn]) -> None:
        self._figures = figures
        self.files: dict[str, bytes] = {}
        self.width_styles: dict[str, str] = {}
        self._count = 0

    def block(self, block: Block) -> str:  # noqa: PLR0911  a case for each kind of block
        match block:
            case Heading(text):
                return f'<text:h text:style-name="Heading" text:outline-level="2">{escape(text)}</text:h>'
            case Paragraph(text, quiet):
                return _p("Quiet" if quiet else "Text_20_body", escape(text))
            case Answer(equation, words):
                return _p("Answer", _spans(equation)) + _p("Quiet", escape(words))
            case Equation(words, box):
                about = _p("Text_20_body", f"{escape(words)}:") if words else ""
                return about + _p("Equation", self._formula(box))
            case EquationRow(boxes):
                return _p("Equation", "<text:tab/>".join(self._formula(box) for box in boxes))
            case Table(grid, caption):
                named = _p("Caption", escape(caption)) if caption else ""
                return named + self._table(grid)
            case Figure(name, caption):
                named = _p("Caption", escape(caption)) if caption else ""
                return _p("Figure", self._picture(self._figures[name], caption)) + named
            case Pair(left, right):
                return "".join(self.block(b) for side in (left, right) for b in side)

    def _picture(self, drawn: Drawn, caption: str) -> str:
        self._count += 1
        name = f"Pictures/figure-{self._count}.png"
        self.files[name] = png_of(drawn, 300 / 96)
        image = f'<draw:image xlink:href="{name}" xlink:type="simple"/>'
        return self._frame(drawn.size.width(), drawn.size.height(), image, drawn.words or caption)

    def _formula(self, box: Box) -> str:
        self._count += 1
        folder = f"Formula {self._count}"
        head = '<?xml version="1.0" encoding="UTF-8"?>'
        self.files[f"{folder}/content.xml"] = f"{head}{as_mathml(box, display=True)}".encode()
        laid = lay(box, EQUATION_SIZE)
        held = f'<draw:object xlink:href="./{folder}" xlink:type="simple" xlink:show="embed"/>'
        return self._frame(laid.wide + 6, laid.up + laid.down + 4, held, as_text(box))

    def _frame(self, wide: float, high: float, inner: str, words: str) -> str:
        size = f'svg:width="{wide * CM_PER_PX:.3f}cm" svg:height="{high * CM_PER_PX:.3f}cm"'
        name = f'draw:name="Object {self._count}"'
        told = f"<svg:title>{escape(words)}</svg:title>" if words else ""
        return f'<draw:frame {name} text:anchor-type="as-char" {size}>{inner}{told}</draw:frame>'

    def _width_style(self, part: Literal["table", "column"], wide: float) -> str:
        """The style of a table or a column of a width in px, made where it is new."""
        name, size = f"{part.title()}{round(wide)}", f"{wide * CM_PER_PX * ROOMY:.3f}cm"
        family = "table" if part == "table" else "table-column"
        held = (
            f'style:width="{size}" table:align="left" style:may-break-between-rows="false"'
            if part == "table"
            else f'style:column-width="{size}"'
        )
        self.width_styles[name] = (
            f'<style:style style:name="{name}" style:family="{family}">'
            f"<style:{family}-properties {held}/></style:style>"
        )
        return name

    def _table(self, grid: Grid) -> str:
        self._count += 1
        columns = aligned(grid)
        numeric = [is_numeric(grid, i) for i in range(len(columns))]
        head = "".join(
            _cell("HeadCell", "Table_20_Heading_20_Number" if numeric[i] else "Table_20_Heading", _head(h))
            for i, h in enumerate(grid.head)
        )
        rows = "".join(
            "<table:table-row>"
            + "".join(
                _cell(
                    "LastCell" if r == len(grid.rows) - 1 and grid.head else "Cell",
                    "Table_20_Number" if numeric[i] else "Table_20_Contents",
                    _head(grid.names[r]) if i == 0 and r < len(grid.names) else escape(columns[i][r]),
                )
                for i in range(len(columns))
            )
            + "</table:table-row>"
            for r in range(len(grid.rows))
        )
        top = f"<table:table-header-rows><table:table-row>{head}</table:table-row></table:table-header-rows>"
        widths = [wide + COLUMN_AIR for wide in TableLayout(grid, WIDTH).widths]
        shape = "".join(
            f'<table:table-column table:style-name="{self._width_style("column", wide)}"/>' for wide in widths
        )
        name = quoteattr(f"Table {self._count}")
        style = self._width_style("table", sum(widths))
        opened = f'<table:table table:name={name} table:style-name="{style}">'
        return f"{opened}{shape}{top if head else ''}{rows}</table:table>" + (
            _p("Quiet", escape(grid.note)) if grid.note else ""
        )


def _p(style: str, inner: str) -> str:
    return f'<text:p text:style-name="{style}">{inner}</text:p>'


def _cell(style: str, words: str, inner: str) -> str:
    return (
        f'<table:table-cell table:style-name="{style}" office:value-type="string">{_p(words, inner)}'
        "</table:table-cell>"
    )


def _head(head: str | Box) -> str:
    return escape(head) if isinstance(head, str) else _spans(head)


def _spans(box: Box) -> str:
    """A formula along one line, with spans for italic, high and low letters."""
    if isinstance(box, Word) and not box.italic:
        return escape(box.text)
    out = ""
    for run in runs(box):
        style = {1: "High", -1: "Low"}.get(run.shift, "Symbol" if run.italic else "")
        text = escape(run.text).replace("  ", ' <text:s text:c="1"/>')
        out += f'<text:span text:style-name="{style}">{text}</text:span>' if style else text
    return out


def _meta(title: str) -> bytes:
    return (
        f'<?xml version="1.0" encoding="UTF-8"?><office:document-meta {_NAMES}><office:meta>'
        f"<dc:title>{escape(title)}</dc:title></office:meta></office:document-meta>"
    ).encode()


def _manifest(files: Mapping[str, bytes]) -> str:
    space = "urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"
    kinds = {"png": "image/png", "xml": "text/xml"}
    entries = [f'<m:file-entry m:full-path="/" m:version="1.2" m:media-type="{_MIME}.text"/>']
    entries += [
        f'<m:file-entry m:full-path="{name.rsplit("/", 1)[0]}/" m:media-type="{_MIME}.formula"/>'
        for name in files
        if name.startswith("Formula")
    ]
    entries += [
        f'<m:file-entry m:full-path="{name}" m:media-type="{kinds[name.rsplit(".", 1)[1]]}"/>'
        for name in files
    ]
    return (
        f'<?xml version="1.0" encoding="UTF-8"?><m:manifest xmlns:m="{space}" m:version="1.2">'
        f"{''.join(entries)}</m:manifest>"
    )


def _style(name: str, parent: str, paragraph: str, text: str, shown: str = "") -> str:
    known = f' style:display-name="{shown}"' if shown else ""
    above = f' style:parent-style-name="{parent}"' if parent else ""
    return (
        f'<style:style style:name="{name}"{known} style:family="paragraph"{above} style:class="text">'
        f"<style:paragraph-properties {paragraph}/><style:text-properties {text}/></style:style>"
    )


_RULE = "0.5pt solid #8a958f"
_TABLE_STYLES = "".join(
    f'<style:style style:name="{name}" style:family="table-cell"><style:table-cell-properties '
    f'fo:padding="0.03cm" {border}/></style:style>'
    for name, border in (
        ("Cell", ""),
        ("HeadCell", f'fo:border-top="{_RULE}" fo:border-bottom="{_RULE}"'),
        ("LastCell", f'fo:border-bottom="{_RULE}"'),
    )
)
_KEEP = 'fo:keep-with-next="always"'
_GREY = 'fo:color="#58655f" fo:font-size="9.5pt"'
_STYLES = (
    f'<?xml version="1.0" encoding="UTF-8"?><office:document-styles {_NAMES}>{_FONT_FACE}<office:styles>'
    '<style:default-style style:family="paragraph"><style:text-properties '
    f'style:font-name="{_FONT}" fo:font-size="11pt" fo:color="#15201f"/></style:default-style>'
    + _style("Standard", "", "", "")
    + _style("Text_20_body", "Standard", 'fo:margin-bottom="0.12cm" fo:line-height="122%"', "", "Text body")
    + _style("Title", "Standard", 'fo:margin-bottom="0cm"', 'fo:font-size="20pt" fo:font-weight="bold"')
    + _style("Subtitle", "Standard", f'fo:margin-bottom="0.2cm" fo:border-bottom="{_RULE}"', _GREY)
    + _style("Heading", "Standard", f'fo:margin-top="0.45cm" fo:margin-bottom="0.1cm" {_KEEP}',
             'fo:font-size="13pt" fo:font-weight="bold"')
    + _style("Answer", "Standard", f'fo:margin-bottom="0.05cm" {_KEEP}',
             'fo:font-size="17pt" fo:font-weight="bold"')
    + _style("Quiet", "Standard", 'fo:margin-bottom="0.12cm"', _GREY)
    + _style("Caption", "Standard", f'fo:margin-top="0.3cm" fo:margin-bottom="0.1cm" {_KEEP}', _GREY)
    + _style("Figure", "Standard", f'fo:margin-top="0.3cm" {_KEEP}', "")
    + _style("Equation", "Standard", 'fo:margin-left="0.6cm" fo:margin-bottom="0.15cm"', "")
    + _style("Table_20_Contents", "Standard", 'fo:margin-right="0.35cm"', 'fo:font-size="10pt"',
             "Table Contents")
    + _style("Table_20_Number", "Table_20_Contents", 'fo:text-align="end"', "", "Table Number")
    + _style("Table_20_Heading", "Table_20_Contents", _KEEP, 'fo:font-weight="bold"', "Table Heading")
    + _style("Table_20_Heading_20_Number", "Table_20_Heading", 'fo:text-align="end"', "",
             "Table Heading Number")
    + "".join(
        f'<style:style style:name="{name}" style:family="text"><style:text-properties {how}/></style:style>'
        for name, how in (
            ("Symbol", 'fo:font-style="italic"'),
            ("High", 'style:text-position="super 65%"'),
            ("Low", 'style:text-position="sub 65%"'),
        )
    )
    + '</office:styles><office:automatic-styles><style:page-layout style:name="A4">'
    '<style:page-layout-properties fo:page-width="21cm" fo:page-height="29.7cm" fo:margin="2cm"/>'
    '</style:page-layout></office:automatic-styles><office:master-styles>'
    '<style:master-page style:name="Standard" style:page-layout-name="A4"/></office:master-styles>'
    "</office:document-styles>"
)  # fmt: skip
