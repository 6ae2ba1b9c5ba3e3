"""Which pieces to hang on for a round total, with the mass of the carrier counted."""

from __future__ import annotations

from dataclasses import dataclass

MOST_PIECES, MOST_SUMS = 40, 200_000


@dataclass(frozen=True)
class Load:
    """Pieces that make a total.

    Attributes
    ----------
    pieces : tuple of float
        Largest first, in the unit they were given in.
    total : float
        With the carrier.
    """

    pieces: tuple[float, ...]
    total: float


def load_for(wanted: float, carrier: float, pieces: list[float]) -> Load | None:
    """Choose the pieces whose total with the carrier comes nearest to what is wanted, the fewest of them.

    Parameters
    ----------
    wanted, carrier : float
        In one unit.
    pieces : list of float
        One for each piece there is; at most 40 are looked at.

    Returns
    -------
    Load or None
        None where the carrier alone is heavier than what is wanted.
    """
    if carrier > wanted * (1 + 1e-9):
        return None
    sums: dict[float, tuple[float, ...]] = {0.0: ()}
    room = wanted - carrier
    for piece in sorted(pieces, reverse=True)[:MOST_PIECES]:
        if piece <= 0:
            continue
        for total, chosen in list(sums.items()):
            new = round(total + piece, 9)
            if new <= room * (1 + 1e-9) + piece and len(sums) < MOST_SUMS:
                before = sums.get(new)
                if before is None or len(before) > len(chosen) + 1:
                    sums[new] = (*chosen, piece)
    best = min(sums, key=lambda s: (round(abs(s - room), 9), len(sums[s])))
    return Load(sums[best], best + carrier)
