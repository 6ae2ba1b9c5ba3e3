"""How often stated 95 % intervals hold the truth, for every investigation; and slips: none seen, those made seen.

Usage: coverage.py OUT.md [TABLES]. Simulated tables with truth, givens and noise drawn anew each time.
"""

import math
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import combined
import motion_coverage
import swings

from saltus.investigations.engine.run import run
from saltus.investigations.judgement.slips import recognise
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.table.trials import read_trials
from saltus.simulate.slipped import slipped
from saltus.simulate.tables import simulated_table

TABLES = int(sys.argv[2]) if len(sys.argv) > 2 else 1000
SLIPPED, SCATTER = max(TABLES // 25, 20), max(TABLES // 3, 20)


def told_slips(recipe, table):
    """Slips that are told of a table, and its outcome."""
    trials = read_trials(recipe.id, table.columns, recipe)
    outcome = run(recipe, trials, table.givens)
    told = [*outcome.warnings, *recognise(outcome, trials, table.givens)]
    return {t.slip for t in told if t.slip}, outcome


def measure(recipe_id):
    """Coverage by result, false slips, and recognised slips of one investigation."""
    recipe = recipe_named(recipe_id)
    counts, false = {}, 0
    for states_u in (True, False):
        for seed in range(1, (TABLES if states_u else SCATTER) + 1):
            table = simulated_table(recipe, seed, states_u=states_u)
            slips, outcome = told_slips(recipe, table)
            false += bool(slips) if states_u else 0
            for name, truth in table.expected.items():
                q = outcome.results.get(name)
                if q is not None and math.isfinite(float(q.u)):
                    hits, of = counts.get((name, states_u), (0, 0))
                    counts[name, states_u] = (hits + (abs(float(q) - truth) <= q.U95), of + 1)
    seen = {}
    for i, slip in enumerate(recipe.slips):
        hits = tried = 0
        for seed in range(1, SLIPPED + 1):
            for other in (None, *range(len(recipe.example.get("other", [])))):
                made = slipped(simulated_table(recipe, seed, other=other), recipe, slip)
                if made is None:
                    continue
                if slip.slip == "wrong-angle-zero" and other is None:
                    continue
                tried += 1
                hits += slip.slip in told_slips(recipe, made)[0]
                break
        seen[f"{slip.slip} ({', '.join(slip.undo)}) {i}"] = (hits, tried)
    return recipe_id, counts, false, seen


def main():
    """Measure all and write the tables."""
    lines = [
        "# Coverage and slips\n",
        f"Made by `benchmarks/coverage.py` from {TABLES} simulated tables of each investigation with stated",
        f"uncertainties and {SCATTER} without (then results rest on scatter), and {SLIPPED} tables for each slip.",
        "A share of 1000 has a standard error of 0.7 %, one of 333 of 1.2 %.\n",
        "| investigation | result | held, stated | held, from scatter | slips told of clean tables |",
        "|---|---|---|---|---|",
    ]
    slip_lines = ["\n## Slips put in on purpose\n", "| investigation | slip | recognised |", "|---|---|---|"]
    with ProcessPoolExecutor(2) as pool:
        for recipe_id, counts, false, seen in pool.map(measure, ids()):
            for name in dict.fromkeys(name for name, _states in counts):
                shares = []
                for states_u in (True, False):
                    hits, of = counts.get((name, states_u), (0, 0))
                    shares.append(f"{100 * hits / of:.1f} %" if of else "–")
                lines.append(f"| {recipe_id} | {name} | {shares[0]} | {shares[1]} | {false} |")
            slip_lines += [f"| {recipe_id} | {name} | {hits} of {of} |" for name, (hits, of) in seen.items()]
            print(lines[-1], seen, flush=True)
        parts = [pool.submit(part.rows) for part in (combined, swings)]
        titles = (
            "Values that are combined: everything uncertain drawn anew in each run",
            "Periods from readings of 2 to 8 cycles: decay to 30 % a cycle, noise 0.2 to 3 %, 15 to 120 frames",
        )
        further = []
        for title, part in zip(titles, parts, strict=True):
            further += [f"\n## {title}\n", "| value | intervals | held |", "|---|---|---|"]
            further += [f"| {name} | {of} | {share:.1f} % |" for name, of, share in part.result()]
    lines += [*further, *motion_coverage.lines()]
    Path(sys.argv[1]).write_text("\n".join([*lines, *slip_lines]) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
