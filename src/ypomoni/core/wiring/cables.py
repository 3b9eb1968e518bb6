"""What copper carries and what it loses: sections that are sold, the current each bears, and its drop."""

from ypomoni.core.chemistries.model import interpolate
from ypomoni.core.things.loads import Cable

# (mm², A) that a copper cable with PVC is rated for: thin ones rough [L], from 6 mm² on by the careful column of IEC 60364-5-52 (B1, three
# loaded conductors, 30 °C), recalled: check the edition in force. The cable's own sheet and local rules win.
AMPACITY_ROWS = (
    (0.22, 1.0),
    (0.5, 3.0),
    (0.75, 6.0),
    (1.0, 10.0),
    (1.5, 14.0),
    (2.5, 20.0),
    (4.0, 28.0),
    (6.0, 36.0),
    (10.0, 50.0),
    (16.0, 68.0),
    (25.0, 89.0),
    (35.0, 110.0),
    (50.0, 134.0),
    (70.0, 171.0),
    (95.0, 207.0),
)
AMPACITY_SOURCE = "what a single flexible copper lead bears in a warm cupboard, rough [L]: the cable's own sheet and local rules win"
GREATEST_SECTION_MM2, GREATEST_AMPACITY_A = AMPACITY_ROWS[-1]
# A battery lead thinner than this breaks before it heats. Good practice. [M]
LEAST_LEAD_MM2 = 1.0
COPPER_DEGC = 20.0


def ampacity_a(section_mm2: float) -> float:
    """Return what a section bears for good: linear between the rows, in proportion below them, no more than the last beyond. [A]"""
    first_mm2, first_a = AMPACITY_ROWS[0]
    return first_a * section_mm2 / first_mm2 if section_mm2 < first_mm2 else interpolate(AMPACITY_ROWS, section_mm2)


def is_beyond_table(section_mm2: float) -> bool:
    """Say whether a section is thicker than any of which it is known what it bears."""
    return section_mm2 > GREATEST_SECTION_MM2 * (1 + 1e-9)


def drop_v(current_a: float, length_m: float, section_mm2: float, degc: float = COPPER_DEGC) -> float:
    """Return what a lead loses there and back, ΔU = 2·L·I·ρ/A. [V] ``length_m`` is one way."""
    return current_a * Cable(length_m=length_m, section_mm2=section_mm2).resistance_ohm(degc)


def section_for(current_a: float, *, length_m: float = 0.0, loses_v: float | None = None, drop_current_a: float = 0.0) -> float | None:
    """Return the smallest sold section that bears a current for good, and loses no more than so much; None beyond the table. [mm²]

    Parameters
    ----------
    loses_v, length_m, drop_current_a
        The drop that is allowed, over what length one way, at which current. [V, m, A]
    """
    for section_mm2, bears_a in AMPACITY_ROWS:
        enough = section_mm2 >= LEAST_LEAD_MM2 and bears_a >= current_a * (1 - 1e-9)
        if enough and (loses_v is None or drop_v(drop_current_a, length_m, section_mm2) <= loses_v * (1 + 1e-9)):
            return section_mm2
    return None
