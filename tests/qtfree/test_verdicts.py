"""Mistakes recognised from their effect, and verdicts that rest on evidence: whole recipes, as tables are typed."""

import json

import numpy as np
import pytest
import tables

from saltus.commands.tabular.number_json import outcome_json
from saltus.core import sources
from saltus.core.quantities import measured
from saltus.core.units import SECOND
from saltus.investigations.engine.bench import Options
from saltus.investigations.engine.evaluation import evaluate, slips_of
from saltus.investigations.engine.run import run
from saltus.investigations.judgement.slips import recognise
from saltus.investigations.judgement.student import is_cut_off, uncertainty_slip
from saltus.investigations.recipe.catalogue import recipe_named
from saltus.investigations.recipe.file import read_recipe
from saltus.investigations.recipe.recipe import RecipeError
from saltus.investigations.table.trials import read_trials
from saltus.notebook.trials import LeftToStudent
from saltus.simulate.tables import simulated_table

BARE = {"mass": "kg", "reading": "m"}


def told_of(recipe_id, columns, givens, options=None):
    """JSON of an investigation run on columns of (unit, cells)."""
    recipe = recipe_named(recipe_id)
    trials = read_trials("t.csv", columns, recipe)
    outcome = run(recipe, trials, givens, options)
    convention = options.convention if options is not None else "standard"
    found = recognise(outcome, trials, givens, options)
    return json.loads(json.dumps(outcome_json(outcome, convention, found)))


def example(recipe_id, change=None, seed=3, other=None, states_u=True, **givens):
    """The simulated example as JSON, its columns changed by functions of (cells as numbers)."""
    recipe = recipe_named(recipe_id)
    table = simulated_table(recipe, seed, states_u=states_u, other=other)
    columns = dict(table.columns)
    for name, made in (change or {}).items():
        unit, cells = columns[name]
        columns[name] = (unit, [f"{v:.9g}" for v in made(np.array([float(c) for c in cells]))])
    return told_of(recipe_id, columns, {**table.givens, **givens})


def slips(told):
    """Ids of the slips of warnings."""
    return [w["slip"] for w in told["warnings"] if w["slip"]]


def only(rows, factor=1.0, plus=0.0):
    """A change of some rows alone."""

    def made(values):
        out = values.copy()
        out[rows] = out[rows] * factor + plus
        return out

    return made


@pytest.mark.parametrize(
    ("recipe_id", "change", "level", "trial", "slip"),
    [
        ("pendulum", {"cycles": only([7], plus=1)}, True, 8, "counted-from-one"),
        ("pendulum", {"cycles": only([6, 7, 8], plus=1)}, True, None, "counted-from-one"),
        ("pendulum", {"cycles": only([6, 7, 8], 2)}, True, None, "half-cycles"),
        ("pendulum", {"time": only([7], 10)}, True, 8, "ten-times"),
        ("whirling-spring", {"frequency": only([2], 0.5)}, True, 3, "half-rate"),
        ("hooke-static", {"reading": only([6, 7], 100)}, True, None, "centimetres-as-metres"),
        ("hooke-static", {"reading": only([6, 7], 1000)}, True, None, "millimetres-as-metres"),
        ("torque-acceleration", {"hanging_mass": only([4, 5], 1000)}, True, None, "grams-as-kilograms"),
        ("weigh-in-liquid", {"weight_liquid": only([4], 10)}, False, 5, "ten-times"),
        ("level-launch", {"range": only([5], 100)}, True, 6, "centimetres-as-metres"),
    ],
)
def test_the_slip_of_one_row_is_named_with_its_level(recipe_id, change, level, trial, slip):
    """An odd trial, or a level off the line, and what would bring it back; where, in the warning."""
    told = example(recipe_id, change)
    at = [w for w in told["warnings"] if w["slip"] == slip]
    assert at, slips(told)
    assert ("level" in at[0]) is level
    assert at[0].get("trial") == trial
    first = next(w for w in told["warnings"] if w["slip"])
    assert first["slip"] in ("odd-value", "off-the-line")
    without = any("without it" in w["text"] for w in told["warnings"])
    assert without == ("trial" in first and first["slip"] == "odd-value")
    assert first.get("level") == at[0].get("level")


