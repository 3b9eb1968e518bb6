"""Lists of loads as people write them on paper."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ypomoni.documents.load_lines import read_load_lines

READ = {
    "2 Keypad 45 mA / 90 mA": (2, "Keypad", 0.045, 0.09, None),
    "2x keypad 45mA": (2, "Keypad", 0.045, None, None),
    "Keypad ×3 0,045 A": (3, "Keypad", 0.045, None, None),
    "Keypad, 45 mA x 3": (3, "Keypad", 0.045, None, None),
    "External siren: 20 mA, alarm 0,9 A": (1, "External siren", 0.02, 0.9, None),
    "Camera 4.2 W @ 12 V": (1, "Camera", 0.35, None, 12.0),
    "PIR zone 3 10.5 mA": (1, "PIR zone 3", 0.0105, None, None),
    "12 V relay 30 mA": None,
    "logger 5.6 µA": (1, "Logger", 5.6e-6, None, None),
}
REFUSED = {
    "45 mA": "no name",
    "Keypad 45": "45 without a unit",
    "2": "no name",
    "0 Keypad 45 mA": "1 to 10,000",
    "99999 Keypad 45 mA": "1 to 10,000",
    "Frobnicator": "the library knows no such device",
    "detector": "could be",
    "Lamp 1 A 2 A 3 A": "more than two currents",
    "Lamp 1 A and more": "not understood",
    "Lamp 5 W": "without a unit|no such device|is a power",
    "x" * 200 + " 1 A": "120 characters",
    "Lamp 1,200 mA": "could be",
}


@pytest.mark.parametrize("text", [t for t in READ if READ[t]])
def test_a_line_is_read_as_it_is_meant(text):
    """Counts before and after, decimal commas, watts at volts, figures in names."""
    (line,) = read_load_lines(text)
    quantity, name, standby_a, alarm_a, rail_v = READ[text]
    assert (line.fault, line.quantity, line.name, line.rail_v) == ("", quantity, name, rail_v)
    assert line.standby_a == pytest.approx(standby_a)
    assert line.alarm_a == (None if alarm_a is None else pytest.approx(alarm_a))


@pytest.mark.parametrize("text", REFUSED)
def test_a_line_that_says_too_little_or_too_much_is_told_what_to_change(text):
    """Never a figure that was not meant."""
    import re

    (line,) = read_load_lines(text)
    assert re.search(REFUSED[text], line.fault), line


def test_a_device_of_the_library_needs_no_current_and_a_slip_is_asked():
    """By its name, synonym or plural; a keypad of 45 A is asked about, of 45 mA not."""
    lines = read_load_lines("6 PIRs\n\n2 keypads\nKeypad 45 A\nKeypad 45 mA")
    assert [(x.quantity, x.device and x.device.name) for x in lines[:2]] == [(6, "Passive infrared detector"), (2, "Keypad")]
    assert [x.number for x in lines] == [1, 3, 4, 5]
    assert ["much for one piece" in x.doubt for x in lines] == [False, False, True, False]
    # An ampere is a keypad's at 12 V, much at 230 V, and a line that states its voltage is judged there.
    at_12_v, at_230_v = (read_load_lines("Keypad 1 A\nKeypad 12 W @ 12 V", supply_v) for supply_v in (12.0, 230.0))
    assert [bool(x.doubt) for x in at_12_v + at_230_v] == [False, False, True, False]


@given(
    st.text(max_size=80)
    | st.from_regex(r"[0-9]{0,3}[ x]?[A-Za-z ]{0,9}[0-9.,]{0,5} ?(mA|A|W @ 12 V)?[/ ]{0,2}[0-9.,]{0,4}(mA)?", fullmatch=True)
)
def test_any_text_is_read_or_told_and_never_both(text):
    """A line has a name with a current or a device, or a fault."""
    for line in read_load_lines(text):
        assert bool(line.fault) != (bool(line.name) and (line.standby_a is not None or line.device is not None))
