"""For tests with files of strangers: what a sentence is, and an end for what does not end."""

import re
import signal

import pytest


def said(words):
    """A sentence for people: one line, not endless, with nothing of a library in it."""
    assert "\n" not in words
    assert len(words) < 600
    assert not re.search(r"Errno|Error\b|https?://|codec can't|Traceback|\.part", words), words


@pytest.fixture(autouse=True)
def ends_some_day():
    """Nothing here may wait for a pipe, or go through a pattern for ever."""

    def late(_number, _frame):
        raise AssertionError("it does not come to an end")

    before = signal.signal(signal.SIGALRM, late)
    signal.alarm(60)
    yield
    signal.alarm(0)
    signal.signal(signal.SIGALRM, before)
