"""A set formula as MathML, for pages and documents that set formulas themselves.

Source: Mathematical Markup Language (MathML) Version 3.0, W3C Recommendation.
"""

from __future__ import annotations

from typing import TYPE_CHECKING
from xml.sax.saxutils import escape

from saltus.core.notation.boxes import Applied, Below, Fraction, Group, Mean, Power, Root, Row, Value, Word

if TYPE_CHECKING:
    from saltus.core.notation.boxes import Box

NAMESPACE = "http://www.w3.org/1998/Math/MathML"


def as_mathml(box: Box, *, display: bool = False) -> str:
    """Write a set formula as a ``math`` element.

    Parameters
    ----------
    box : Box
    display : bool
        Whether it stands on a line of its own.
    """
    kind = "block" if display else "inline"
    return f'<math xmlns="{NAMESPACE}" display="{kind}">{_element(box)}</math>'


def _element(box: Box) -> str:  # noqa: C901, PLR0911  a case for each kind of piece
    match box:
        case Word(text, italic):
            return _word(text, italic)
        case Value(text, unit):
            tail = f"<mspace width='0.2em'/><mtext>{escape(unit)}</mtext>" if unit else ""
            return f"<mrow><mn>{escape(text)}</mn>{tail}</mrow>"
        case Row(parts):
            return f"<mrow>{''.join(_element(p) for p in parts)}</mrow>"
        case Below(base, mark):
            return f"<msub>{_element(base)}{_element(mark)}</msub>"
        case Power(base, power):
            return f"<msup>{_element(base)}{_element(power)}</msup>"
        case Fraction(above, below):
            return f"<mfrac>{_element(above)}{_element(below)}</mfrac>"
        case Root(inner):
            return f"<msqrt>{_element(inner)}</msqrt>"
        case Mean(inner):
            return f"<mover accent='true'>{_element(inner)}<mo stretchy='true'>&#xaf;</mo></mover>"
        case Applied(name, inner):
            gap = "" if isinstance(inner, Group) else "<mspace width='0.17em'/>"
            return f"<mrow><mi mathvariant='normal'>{escape(name)}</mi>{gap}{_element(inner)}</mrow>"
        case Group(inner, marks):
            return f"<mrow><mo>{marks[0]}</mo>{_element(inner)}<mo>{marks[1]}</mo></mrow>"


def _word(text: str, italic: bool) -> str:
    bare = escape(text.strip())
    if not bare:
        return "<mspace width='0.17em'/>"
    if italic:
        return f"<mi mathvariant='italic'>{bare}</mi>"
    if bare in ("+", "−", "·", "=", "/", ","):
        return f"<mo>{bare}</mo>"
    if bare.replace(".", "").isdigit():
        return f"<mn>{bare}</mn>"
    return f"<mi mathvariant='normal'>{bare}</mi>"
