"""Sentences for people go through here, so that they can be translated."""

import gettext
import os
from collections.abc import Mapping
from pathlib import Path
from string import Formatter
from typing import Self

LONGEST_VALUE = 400
_RAISED = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")
_catalogue: gettext.NullTranslations = gettext.NullTranslations()


def use_language(language: str | None) -> None:
    """Choose the language of all sentences.

    Parameters
    ----------
    language : str or None
        A locale name such as ``"de"``; None keeps the English of the source.
    """
    global _catalogue  # noqa: PLW0603  one language at a time is the point
    folder = Path(os.environ.get("SALTUS_LOCALE_DIR", Path(__file__).parent / "locale"))
    languages = [language] if language else []
    _catalogue = (
        gettext.translation("saltus", folder, languages, fallback=True)
        if languages
        else gettext.NullTranslations()
    )


def _(sentence: str) -> str:
    """Give the sentence in the chosen language.

    Parameters
    ----------
    sentence : str
        An English sentence of the source.
    """
    return _catalogue.gettext(sentence)


def one_line(text: str, most: int = LONGEST_VALUE) -> str:
    """Text as it may stand in a sentence: on one line, of characters that can be printed, and not endless.

    Parameters
    ----------
    text : str
        Such as the name of a file, which may hold anything.
    most : int
        Characters, the rest is cut.
    """
    if len(text) > most:
        text = text[: most - 1] + "…"
    return text if text.isprintable() else "".join(c if c.isprintable() else "\ufffd" for c in text)


class Sentence(str):
    """A sentence that still says what it is about.

    Attributes
    ----------
    code : str
        What is said, whatever the language; decisions hang on this, never on the words.
    values : dict
        The values that stand in it, by name.
    """

    __slots__ = ("code", "values")

    code: str
    values: dict[str, object]

    def __new__(cls, words: str, code: str, values: Mapping[str, object]) -> Self:
        """Keep with the words what they say."""
        made = super().__new__(cls, words)
        made.code, made.values = code, dict(values)
        return made

    def __getnewargs__(self) -> tuple[str, str, dict[str, object]]:  # type: ignore[override]
        return str(self), self.code, self.values


class _Number(float):
    """A number in a sentence: tiny and huge ones with a power of ten, never with an e."""

    def __format__(self, spec: str) -> str:
        number, power, tail = super().__format__(spec).partition("e")
        return f"{number}×10{str(int(tail)).translate(_RAISED)}" if power else number


def _told(value: object) -> object:
    """A value as it goes into a sentence."""
    if isinstance(value, str):
        return one_line(value)
    return _Number(value) if isinstance(value, float) else value


class Sentences:
    """All sentences of a package, by their codes: the one place where it has words.

    Parameters
    ----------
    of : dict
        Code to English sentence, with ``{names}`` where values stand; a pair of sentences for one and for
        many goes by the value ``n``.
    """

    def __init__(self, of: Mapping[str, str | tuple[str, str]]) -> None:
        self.of = of

    def names(self, code: str) -> set[str]:
        """Give the names of the values that stand in a sentence."""
        found = self.of[code]
        forms = found if isinstance(found, tuple) else (found,)
        named = {name for words in forms for _before, name, _spec, _turn in Formatter().parse(words) if name}
        return named | {"n"} if len(forms) > 1 else named

    def __call__(self, code: str, **values: object) -> Sentence:
        """Make the sentence of a code in the chosen language.

        Parameters
        ----------
        code : str
        **values
            What stands in it.

        Raises
        ------
        KeyError
            Where there is no such sentence, or a value of it is missing.
        """
        found = self.of[code]
        words = _catalogue.ngettext(*found, int(str(values["n"]))) if isinstance(found, tuple) else _(found)
        shown = {n: _told(v) for n, v in values.items()}
        return Sentence(words.format(**shown) if values else words, code, values)


def plural(one: str, many: str, count: int, **words: str) -> str:
    """Give the form of a sentence that goes with a count, with ``{n}`` filled in.

    Parameters
    ----------
    one, many : str
        The English forms; ``{n}`` stands for the count.
    count : int
    """
    return _catalogue.ngettext(one, many, count).format(n=count, **words)