def test_a_level_off_the_line_and_a_bend_are_told_where():
    """By how many of its u; up to where it is straight; no slip is invented where none fits."""
    told = example("hooke-static", {"reading": only([6, 7], plus=0.012)})
    (off,) = [w for w in told["warnings"] if w["slip"]]
    assert (off["slip"], float(off["level"])) == ("off-the-line", pytest.approx(0.15, abs=0.001))
    assert "off the line" in off["text"]
    told = example("hooke-static", {"reading": lambda r: r + 3 * np.maximum(r - 0.2, 0) ** 2})
    (bent,) = [w for w in told["warnings"] if w["slip"]]
    assert "bend" in bent["text"]
    assert "straight" in bent["text"]


@pytest.mark.parametrize(
    ("recipe_id", "change", "givens", "wanted"),
    [
        ("hooke-static", {"mass": lambda m: 1000 * m, "reading": lambda r: 100 * r}, {},
         {"grams-as-kilograms", "centimetres-as-metres"}),
        ("hooke-static", {"reading": lambda r: 1000 * r}, {}, {"millimetres-as-metres"}),
        ("whirling-spring", {"frequency": lambda f: 60 * f}, {}, {"rpm-as-hertz"}),
        ("spin-drop", {"omega_before": lambda w: w * 30 / np.pi}, {}, {"rpm-as-hertz"}),
        ("string-harmonics", {}, {"linear_density": "1.5 kg/m"}, {"linear-density-per-gram"}),
        ("string-harmonics", {"internode": lambda d: 2 * d}, {}, {"whole-wavelength"}),
        ("spin-drop", {}, {"radius": "0.18 m"}, {"diameter-for-radius"}),
        ("whirl-unknown-mass", {"radius": lambda r: 2 * r}, {}, {"diameter-for-radius"}),
        ("whirl-force-speed", {}, {"batch_mass": "0.01 kg"}, {"batch-of-one", "ten-times"}),
        ("whirl-force-speed", {}, {"batch_count": "1"}, {"batch-of-one"}),
        ("terminal-fall", {}, {"batch_count": "1"}, {"batch-of-one"}),
        ("whirl-unknown-mass", {"turns": lambda n: n + 1}, {}, {"counted-from-one"}),
        ("spring-oscillator", {"cycles": lambda n: n + 1}, {}, {"counted-from-one"}),
        ("pendulum", {"cycles": lambda n: n / 10}, {}, {"ten-times"}),
        ("pendulum", {"time": lambda t: t * 1.06}, {}, {"large-amplitude"}),
        ("level-launch", {"angle": lambda a: np.pi / 2 - a}, {}, {"recorded-direction"}),
        ("cantilever-depression", {"reading_liquid": lambda r: r + 0.004},
         {"zero_air": "0.021 m", "zero_liquid": "0.021 m"}, {"old-zero", "baseline-changed"}),
    ],
)  # fmt: skip
def test_the_slip_of_whole_columns_is_named_with_what_it_would_give(recipe_id, change, givens, wanted):
    """Alone and combined; the text says what the result would then be."""
    told = example(recipe_id, change, **givens)
    assert wanted <= set(slips(told))
    if wanted != {"old-zero", "baseline-changed"}:
        assert any("Then" in w["text"] for w in told["warnings"])


def test_both_senses_of_a_wrong_protractor_zero():
    """For a launch, whatever the sense; for an amplitude taken from the horizontal."""
    for zero in ("0 deg", "180 deg"):
        assert "wrong-angle-zero" in slips(example("level-launch", other=0, protractor_zero=zero))
    told = example("pendulum", {"amplitude": lambda a: np.pi / 2 - a}, other=0)
    assert "wrong-angle-zero" in slips(told)


