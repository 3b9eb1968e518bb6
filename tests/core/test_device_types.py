"""Names as people write them mean a type of the library, and what they do not mean is left alone."""

import pytest

from ypomoni.core.things.device_types import DEVICE_TYPES, IMPROBABLE_TIMES, improbable_current, types_of

MEANT = {
    "Door magnet, fail-safe": ("Magnetic lock", "mag-locks", "EM lock", "Electromagnetic locks", "door mags", "Maglock 280 kg"),
    "Passive infrared detector": ("PIRs", "Motion sensor, hall", "movement detectors", "Passive infrared"),
    "Glass-break detector": ("glass break", "Glass breaks", "GBD"),
    "Door contact, wired": ("window contact", "Reed switch", "mag contact"),
    "Electric strike, fail-secure": ("el. strike", "Door release"),
    "Smoke detector, conventional": ("Smoke heads", "optical smk det"),
    "Keypad": ("RKP", "kpd"),
    "Exit button, illuminated": ("REX", "Request to exit"),
    "Switch for cameras, five ports": ("PoE switch",),
    "Flood switch with relay": ("float switch",),
}
NOT_MEANT = ("Power supply for camera", "camera heater", "Keypad cable", "reader bracket", "wall-mounted thing", "Gas", "everything else")


@pytest.mark.parametrize("name", MEANT)
def test_synonyms_plurals_and_abbreviations_mean_the_type(name):
    """Each of them, and asked about in mA for A where it is far off."""
    for said in MEANT[name]:
        assert name in {t.name for t in types_of(said)}, said


def test_a_contact_with_a_magnet_is_no_lock_and_other_things_are_left_alone():
    """A magnetic contact is a door contact; what only stands beside a device is not one."""
    assert [t.name for t in types_of("Magnetic contact")] == ["Door contact, wired"]
    for said in NOT_MEANT:
        assert types_of(said) == (), said


@pytest.mark.parametrize("kind", DEVICE_TYPES, ids=lambda t: t.name)
def test_what_a_type_usually_draws_is_never_asked_and_a_thousand_times_it_always_is(kind):
    """Both ends of its range are fine at its rail; a slip of a thousand from the middle of it is not."""
    low_a, likely_a, high_a = kind.standby_a
    for current_a in (low_a, likely_a, high_a):
        assert improbable_current(kind.name, kind.rail_v, current_a, in_alarm=False) is None
    if likely_a > 0 and high_a / likely_a < 1000 / IMPROBABLE_TIMES:
        slip = improbable_current(kind.name, kind.rail_v, 1000 * likely_a, in_alarm=False)
        assert slip is not None
        assert slip.is_above
    if low_a > 0 and likely_a / low_a < 1000 / IMPROBABLE_TIMES:
        slip = improbable_current(kind.name, kind.rail_v, likely_a / 1000, in_alarm=False)
        assert slip is not None
        assert not slip.is_above
