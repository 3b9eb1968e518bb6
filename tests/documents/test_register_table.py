"""Tables as people keep them: ten awkward files read as they were meant, doubts marked with their reason, and nothing acting as a formula."""

import io
import zipfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import load_workbook

from ypomoni.documents.register_table import Mapping, guarded, propose_mapping, read_rows, table_of_loads, unguarded
from ypomoni.documents.tables import Sheet, TableError, read_tables, write_csv, write_workbook

TABLES = Path(__file__).parent.parent / "reference" / "tables"
SUPPLIES = {"Main panel": 12.0, "Bay A": 12.0, "Bay B": 12.0}


def understood(name):
    """Return the rows of a file under the mapping proposed for it."""
    sheets = read_tables((TABLES / name).read_bytes(), name)
    mapping = propose_mapping(sheets)
    return read_rows(sheets[mapping.sheet], mapping, supplies=SUPPLIES, places=["Hall"], default_supply=None), mapping


def loads_of(name):
    """Return name, quantity, standby and alarm of each row that is no title and no total."""
    rows, _ = understood(name)
    return [(r.values["name"], r.values["quantity"], r.values.get("standby"), r.values.get("alarm")) for r in rows if not r.skipped]


def near(found, expected):
    assert [f[:2] for f in found] == [e[:2] for e in expected]
    for f, e in zip(found, expected, strict=True):
        assert [a if a is None else pytest.approx(a, rel=1e-9) for a in e[2:]] == list(f[2:]), f


def test_decimal_commas_units_in_headings_and_an_old_encoding():
    """Umlauts and degrees survive, 15,25 is 15.25 mA, the voltage is the rail; the name column is found by what is left."""
    sheets = read_tables((TABLES / "01_decimal_comma_cp1252.csv").read_bytes(), "x.csv")
    columns = ("name", "quantity", "standby", "alarm", "rail_v", "place")
    rows = read_rows(sheets[0], Mapping(sheet=0, header_row=0, columns=columns), supplies={}, places=[], default_supply=None)
    found = [(r.values["name"], r.values["quantity"], r.values["standby"], r.values.get("alarm")) for r in rows]
    near(found, [("Bewegungsmelder", 6, 0.0095, 0.014), ("Glasbruchmelder", 3, 0.01525, 0.0225), ("Datenlogger", 2, 4e-5, None)])
    assert rows[2].values["rail_v"] == 5.0
    assert rows[2].values["place"] == "Kühlraum -2 °C"
    assert not any(r.doubts for r in rows)


def test_merged_titles_sections_and_a_row_of_totals_are_left_out():
    """Headings in the fourth row; two section titles and the total do not become loads."""
    rows, mapping = understood("02_titles_sections_totals.xlsx")
    assert mapping.header_row == 3
    assert mapping.columns == ("name", "quantity", "standby", "alarm", "supply", "place")
    near(
        loads_of("02_titles_sections_totals.xlsx"),
        [("Dual-technology detector", 5, 0.0165, 0.024), ("Zone expander", 2, 0.045, 0.052), ("Keypad", 2, 0.021, 0.048)],
    )
    assert [r.skipped for r in rows if r.skipped not in ("", "empty")] == ["a title", "a title", "a row of totals"]
    assert [r.values["supply"] for r in rows if not r.skipped] == ["Bay A", "Bay A", "Main panel"]


def test_units_in_the_cells_and_watts_at_a_voltage():
    """mA, A and µA in one column; 4.2 W @ 12 V is 350 mA of a power load."""
    near(
        loads_of("03_units_in_cells.csv"),
        [
            ("Cellular communicator", 1, 0.055, 0.080),
            ("Siren, external", 1, 0.02, 0.48),
            ("Sleeping logger", 4, 5.6e-6, None),
            ("Camera, fixed", 2, 0.35, None),
        ],
    )
    rows, _ = understood("03_units_in_cells.csv")
    assert rows[3].values["as_watts"] is True
    assert rows[3].values["rail_v"] == 12.0


def test_watts_and_volts_in_columns_of_their_own():
    """14.4 W at 12 V are 1.2 A; a label's watts are a nameplate; watts without volts are asked about."""
    rows, _ = understood("04_watts_and_volts.xlsx")
    assert [r.values.get("standby") for r in rows] == [pytest.approx(1.2), pytest.approx(0.3), pytest.approx(0.075), None]
    assert {r.values["provenance"] for r in rows[:3]} == {"nameplate"}
    assert "its voltage is needed" in next(iter(rows[3].doubts.values()))