def test_careful_zeros_are_no_slip_and_rest_and_sensors_are():
    """Two zeros that differ are noted, not warned of; a rest before the fall, a sensor not zeroed or turned over."""
    told = example("cantilever-depression", zero_liquid="0.0250(1) m")
    assert not {"baseline-changed", "old-zero"} & set(slips(told))
    fall = simulated_table(recipe_named("free-fall"), 2)
    time, height = ([float(c) for c in fall.columns[n][1]] for n in ("time", "height"))
    rest = [f"{height[0] + 0.001 * (-1) ** i:.5f}" for i in range(6)]
    columns = {
        "time": ("s", [f"{0.02 * i:.4f}" for i in range(6)] + [f"{t + 0.12:.4f}" for t in time]),
        "height": ("m", [*rest, *(f"{h:.5f}" for h in height)]),
    }
    assert "rest-in-mean" in slips(told_of("free-fall", columns, {}))
    assert "unzeroed-sensor" in slips(example("cord-jump", {"acceleration": lambda a: a + 0.9}))
    assert "reversed-sensor" in slips(example("cord-jump", {"acceleration": lambda a: -a}))


def test_what_no_slip_explains_is_still_not_plausible():
    """A stiffness no bench spring has, a friction below zero: with the usual range."""
    told = example("hooke-static", {"mass": lambda m: 1e6 * m})
    assert any(w["slip"] == "not-plausible" and "kg" in w["text"] for w in told["warnings"])
    told = example("force-acceleration", {"acceleration": lambda a: a + 0.6}, balance_mass="0.52 kg")
    assert any(w["slip"] == "not-plausible" and "below zero" in w["text"] for w in told["warnings"])


def test_means_typed_by_hand_are_checked():
    """Cut off instead of rounded, or wrong; a rounded one is left alone."""
    columns = {
        "start": ("m", ["0.2"] * 3 + ["0.6"] * 3 + ["1.0"] * 3),
        "time": ("s", ["1.45", "1.46", "1.46", "1.12", "1.13", "1.12", "0.64", "0.65", "0.65"]),
        "mean": ("s", ["1.45", "", "", "1.12", "", "", "0.75", "", ""]),
    }
    told = told_of("ramp-run", columns, {"finish": "1.2 m"})
    (cut,) = [w for w in told["warnings"] if w["slip"] == "truncated-mean"]
    assert cut["level"] == "0.2"
    assert any(w.get("level") == "1.0" and "does not follow" in w["text"] for w in told["warnings"])


def test_what_a_student_typed_for_an_uncertainty_is_recognised():
    """The rms of the residuals, a standard u as 95 %; the right one is left alone, and no value is given away."""
    spread = evaluate(tables.table("hooke-static", [
        {"mass": f"{m}", "reading": f"{0.132 + m * 9.81 / 24.5 + 0.002 * (-1) ** i:.4f}"}
        for i, m in enumerate((0, 0.05, 0.1, 0.15, 0.2, 0.25))
    ]))  # fmt: skip
    k, rms = spread.outcome.results["k"], spread.outcome.fits["line"].rms_residual
    for text, slip in (
        (f"{float(k):.2f} ± {rms:.3f} N/m", "rms-for-slope-u"),
        (f"{float(k):.2f} ± {float(k.u):.2f} N/m (95 %)", "not-doubled"),
        (f"{float(k):.2f} ± {k.U95:.2f} N/m (95 %)", None),
        (f"{float(k):.2f} ± {float(k.u):.2f} N/m", None),
        ("zork", None),
    ):
        found = uncertainty_slip(text, k, rms)
        assert (found[0] if found else None) == slip, text
    notebook = tables.table("hooke-static", [t.cells for t in spread.rows],
                            left=LeftToStudent(results={"k": f"{float(k):.2f} ± {rms:.3f} N/m"}))  # fmt: skip
    told = slips_of(evaluate(notebook))
    assert [t.slip for t in told] == ["rms-for-slope-u"]
    assert str(round(float(k), 1)) not in told[0].text


