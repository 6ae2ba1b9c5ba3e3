"""How many standard uncertainties, in words."""


def in_u(n: float) -> str:
    """So many standard uncertainties: one decimal while they are few."""
    return f"{n:.1f}" if n < 10 else f"{min(n, 99999):.0f}"
