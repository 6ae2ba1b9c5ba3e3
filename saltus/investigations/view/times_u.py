"""How many standard uncertainties, in words."""

from saltus.investigations.sentences import say

PARTS = (
    (0.05, "times-u.far-less"), (0.15, "times-u.tenth"), (0.28, "times-u.fifth"), (0.42, "times-u.third"),
    (0.6, "times-u.half"),
)  # fmt: skip
"""Up to how many standard uncertainties which words are true enough."""


def in_u(n: float) -> str:
    """So many standard uncertainties: one decimal while they are few."""
    return f"{n:.1f}" if n < 10 else f"{min(n, 99999):.0f}"


def part_of_u(n: float) -> str:
    """So many standard uncertainties in words, as in *a tenth of* or *1.4 times*."""
    code = next((code for least, code in PARTS if n < least), None)
    return say(code) if code is not None else say("times-u.times", n=in_u(n))