def test_digits_that_were_cut_off_are_told_apart_from_rounded_ones():
    """2.34 of 2.3467 is cut off, 2.35 is rounded, 2.3 of 2.34 is right, and a wrong value is neither."""
    q = measured(2.3467, 0.001, SECOND, sources.given("t", "timing"))
    assert [is_cut_off(t, q) for t in ("2.34 s", "2.35 s", "2.3 s", "2.2 s", "zork")] == [True] + [False] * 4
    rows = [{"length": "0.5", "cycles": "9", "time": "12.86", "period": "1.42"},
            {"length": "0.7", "cycles": "9", "time": "15.11", "period": "1.68"}]  # fmt: skip
    notebook = tables.table("pendulum", rows, left=LeftToStudent(columns=("period",)))
    told = [t for t in slips_of(evaluate(notebook)) if t.slip]
    assert [(t.slip, t.trial) for t in told] == [("truncated-mean", 1)]


def test_verdicts_do_not_hang_on_the_convention():
    """Results are stated in it; comparisons, warnings and what settles them stay."""
    plain = example("pendulum", states_u=False)
    recipe = recipe_named("pendulum")
    table = simulated_table(recipe, 3, states_u=False)
    for convention in ("half-range", "school"):
        for slope_u in ("fit", "steepest"):
            other = told_of("pendulum", table.columns, table.givens, Options(None, convention, slope_u))
            assert other["comparison"] == plain["comparison"]
            assert slips(other) == slips(plain)
    school = told_of("pendulum", table.columns, table.givens, Options(None, "school"))
    assert school["results"]["g"]["U95"] == pytest.approx(plain["results"]["g"]["u"], rel=1e-6)
    assert school["fit"]["slope"]["U95"] == pytest.approx(plain["fit"]["slope"]["u"], rel=1e-6)


def test_rows_and_levels_are_compared_one_by_one():
    """Different angles are never averaged; masses at each radius; rows counted as in the table, left out or not."""
    told = example("level-launch")
    rows = [c for c in told["comparison"] if c["of"] == "measured_range"]
    assert [c["row"] for c in rows] == list(range(1, 13))
    assert {c["agree"] for c in rows} == {True}
    assert "measured_range" not in told["results"]
    far = example("whirl-unknown-mass", {"time": only([4, 5], 1.15)})
    levels = {c["level"]: c["agree"] for c in far["comparison"] if "level" in c and c["with"] == "body_mass"}
    assert list(levels.values()).count(False) == 1
    assert len(levels) == 5
    assert next(c for c in far["comparison"] if c["of"] == "mass")["with"] == "body_mass"
    assert "level" not in next(c for c in far["comparison"] if c["of"] == "mass")
    recipe = recipe_named("inelastic-collision")
    table = simulated_table(recipe, 1)
    columns = {**table.columns, "status": ("", ["kept", "failed", "kept", "kept", "kept", "kept"])}
    left = told_of("inelastic-collision", columns, table.givens)
    assert [c["row"] for c in left["comparison"] if "row" in c] == [1, 3, 4, 5, 6]
    spun = example("spin-drop")
    assert spun["results"]["momentum_ratio"]["value"] == pytest.approx(1, abs=0.02)


def test_what_cannot_be_told_says_what_would_settle_it():
    """Null, and a sentence with the repeats that would do, or the uncertainty that is missing."""
    columns = {"level": ("", list("112233")), "time": ("s", ["1.62", "1.66", "1.64", "1.61", "1.63", "1.67"])}
    told = told_of("guided-run", columns, {"distance": "1.2 m"})
    (none,) = [c for c in told["comparison"] if c["with"] == "none"]
    assert none["agree"] is None
    assert any("more repeats at each level" in w["text"] for w in told["warnings"])
    bare = told_of(
        "level-launch",
        {"angle": ("deg", ["30", "40", "50"]), "range": ("m", ["1.00", "1.14", "1.15"])},
        {"speed_known": "3.4 m/s"},
    )
    assert any("no uncertainty" in w["text"] for w in bare["warnings"])
    single = told_of("ramp-run", {"start": ("m", ["0.2", "0.2", "0.2", "0.6", "0.6", "0.6", "1.0"]),
                                  "time": ("s", ["1.45", "1.46", "1.44", "1.12", "1.13", "1.12", "0.65"])},
                     {"finish": "1.2 m"})  # fmt: skip
    assert [level["borrowed"] for level in single["levels"]] == [False, False, True]
    assert any("borrowed" in w["text"] for w in single["warnings"])


