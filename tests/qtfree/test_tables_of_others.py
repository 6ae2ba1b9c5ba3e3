"""Tables of others: their signs, their sizes, their headings."""

import io
import random
import re
import zipfile

import pytest
from hostile import ends_some_day, said  # noqa: F401  a fixture for all of them
from hypothesis import given
from hypothesis import strategies as st

from saltus.commands.main import run
from saltus.core.motion.models import MODELS
from saltus.core.units import METRE
from saltus.exchange.heading import heading
from saltus.exchange.log_table import log_of, unused
from saltus.exchange.spreadsheet import read_any_table
from saltus.exchange.tables import MOST_CELLS, TableError, parse_table, read_table, write_table


def spreadsheet(path, rows):
    """A spreadsheet as another program writes it: nothing is neutralised."""
    from openpyxl import Workbook  # noqa: PLC0415  slow

    book = Workbook()
    for row in rows:
        book.active.append(row)
    book.save(path)


def test_tables_come_in_with_their_signs_and_say_what_they_leave_out(tmp_path):
    """Minus signs stay; a column that is no signal is named with its reason; what we write is still neutral."""
    path = tmp_path / "a.xlsx"
    rows = [(0, -4, "-4.5", "-2,5", "ok"), (1, 3, "2", "=1+1", "so"), (2, -1, "-7", "3", "no")]
    spreadsheet(path, [("time [s]", "F [N]", "a [m/s^2]", "odd [m]", "note"), *rows])
    table = read_any_table(path)
    _times, channels = log_of(table)
    assert {c.name: c.values for c in channels} == {"F": (-4, 3, -1), "a": (-4.5, 2, -7)}
    told = unused(table)
    assert len(told) == 2
    assert "odd" in told[0]
    assert "note" in told[1]
    assert parse_table("t [s],x [m]\r0,-4\r1,-5\r", "cr.csv").columns["x"].cells == ("-4", "-5")
    write_table(path, ["note"], [["=1+1"], ["-4"]])
    assert read_any_table(path).columns["note"].cells == ("'=1+1", "'-4")


@pytest.mark.parametrize("seed", range(4))
def test_numbers_of_any_size_are_a_result_or_a_sentence(tmp_path, seed, capsys):
    """However large or small the numbers of a table, no command ends in a failure of ours or prints what is none."""
    rng = random.Random(seed)
    sizes = [
        "1e308",
        "-1e308",
        "5e-324",
        "9e14",
        "-9e14",
        "1e-49",
        "-1e-30",
        "1e12",
        "0",
        "-0",
        "1",
        "2.5",
        "",
        "nan",
    ]
    path = tmp_path / "a.csv"
    for _n in range(8):
        pick = rng.choice([sizes, sizes[3:], ["1", "1.1", "1e-40", "9e14"]])
        rows = [["A", i, i / 30, *(rng.choice(pick) for _c in range(4))] for i in range(9)]
        path.write_text("body,frame,t [s],x [m],y [m],u(x) [m],u(y) [m]\n"
                        + "".join(",".join(map(str, row)) + "\n" for row in rows))  # fmt: skip
        for words in (
            [
                "segment",
                path,
                "--model",
                rng.choice(list(MODELS)),
                "--of",
                rng.choice(["x", "angle"]),
                "--json",
            ],
            ["cycles", path, "--of", "y", "--json"],
            ["fit", path, "--x", "x", "--y", "y", "--json"],
            ["motion", path, "--scale", rng.choice(["1e300", "1e-9"]), "-o", tmp_path / "m.csv"],
        ):
            with pytest.raises(SystemExit) as left:
                run(list(map(str, words)))
            told = capsys.readouterr()
            assert left.value.code in (0, 2), (words, told.err, path.read_text())
            assert "NaN" not in told.out
            assert "Infinity" not in told.out


def test_tables_are_counted_before_anything_is_built(tmp_path, monkeypatch):
    """Too many cells, or too much text, is refused while it is counted, in spreadsheets too."""
    path = tmp_path / "a.csv"
    with path.open("wb") as file:
        file.truncate(100 * 1024 * 1024)
    with pytest.raises(TableError, match="too large"):
        read_table(path)
    with pytest.raises(TableError, match="too many rows"):
        parse_table("t,x\n" + "1,2\n" * (MOST_CELLS // 2), "b.csv")
    with pytest.raises(TableError, match="line 2") as caught:
        parse_table("t,x\n1," + "2" * 200_000 + "\n", "c.csv")
    said(str(caught.value))
    long = parse_table("t," + "x" * 8000 + "\n1,a\n", "d.csv")
    for wrong in ("x" * 8000, "y" * 8000):
        with pytest.raises(TableError) as caught:
            long.numbers(wrong, METRE)
        said(str(caught.value))
    spreadsheet(tmp_path / "a.xlsx", [("t", "x"), (1, 2)])
    packed = io.BytesIO()
    with (
        zipfile.ZipFile(tmp_path / "a.xlsx") as old,
        zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as new,
    ):
        for info in old.infolist():
            data = old.read(info)
            row = b"<row>" + b"<c><v>1</v></c>" * 1000 + b"</row>"
            new.writestr(info.filename, data.replace(b"</sheetData>", row * 3100 + b"</sheetData>"))
    (tmp_path / "b.xlsx").write_bytes(packed.getvalue())
    monkeypatch.setattr("openpyxl.load_workbook", lambda *_a, **_k: pytest.fail("it was built"))
    with pytest.raises(TableError, match="too many rows"):
        read_any_table(tmp_path / "b.xlsx")


OLD_HEADING = re.compile(
    r"^\s*(u\([^)]*\)|.*?)\s*(?:\[\s*([^\]]*?)\s*\]|\s/\s*([^/\s].*?)|\(\s*([^()]*?)\s*\))?\s*$",
    re.IGNORECASE,
)


@given(st.text("um/ ()[]g", max_size=14))
def test_headings_are_read_as_by_the_pattern_they_had(text):
    """The parser gives what the pattern gave, wherever that ended in time."""
    found = OLD_HEADING.match(text)
    expected = (found[1].strip(), (found[2] or found[3] or found[4] or "").strip())
    assert heading(text) == expected
