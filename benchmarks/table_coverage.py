"""How often stated 95 % intervals hold the truth, for every investigation; honest tables accused, slips found.

Usage: table_coverage.py OUT.md [TABLES] [recipes]. Simulated tables with truth, givens and noise drawn anew each time;
with ``recipes`` the other parts of OUT.md stay as they are.
"""

import math
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import combined
import motion_coverage
import numpy as np
import swings

from saltus.core.lines.off_the_line import against_others
from saltus.core.lines.straight import Line
from saltus.investigations.engine.run import run
from saltus.investigations.judgement.doubts import level_of
from saltus.investigations.judgement.mistake_words import one_row_changes
from saltus.investigations.judgement.slips import recognise
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.recipe.mistakes import MISTAKES
from saltus.investigations.recipe.recipe import Slip
from saltus.investigations.table.trials import read_trials
from saltus.simulate.slipped import slipped
from saltus.simulate.tables import simulated_table

TABLES = int(sys.argv[2]) if len(sys.argv) > 2 else 1000
SLIPPED, SCATTER = max(TABLES // 50, 20), max(TABLES // 3, 20)
FURTHER = "\n## Values that are combined"


def judged(recipe, trials, givens):
    """An outcome and all that is told of it."""
    outcome = run(recipe, trials, givens)
    return outcome, [*outcome.warnings, *recognise(outcome, trials, givens)]


def told_slips(recipe, table):
    """Slips that are told of a table, and its outcome."""
    outcome, told = judged(recipe, read_trials(recipe.id, table.columns, recipe), table.givens)
    return {t.slip for t in told if t.slip}, outcome


def held(recipe):
    """Hits and intervals by result and basis, and honest tables with a slip by basis."""
    counts, accused = {}, {True: 0, False: 0}
    for states_u in (True, False):
        for seed in range(1, (TABLES if states_u else SCATTER) + 1):
            table = simulated_table(recipe, seed, states_u=states_u)
            slips, outcome = told_slips(recipe, table)
            accused[states_u] += bool(slips)
            for name, truth in table.expected.items():
                q = outcome.results.get(name)
                if q is not None and math.isfinite(float(q.u)):
                    hits, of = counts.get((name, states_u), (0, 0))
                    counts[name, states_u] = (hits + (abs(float(q) - truth) <= q.U95), of + 1)
    return counts, accused


def slips_of(recipe):
    """The slips of a recipe: its own, and what is easily done wrong with each of its columns and givens."""
    own = [(f"{s.slip} ({', '.join(s.undo)})", s) for s in recipe.slips if not s.row]
    for name, typed in recipe.typed.items():
        for wrong in typed.mistakes if name != "g" else ():
            mistake = MISTAKES[wrong]
            own.append((f"{wrong} ({name})", Slip(mistake.slip, "", {name: mistake.undone(name)})))
    return own


def found_of(recipe):
    """Hits and tables for each slip made in whole columns."""
    seen = {}
    for label, slip in slips_of(recipe):
        hits = tried = 0
        for seed in range(1, SLIPPED + 1):
            for other in (None, *range(len(recipe.example.get("other", [])))):
                if other is None and slip.slip == "wrong-angle-zero":
                    continue
                made = slipped(simulated_table(recipe, seed, other=other), recipe, slip)
                if made is not None:
                    tried += 1
                    hits += slip.slip in told_slips(recipe, made)[0]
                    break
        if tried:
            before = seen.get(label, (0, 0))
            seen[label] = (before[0] + hits, before[1] + tried)
    return seen


def one_row(recipe):
    """Slips of one level whose shift exceeds 1.5 times the limit: how many there were, the level and slip named."""
    rng = np.random.default_rng(5)
    tried = levels = slips = 0
    for seed in range(1, 4 * SLIPPED + 1):
        table = simulated_table(recipe, seed)
        trials = read_trials(recipe.id, table.columns, recipe)
        outcome = run(recipe, trials, table.givens)
        line = next(iter(outcome.fits.values()), None)
        if not isinstance(line, Line):
            return 0, 0, 0
        rows = outcome.line_rows[int(rng.integers(len(outcome.line_rows)))]
        changes = list(one_row_changes(recipe, outcome))
        change = changes[int(rng.integers(len(changes)))]
        values = change.applied(trials, rows)
        if values is None:
            continue
        wrong = trials.with_values(change.name, values)
        try:
            outcome, told = judged(recipe, wrong, table.givens)
        except ArithmeticError:
            continue
        line = next(iter(outcome.fits.values()), None)
        point = next((p for p, r in enumerate(outcome.line_rows) if rows[0] in r), None)
        one = against_others(line, point) if isinstance(line, Line) and point is not None else None
        if one is None or one.in_u <= 1.5 * one.limit:
            continue
        tried += 1
        at = [t for t in told if t.level == level_of(outcome, int(rows[0]))]
        levels += any(t.slip == "off-the-line" for t in at)
        slips += any(t.slip == change.slip for t in at)
    return tried, levels, slips


def measure(recipe_id):
    """Everything of one investigation."""
    recipe = recipe_named(recipe_id)
    return recipe_id, *held(recipe), found_of(recipe), one_row(recipe)


def recipe_lines():
    """Tables of all investigations: what held, what was found."""
    lines = [
        "# Coverage and slips\n",
        f"Made by `benchmarks/table_coverage.py` from {TABLES} simulated tables of each investigation with stated",
        f"uncertainties and {SCATTER} without (then results rest on scatter), and {SLIPPED} tables for each slip.",
        "A share of 1000 has a standard error of 0.7 %, one of 333 of 1.2 %. *Accused*: honest tables of which any",
        "warning names a slip, an odd value or a point off the line. Followed readings: [following.md](following.md).\n",
        "| investigation | result | held, stated | held, from scatter | accused, stated | accused, from scatter |",
        "|---|---|---|---|---|---|",
    ]
    found, unseen = [], []
    rows = ["\n## Slips of one level, shifted by more than 1.5 times the limit\n",
            "| investigation | tables | level named | slip named |", "|---|---|---|---|"]  # fmt: skip
    with ProcessPoolExecutor(2) as pool:
        for recipe_id, counts, accused, seen, (tried, levels, slips) in pool.map(measure, ids()):
            for name in dict.fromkeys(name for name, _states in counts):
                shares = [f"{100 * h / n:.1f} %" if n else "–" for h, n in
                          (counts.get((name, states), (0, 0)) for states in (True, False))]  # fmt: skip
                lines.append(
                    f"| {recipe_id} | {name} | {shares[0]} | {shares[1]} | {accused[True]} | {accused[False]} |"
                )
            good = [f"{n} {h} of {t}" for n, (h, t) in seen.items() if h >= 0.95 * t]
            poor = [f"{n} {h} of {t}" for n, (h, t) in seen.items() if h < 0.95 * t]
            found.append(f"| {recipe_id} | {'; '.join(good) or '–'} |")
            unseen += [f"| {recipe_id} | {'; '.join(poor)} |"] if poor else []
            if tried:
                rows.append(f"| {recipe_id} | {tried} | {levels} | {slips} |")
            print(recipe_id, accused, poor, tried, levels, slips, flush=True)
    head = ["| investigation | slip (column or given) |", "|---|---|"]
    told = ["\n## Slips in whole columns that are recognised\n", *head, *found]
    told += ["\n## Slips that the data of these examples cannot show, or seldom\n", *head, *unseen]
    return lines, [*told, *rows]


def further_lines():
    """The parts that are not about tables of trials."""
    out = []
    with ProcessPoolExecutor(2) as pool:
        parts = [pool.submit(part.rows) for part in (combined, swings)]
        titles = (
            "Values that are combined: everything uncertain drawn anew in each run",
            "Periods from readings of 2 to 8 cycles: decay to 30 % a cycle, noise 0.2 to 3 %, 15 to 120 frames",
        )
        for title, part in zip(titles, parts, strict=True):
            out += [f"\n## {title}\n", "| value | intervals | held |", "|---|---|---|"]
            out += [f"| {name} | {of} | {share:.1f} % |" for name, of, share in part.result()]
    return [*out, *motion_coverage.lines()]


def main():
    """Measure all and write the tables."""
    out = Path(sys.argv[1])
    lines, slips = recipe_lines()
    if "recipes" in sys.argv[3:]:
        old = out.read_text(encoding="utf-8")
        kept = [old[old.index(FURTHER) : old.index("\n## Slips")].rstrip("\n")]
    else:
        kept = further_lines()
    out.write_text("\n".join([*lines, *kept, *slips]) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
