"""A report as one HTML file: reads well on a phone, prints well, formulas set by the browser."""

from __future__ import annotations

import base64
from html import escape
from typing import TYPE_CHECKING

from saltus.core.notation.line import as_text
from saltus.core.notation.mathml import as_mathml
from saltus.exchange.report import Answer, Equation, EquationRow, Figure, Heading, Pair, Paragraph, Table
from saltus.printing.figures import png_of, svg_of
from saltus.printing.report_parts import first_html, head_html, split_number
from saltus.printing.tokens import SANS

if TYPE_CHECKING:
    from collections.abc import Mapping

    from saltus.core.notation.boxes import Box
    from saltus.exchange.report import Block, Report
    from saltus.exchange.sheet_data import Grid
    from saltus.printing.figures import Drawn

FIGURE_SPACE = "\u2007"
"""As wide as a digit: puts decimals below each other where nothing else can."""
_STYLE = """
:root{color-scheme:light}
body{font:1rem/1.45 'Source Serif 4',Georgia,serif;color:#15201f;background:#fff;max-width:44rem;
margin:2rem auto;padding:0 1rem}
h1{font-size:1.7rem;margin:0}h2{font-size:1.12rem;margin:1.5rem 0 .4rem;break-after:avoid}
p{margin:.35rem 0}.by,.quiet,figcaption,caption{color:#58655f;font-size:.9rem}
header{border-bottom:1px solid #8a958f;padding-bottom:.5rem}
.answer{font-size:1.5rem;font-weight:600;margin:.3rem 0}
figure{margin:1rem 0;break-inside:avoid}figure svg,figure img{max-width:100%;height:auto;display:block}
figure svg{overflow:visible}
.wide{overflow-x:auto}
table{border-collapse:collapse;margin:.5rem 0;break-inside:avoid;
font-variant-numeric:lining-nums tabular-nums}
caption{text-align:left;padding-bottom:.3rem}
th,td{padding:.12rem 1.1rem .12rem 0;text-align:left;vertical-align:baseline;white-space:nowrap}
th.n,td.n{text-align:right}
thead th{border-top:1px solid #8a958f;border-bottom:1px solid #8a958f;font-weight:600}
thead+tbody tr:last-child td{border-bottom:1px solid #8a958f}
.equation{margin:.4rem 0 .4rem 1.4rem;overflow:auto hidden}math{font-size:1.08em}
.pair{display:flex;flex-wrap:wrap;gap:0 2.2rem}.pair>div{flex:1 1 18rem}
@media print{body{margin:0 auto;font-size:11pt}.wide,.equation{overflow:visible}}
"""


def html_of(report: Report, figures: Mapping[str, Drawn]) -> str:
    """Write a report as HTML.

    Parameters
    ----------
    report : Report
    figures : mapping of str to Drawn
    """
    body = "".join(_block(block, figures) for block in report.blocks)
    return (
        "<!doctype html><html lang='en'><head><meta charset='utf-8'/>"
        "<meta name='viewport' content='width=device-width,initial-scale=1'/>"
        f"<title>{escape(report.title)}</title><style>{_STYLE}</style></head><body>"
        f"<header><h1>{escape(report.title)}</h1><p class='by'>{escape(report.byline)}</p></header>"
        f"{body}</body></html>"
    )


def _block(block: Block, figures: Mapping[str, Drawn]) -> str:  # noqa: PLR0911  a case for each kind
    match block:
        case Heading(text):
            return f"<h2>{escape(text)}</h2>"
        case Paragraph(text, quiet):
            return f"<p{' class=quiet' if quiet else ''}>{escape(text)}</p>"
        case Answer(equation, words):
            return f"<p class='answer'>{_math(equation)}</p><p class='quiet'>{escape(words)}</p>"
        case Equation(words, box):
            about = f"<p>{escape(words)}:</p>" if words else ""
            return f"{about}<div class='equation'>{_math(box, display=True)}</div>"
        case EquationRow(boxes):
            return f"<div class='equation'>{'&emsp;&emsp;'.join(_math(box) for box in boxes)}</div>"
        case Table(grid, caption):
            return _table(grid, caption)
        case Figure(name, caption):
            return _figure(figures[name], caption)
        case Pair(left, right):
            sides = ("".join(_block(b, figures) for b in side) for side in (left, right))
            return f"<div class='pair'>{''.join(f'<div>{side}</div>' for side in sides)}</div>"


def _math(box: Box, *, display: bool = False) -> str:
    opened = f"<math aria-label='{escape(as_text(box), quote=True)}'"
    return as_mathml(box, display=display).replace("<math", opened, 1)


def _figure(drawn: Drawn, caption: str) -> str:
    words = escape(drawn.words or caption, quote=True)
    if drawn.raster:
        data = base64.b64encode(png_of(drawn, 2.0)).decode()
        inner = f"<img alt='{words}' src='data:image/png;base64,{data}'/>"
    else:
        svg = svg_of(drawn).decode().replace(f'"{SANS}"', f'"{SANS}, Arial, Helvetica, sans-serif"')
        inner = f"<div role='img' aria-label='{words}'>{svg[svg.index('<svg') :]}</div>"
    tail = f"<figcaption>{escape(caption)}</figcaption>" if caption else ""
    return f"<figure>{inner}{tail}</figure>"


def _table(grid: Grid, caption: str) -> str:
    columns = aligned(grid)
    numeric = [is_numeric(grid, i) for i in range(len(columns))]
    head = "".join(
        f"<th{' class=n' if i < len(numeric) and numeric[i] else ''}>{head_html(h)}</th>"
        for i, h in enumerate(grid.head)
    )
    rows = "".join(
        "<tr>"
        + "".join(
            f"<td{' class=n' if numeric[i] else ''}>"
            f"{first_html(grid, r, columns[i][r]) if i == 0 else escape(columns[i][r])}</td>"
            for i in range(len(columns))
        )
        + "</tr>"
        for r in range(len(grid.rows))
    )
    named = f"<caption>{escape(caption)}</caption>" if caption else ""
    note = f"<p class='quiet'>{escape(grid.note)}</p>" if grid.note else ""
    top = f"<thead><tr>{head}</tr></thead>" if head else ""
    return f"<div class='wide'><table>{named}{top}<tbody>{rows}</tbody></table></div>{note}"


def is_numeric(grid: Grid, column: int) -> bool:
    """Whether all cells of a column that are not empty are numbers."""
    cells = [row[column] for row in grid.rows if column < len(row) and row[column]]
    return bool(cells) and all(split_number(cell) is not None for cell in cells)


def aligned(grid: Grid) -> list[list[str]]:
    """Columns of cells whose numbers end alike: padded with spaces as wide as digits behind the point."""
    wide = max((len(row) for row in grid.rows), default=0)
    columns = []
    for i in range(wide):
        cells = [row[i] if i < len(row) else "" for row in grid.rows]
        splits = [split_number(cell) if is_numeric(grid, i) else None for cell in cells]
        most = max((len(s[1]) for s in splits if s is not None), default=0)
        columns.append(
            [
                cell if s is None else cell + FIGURE_SPACE * (most - len(s[1]))
                for cell, s in zip(cells, splits, strict=True)
            ]
        )
    return columns