def test_an_unknown_beyond_the_points_is_told():
    """The line is not known to go on there; its interval holds the scatter of its own reading."""
    mass = ["0", "0.05", "0.1", "0.15", "0.2", ""]
    time = [f"{20 * 2 * np.pi * np.sqrt((m + 0.21) / 60):.3f}" for m in (0, 0.05, 0.1, 0.15, 0.2, 0.4)]
    columns = {
        "label": ("", [""] * 5 + ["x"]),
        "mass": ("kg", mass),
        "cycles": ("", ["20"] * 6),
        "time": ("s", time),
    }
    told = told_of("vibrating-tray", columns, {})
    assert any("outside the range" in w["text"] for w in told["warnings"])
    assert told["results"]["mass_x"]["u"] > 0
    odd = example("vibrating-tray", {"cycles": only([16], plus=1)})
    (one,) = [w for w in odd["warnings"] if w["slip"] == "odd-value"]
    assert (one["level"], one["trial"]) == ("x", 17)


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ('time = { unit = "s", typical = ["1 s"] }', "two values"),
        ('time = { unit = "s", typical = ["1 m", "2 m"] }', "m"),
        ('time = { unit = "s", mistakes = ["zork"] }', "not a mistake"),
    ],
)
def test_a_recipe_says_what_is_wrong_with_its_ranges(line, words):
    """Ranges have two values of the right unit, mistakes are known ones, each is row or level."""
    head = 'id = "t"\ntitle = "t"\ngroup = "t"\nquestion = "t"\n[columns]\n'
    with pytest.raises((RecipeError, ValueError), match=words):
        read_recipe(head + line, "t.toml")
    with pytest.raises(RecipeError, match="row or level"):
        read_recipe(f'{head}time = {{}}\n[[comparisons]]\nof = "time"\nwith = "none"\neach = "day"', "t.toml")


def test_cells_as_people_write_them_and_carts_that_meet_head_on():
    """Sums, commas and brackets in cells are looked at too; momenta that cancel are judged by the sum of their sizes."""
    cells = ["3*4+1 cm", "15.0 cm", "0.1501", "17,0 cm", "0.171(1)", "19 cm", "21.0 cm", "23.0 cm"]
    masses = ["0", "0.05", "0.05", "0.1", "0.1", "0.15", "0.2", "0.25"]
    rows = [{"mass": m, "reading": r} for m, r in zip(masses, cells, strict=True)]
    assert slips_of(evaluate(tables.table("hooke-static", rows))) == []
    columns = {"v1_before": ("m/s", ["0.500(4)"] * 3), "v2_before": ("m/s", ["-0.500(4)"] * 3),
               "v_after": ("m/s", ["0.001(3)", "-0.002(3)", "0.120(3)"])}  # fmt: skip
    told = told_of("inelastic-collision", columns, {"mass_1": "0.500(1) kg", "mass_2": "0.500(1) kg"})
    momenta = {c["row"]: c["agree"] for c in told["comparison"] if "row" in c}
    assert momenta == {1: True, 2: True, 3: False}


@pytest.mark.parametrize(("digits", "repeats"), [(2, 1), (3, 1), (3, 2)])
def test_rounding_alone_puts_nothing_off_the_line(digits, repeats):
    """Springs read without any noise, to the last digit of a coarse scale: 60 stiffnesses, none accused."""
    rng, accused = np.random.default_rng(13), []
    for _spring in range(60):
        k, rest = rng.uniform(15, 60), rng.uniform(0.1, 0.2)
        masses = np.repeat(np.arange(0, 0.4, 0.05), repeats)
        columns = {
            "mass": ("kg", [f"{m:.2f}" for m in masses]),
            "reading": ("m", [f"{rest + m * 9.81 / k:.{digits}f}" for m in masses]),
        }
        accused += slips(told_of("hooke-static", columns, {}))
    assert accused == []
