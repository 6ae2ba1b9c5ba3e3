"""How many standard uncertainties, in words."""

from saltus.investigations.sentences import say


def in_u(n: float) -> str:
    """So many standard uncertainties: one decimal while they are few."""
    return f"{n:.1f}" if n < 10 else f"{min(n, 99999):.0f}"


def part_of_u(n: float) -> str:
    """So many standard uncertainties in words, as in *a tenth of* or *1.4 times*."""
    named = ((0.05, "far-less"), (0.15, "tenth"), (0.28, "fifth"), (0.42, "third"), (0.6, "half"))
    code = next((word for least, word in named if n < least), None)
    return say(f"times-u.{code}") if code is not None else say("times-u.times", n=in_u(n))