def test_totals_of_all_pieces_become_the_current_of_one():
    """Twenty detectors of 6 mA together are 300 µA each; the circuit is the branch."""
    near(
        loads_of("05_totals_only.csv"),
        [("Smoke detector", 20, 0.0003, 0.002), ("Sounder", 8, 0.0002, 0.016), ("Panel board", 1, 0.18, 0.32)],
    )
    assert understood("05_totals_only.csv")[0][0].values["branch"] == "Loop 1"


def test_units_that_only_a_number_format_shows():
    """0.06 shown as 0.06 A and 60.5 shown as 60.5 mA are what they look like."""
    near(
        loads_of("06_units_in_number_formats.xlsx"), [("Beam, pair", 3, 0.0605, 0.069), ("Reader", 2, 0.06, 0.08), ("Magnet", 2, 0.24, 0.0)]
    )
    rows, _ = understood("06_units_in_number_formats.xlsx")
    assert [r.values["provenance"] for r in rows] == ["measured", "estimate", "data_sheet"]
    assert "must be one of measured, data sheet" in next(iter(rows[1].doubts.values()))


def test_a_file_without_headings_waits_for_its_columns():
    """Nothing is proposed; with the columns said it is read."""
    sheets = read_tables((TABLES / "07_no_headings.csv").read_bytes(), "x.csv")
    assert propose_mapping(sheets).header_row is None
    assert set(propose_mapping(sheets).columns) == {""}
    said = Mapping(sheet=0, header_row=None, columns=("name", "quantity", "standby", "alarm"))
    rows = read_rows(sheets[0], said, supplies={}, places=[], default_supply=None)
    assert [r.values["standby"] for r in rows] == [0.0165, 0.021, 0.02]
    assert not any(r.doubts for r in rows)


def test_names_that_could_act_as_formulas_come_back_as_they_were():
    """The apostrophe an export put before them is taken off, and only that one."""
    names = [row[0] for row in loads_of("08_names_like_formulas.csv")]
    assert names == ["=Beam 1", "+Zone 4 detector", "-East fence", "@gate", "'=quoted", "'Old' siren"]


def test_the_sheet_with_the_loads_is_found_and_hidden_ones_are_not_read():
    """The cover and the hidden prices are passed by; µA in the heading, cable and rail in columns."""
    sheets = read_tables((TABLES / "09_several_sheets.xlsx").read_bytes(), "x.xlsx")
    assert [s.name for s in sheets] == ["Cover", "Loads 2026"]
    near(
        loads_of("09_several_sheets.xlsx"),
        [("Level transmitter", 1, 0.004, 0.021), ("Telemetry unit", 1, 0.025, 0.8), ("Sleeping logger", 2, 1.2e-5, 0.06)],
    )
    first = understood("09_several_sheets.xlsx")[0][0]
    assert (first.values["cable_length_m"], first.values["cable_section_mm2"], first.values["rail_v"]) == (35.0, 0.75, 24.0)


def test_every_doubtful_cell_is_marked_with_its_reason():
    """A range, a comma that could group, a sum that does not fit, a current in alarm only, no name, an unknown supply, words for numbers, VA."""
    rows, _ = understood("10_doubts.csv")
    reasons = [" ".join(r.doubts.values()) for r in rows]
    for reason, said in zip(
        reasons,
        (
            "is a range",
            "read with a decimal comma, as 1.250",
            "2 × 21 mA are 42 mA, not 63 mA",
            "alarm only",
            "has no name",
            "no supply of this plan is called 'Bay C'",
            "volt-amperes",
            "",
        ),
        strict=True,
    ):
        assert said in reason
        assert bool(reason) is bool(said)
    assert "must be a number" in reasons[5]


def test_a_rail_that_no_converter_makes_cannot_come_in():
    """5 V on 12 V needs one: the cell says so, and accepting it does not help; with a converter it is clear."""
    columns = ("name", "standby", "rail_v", "converter", "supply")
    rows = (
        ("Logger", "5 mA", "5", "", "Bay A"),
        ("Logger", "5 mA", "5", "switching 82 %", "Bay A"),
        ("Logger", "5 mA", "5", "buck", "Bay A"),
    )
    sheet = Sheet(name="t", rows=rows)
    found = read_rows(sheet, Mapping(sheet=0, header_row=None, columns=columns), supplies=SUPPLIES, places=[], default_supply=None)
    assert "needs a converter" in found[0].doubts[2]
    assert [r.blocked for r in found] == [True, False, True]
    assert found[1].doubts == {}
    assert "must be switching with its efficiency" in found[2].doubts[3]


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "empty"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"0" * 600, "old .xls kind"),
        (b"%PDF-1.7 ...", "is a PDF"),
        (b"PK\x03\x04 not really", "cannot be opened"),
        (b"a\x00b\x00c", "no text"),
        (b"\n \n;;;\n", "no rows"),
        (b"name;mA\n" + b"x;1\n" * 10_100, "more than 10,000 rows"),
    ],
)
def test_what_cannot_be_read_says_why(data, says):
    """In words, with what would help."""
    with pytest.raises(TableError, match=says):
        read_tables(data, "file")


