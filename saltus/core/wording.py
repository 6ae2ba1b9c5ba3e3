"""Sentences for people go through here, so that they can be translated."""

import gettext
import os
from pathlib import Path

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


def plural(one: str, many: str, count: int, **words: str) -> str:
    """Give the form of a sentence that goes with a count, with ``{n}`` filled in.

    Parameters
    ----------
    one, many : str
        The English forms; ``{n}`` stands for the count.
    count : int
    """
    return _catalogue.ngettext(one, many, count).format(n=count, **words)