def test_a_spreadsheet_that_unpacks_to_too_much_is_refused():
    """A small file of zeros that grows."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/worksheets/sheet1.xml", b"0" * (61 * 1024 * 1024))
    with pytest.raises(TableError, match="too large once unpacked"):
        read_tables(out.getvalue(), "bomb.xlsx")


ANY_NAME = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs")), min_size=1, max_size=30).map(str.strip).filter(bool)
FORMULA_START = st.sampled_from(["=", "+", "-", "@", "'=", "''+", "\t="])


@given(st.one_of(ANY_NAME, st.builds(lambda start, rest: start + rest, FORMULA_START, ANY_NAME)))
def test_guarding_is_undone_exactly(text):
    """Whatever a name begins with."""
    assert unguarded(guarded(text)) == text
    assert not guarded(text).startswith(("=", "+", "-", "@", "\t"))


ROW = {
    "supply": "Bay A",
    "place": "Hall",
    "branch": "North",
    "bus_group": None,
    "purpose": "security",
    "standby_provenance": "measured",
    "rail_v": 12.0,
    "min_v": 9.5,
    "cable_length_m": 30.0,
    "cable_section_mm2": 0.5,
    "converter_kind": "switching",
    "converter_efficiency_ratio": 0.82,
}


@given(
    names=st.lists(
        st.one_of(ANY_NAME, st.builds(lambda s, r: s + r, FORMULA_START.filter(lambda s: s[0] != "\t"), ANY_NAME)), min_size=1, max_size=4
    ),
    currents=st.lists(st.floats(1e-7, 50), min_size=4, max_size=4),
)
def test_what_goes_out_comes_back(names, currents):
    """CSV and spreadsheet: names, quantities and currents to the last digit, through the proposed mapping."""
    rows = [
        {**ROW, "name": name, "quantity": n + 1, "standby_current_a": currents[n], "alarm_current_a": None} for n, name in enumerate(names)
    ]
    table = table_of_loads(rows)
    for data in (write_csv(table), write_workbook("Register", table)):
        sheets = read_tables(data, "register")
        mapping = propose_mapping(sheets)
        found = read_rows(sheets[0], mapping, supplies={"Bay A": 12.0}, places=["Hall"], default_supply=None)
        for row, back in zip(rows, found, strict=True):
            if back.skipped:
                # Only a name that reads like a title or a row of totals may be left out, and then it is said.
                assert back.skipped in ("a row of totals", "the headings again")
                continue
            assert back.values["name"] == " ".join(row["name"].splitlines()).strip()
            assert back.values["standby"] == pytest.approx(row["standby_current_a"], rel=1e-12)
            assert back.values["quantity"] == row["quantity"]
            assert back.values["provenance"] == "measured"
            assert (back.values["cable_length_m"], back.values["min_v"]) == (30.0, 9.5)
            assert (back.values["converter_kind"], back.values["converter_efficiency_ratio"]) == ("switching", pytest.approx(0.82))


def test_no_cell_of_an_exported_spreadsheet_is_a_formula():
    """Not even a name that looks like one."""
    rows = [{**ROW, "name": "=1+1", "quantity": 1, "standby_current_a": 0.1, "alarm_current_a": None, "branch": "@x"}]
    book = load_workbook(io.BytesIO(write_workbook("Register", table_of_loads(rows))))
    types = {cell.data_type for row in book.active.iter_rows() for cell in row}
    assert "f" not in types


REMARKS = """Device;No.;Standby;Alarm;Remark
Flood float;2;16,5;24;measured 12 May
Telemetry unit;1;25;800;sends 9 s every 40 min
Magnetic lock;2;0,48;;
Door mags;4;320;;not measured yet
PIRs;10;14;;per data sheet
"""


def test_one_unit_holds_for_a_column_and_a_current_nobody_believes_is_asked():
    """Without a unit every figure waits; mA chosen once reads them all, but a magnetic lock of half a milliampere is asked about."""
    sheets = read_tables(REMARKS.encode(), "x.csv")
    mapping = propose_mapping(sheets)
    assert mapping.columns == ("name", "quantity", "standby", "alarm", "remark")

    def read(units):
        chosen = Mapping(sheet=0, header_row=0, columns=mapping.columns, units=units)
        return read_rows(sheets[0], chosen, supplies={}, places=[], default_supply=None)

    assert all(2 in row.doubts for row in read(()))
    rows = read(("", "", "mA", "mA", ""))
    near(
        [(r.values["name"], r.values["quantity"], r.values["standby"], r.values.get("alarm")) for r in rows],
        [
            ("Flood float", 2, 0.0165, 0.024),
            ("Telemetry unit", 1, 0.025, 0.8),
            ("Magnetic lock", 2, 0.00048, None),
            ("Door mags", 4, 0.32, None),
            ("PIRs", 10, 0.014, None),
        ],
    )
    assert [r.values["name"] for r in rows if r.doubts] == ["Magnetic lock"]
    assert "200 mA to 550 mA" in rows[2].doubts[2]
    in_amps = read(("", "", "A", "mA", ""))
    assert {r.values["name"] for r in in_amps if r.doubts} == {"Flood float", "Telemetry unit", "Door mags", "PIRs"}


def test_a_remark_is_offered_never_taken():
    """Measured, and a burst, are what the remark says: offered, while the load stays an estimate without bursts; what is denied is not offered."""
    sheets = read_tables(REMARKS.encode(), "x.csv")
    mapping = propose_mapping(sheets)
    rows = read_rows(sheets[0], mapping, supplies={}, places=[], default_supply=None)
    assert [r.said_provenance for r in rows] == ["measured", "", "", "", "data_sheet"]
    burst = rows[1].said_burst
    assert burst is not None
    assert (burst.duration_s, burst.per_hour) == (9.0, 1.5)
    assert [r.said_burst for n, r in enumerate(rows) if n != 1] == [None] * 4
    assert {r.values["provenance"] for r in rows} == {"estimate"}
    assert not any("bursts" in r.values for r in rows)


def test_a_column_that_numbers_the_rows_is_no_quantity():
    """*No.* with 1, 2, 3 in it counts rows; with 2, 1, 4 it counts pieces."""
    running = "No.;Device;Standby mA\n1;Float;16\n2;Keypad;60\n3;Beacon;30\n4;Modem;40\n"
    assert propose_mapping(read_tables(running.encode(), "x.csv")).columns == ("", "name", "standby")
    assert propose_mapping(read_tables(running.replace("2;Key", "8;Key").encode(), "x.csv")).columns == ("quantity", "name", "standby")


def test_counts_in_names_volts_beside_amps_and_what_is_not_there():
    """PIR x4, x 6, 3 off and 4 x are counts; a unit in the cell beats the column's; nought needs none; what is said to be removed is doubted."""
    lines = (
        ("PIR x4", "20"),
        ("PIR x 6", "0.02 A"),
        ("Beam, 3 off", "40"),
        ("2 x Keypad", "0.8A 24V"),
        ("Siren", "9V 0.6A"),
        ("Reader", "0"),
        ("Old dialler (removed)", "30"),
        ("Strobe", "60 W max"),
        ("Sounder 24", "15"),
    )
    text = "Name;Standby mA\n" + "\n".join(f"{name};{current}" for name, current in lines)
    sheets = read_tables(text.encode(), "x.csv")
    columns = ("name", "standby")
    rows = read_rows(
        sheets[0], Mapping(sheet=0, header_row=0, columns=columns, units=("", "mA")), supplies={}, places=[], default_supply=None
    )
    found = [(r.values["name"], r.values["quantity"], r.values.get("standby"), r.values.get("rail_v")) for r in rows]
    assert found[:6] == [
        ("PIR", 4, pytest.approx(0.02), None),
        ("PIR", 6, pytest.approx(0.02), None),
        ("Beam", 3, pytest.approx(0.04), None),
        ("Keypad", 2, pytest.approx(0.8), 24.0),
        ("Siren", 1, pytest.approx(0.6), 9.0),
        ("Reader", 1, 0.0, None),
    ]
    assert "not to be there" in rows[6].doubts[0]
    assert any("voltage is needed" in d or "@" in d for d in rows[7].doubts.values())
    # A number that belongs to the name stays in it.
    assert found[8][:2] == ("Sounder 24", 1)
