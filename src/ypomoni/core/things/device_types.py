"""Generic device types with the range of what they draw, and which of them a name means.

A start for an estimate, rough, to be measured [L]: the ranges are spans of what such devices commonly state; none is of a maker. A figure
picked from here is an estimate of ±40 % at best, and is shown as such. A current far outside the range of what a name means is a slip.
"""

import re
from dataclasses import dataclass
from functools import lru_cache

from ypomoni.core.telling.wording import say_amps
from ypomoni.core.things.loads import Lock

BASIS = "span of common data sheets; rough, measure it"


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceType:
    """A type: least, likely and greatest current of one piece in standby and in alarm, on its rail. [A, V]"""

    key: str
    name: str
    group: str
    rail_v: float
    behaviour: str
    standby_a: tuple[float, float, float]
    alarm_a: tuple[float, float, float] | None
    min_v: float | None
    purpose: str
    burst: tuple[float, float, float] | None
    lock: Lock | None = None
    basis: str = BASIS


# group | name | rail V | behaviour | standby low likely high | alarm low likely high or - | least V or - | purpose | burst or -
_TABLE = """
Intruder | Passive infrared detector | 12 | I | 5 10 18 mA | 8 14 25 mA | 9 | security | -
Intruder | Dual-technology detector | 12 | I | 10 17 30 mA | 14 24 40 mA | 9.5 | security | -
Intruder | Outdoor dual detector | 12 | I | 12 25 45 mA | 18 35 60 mA | 10 | security | -
Intruder | Perimeter beam, pair | 12 | P | 35 60 110 mA | 40 68 120 mA | 10.5 | security | -
Intruder | Glass-break detector | 12 | I | 8 15 25 mA | 12 22 35 mA | 9 | security | -
Intruder | Seismic detector | 12 | I | 3 6 15 mA | 5 12 25 mA | 8 | security | -
Intruder | Door contact, wired | 12 | I | 0 1 2 mA | - | - | security | -
Intruder | Keypad | 12 | I | 15 25 50 mA | 40 60 110 mA | 10 | security | -
Intruder | Keypad with touch screen | 12 | P | 60 110 180 mA | 120 200 320 mA | 10.5 | security | -
Intruder | Zone expander | 12 | I | 20 45 80 mA | 25 55 100 mA | 10 | security | -
Intruder | Output expander | 12 | I | 15 35 70 mA | 30 80 200 mA | 10 | security | -
Intruder | Wireless receiver | 12 | I | 25 45 80 mA | 30 50 90 mA | 10 | security | -
Intruder | Control panel board | 12 | I | 60 110 200 mA | 90 160 300 mA | 10.5 | security | -
Intruder | Internal sounder | 12 | I | 0 0 5 mA | 60 110 200 mA | 9 | security | -
Intruder | External siren with strobe | 12 | I | 5 20 40 mA | 250 400 900 mA | 9.5 | security | -
Intruder | Fog generator, heated | 12 | I | 30 80 200 mA | 200 500 1500 mA | 10.5 | security | -
Intruder | Panic button receiver | 12 | I | 10 20 40 mA | - | 9 | life_safety | -
Signalling | Cellular communicator | 12 | P | 30 55 100 mA | 45 80 150 mA | 10.5 | security | 800 1500 2200 mA; 10 s, 1 an hour
Signalling | Dual-path communicator | 12 | P | 60 110 200 mA | 90 160 280 mA | 10.5 | security | 800 1600 2400 mA; 10 s, 1 an hour
Signalling | Ethernet communicator | 12 | P | 50 90 160 mA | 60 100 180 mA | 10 | security | -
Signalling | Telephone dialler | 12 | I | 10 20 40 mA | 60 100 180 mA | 10 | security | -
Signalling | Radio transmitter, long range | 12 | I | 20 60 150 mA | - | 10.8 | security | 1000 2000 4000 mA; 3 s, 1 an hour
Fire | Smoke detector, conventional | 24 | I | 40 80 150 µA | 15 30 60 mA | 18 | life_safety | -
Fire | Smoke detector, addressable | 24 | I | 150 300 600 µA | 2 5 12 mA | 17 | life_safety | -
Fire | Heat detector, addressable | 24 | I | 150 300 500 µA | 2 5 12 mA | 17 | life_safety | -
Fire | Manual call point, addressable | 24 | I | 100 250 500 µA | 2 5 10 mA | 17 | life_safety | -
Fire | Beam smoke detector | 24 | I | 3 8 20 mA | 5 15 35 mA | 18 | life_safety | -
Fire | Aspirating detector | 24 | P | 150 300 600 mA | 200 380 700 mA | 20 | life_safety | -
Fire | Fire sounder | 24 | I | 0 0.2 1 mA | 8 16 30 mA | 17 | life_safety | -
Fire | Fire beacon | 24 | I | 0 0.2 1 mA | 10 25 60 mA | 17 | life_safety | -
Fire | Input/output module, addressable | 24 | I | 300 600 1200 µA | 2 6 20 mA | 17 | life_safety | -
Fire | Loop isolator | 24 | I | 50 100 200 µA | - | 17 | life_safety | -
Fire | Fire panel board, one loop | 24 | I | 100 180 300 mA | 200 320 600 mA | 20 | life_safety | -
Fire | Repeater panel | 24 | I | 40 80 150 mA | 60 120 250 mA | 20 | life_safety | -
Fire | Door holder magnet | 24 | R | 40 65 110 mA | 0 0 0 mA | 18 | life_safety | -
Access | Card reader | 12 | I | 30 60 120 mA | - | 9 | security | 80 130 200 mA; 2 s, 20 an hour
Access | Card reader with keypad | 12 | I | 50 90 160 mA | - | 9 | security | 100 180 260 mA; 3 s, 20 an hour
Access | Biometric reader | 12 | P | 150 280 500 mA | - | 10.5 | security | -
Access | Door controller, one door | 12 | I | 50 100 180 mA | - | 10 | security | -
Access | Door controller, four doors | 12 | I | 120 220 400 mA | - | 10 | security | -
Access | Door magnet, fail-safe | 12 | R | 200 300 550 mA | - | 10 | security | -
Access | Electric strike, fail-secure | 12 | R | 0 0 0 mA | - | 10 | security | 200 300 500 mA; 5 s, 10 an hour
Access | Motor lock | 12 | I | 20 60 120 mA | - | 10.5 | security | 600 1200 2500 mA; 3 s, 10 an hour
Access | Exit button, illuminated | 12 | I | 5 15 30 mA | - | 9 | security | -
Access | Door intercom | 12 | I | 40 90 180 mA | - | 10 | convenience | 150 300 500 mA; 30 s, 2 an hour
Video | Camera, fixed, wired power | 12 | P | 150 250 420 mA | - | 10.8 | security | -
Video | Camera with infrared lamps | 12 | P | 250 450 900 mA | - | 10.8 | security | -
Video | Camera, pan and tilt | 24 | P | 400 800 1800 mA | - | 20 | security | -
Video | Recorder, small | 12 | P | 700 1200 2500 mA | - | 11 | security | -
Video | Switch for cameras, five ports | 12 | P | 150 300 600 mA | - | 10.5 | security | -
Network | Router | 12 | P | 350 600 1200 mA | - | 10.8 | convenience | -
Network | Cellular router | 12 | P | 200 350 700 mA | - | 9 | monitoring | -
Network | Fibre converter | 12 | P | 120 250 450 mA | - | 10 | monitoring | -
Network | Wireless access point | 12 | P | 250 450 900 mA | - | 10.5 | convenience | -
Monitoring | Data logger, sleeping | 5 | I | 5 40 200 µA | - | 3.3 | monitoring | 20 60 150 mA; 3 s, 6 an hour
Monitoring | Humidity logger, sending | 5 | I | 0.5 4 10 mA | - | 4.5 | monitoring | 60 120 250 mA; 3 s, 6 an hour
Monitoring | Telemetry unit | 12 | I | 5 25 80 mA | - | 10 | monitoring | 300 800 2000 mA; 20 s, 1 an hour
Monitoring | Level transmitter, 4 to 20 mA | 24 | I | 4 12 21 mA | - | 12 | monitoring | -
Monitoring | Ultrasonic level sensor | 12 | I | 10 30 70 mA | - | 10 | monitoring | -
Monitoring | Flood switch with relay | 12 | I | 0 5 20 mA | 20 40 60 mA | 9 | monitoring | -
Monitoring | Gas detector | 24 | P | 60 110 250 mA | 100 180 350 mA | 18 | life_safety | -
Monitoring | Fridge monitor | 5 | I | 20 60 150 mA | - | 4.5 | monitoring | -
Monitoring | Relay, coil on | 12 | R | 20 35 60 mA | - | 9 | monitoring | -
Monitoring | Indicator lamp, LED | 12 | I | 3 10 25 mA | - | 8 | convenience | -
Monitoring | Cabinet fan | 12 | I | 80 150 300 mA | - | 8 | monitoring | -
"""
_BEHAVIOURS = {"I": "constant_current", "P": "constant_power", "R": "resistive"}


_UNITS_A = {"A": 1.0, "mA": 1e-3, "µA": 1e-6}
# A magnet on a door lets go in a fire alarm, which the library leaves to whoever enters it; an intruder alarm does not release it.
_LOCKS = {"Door magnet, fail-safe": Lock.FAIL_SAFE, "Electric strike, fail-secure": Lock.FAIL_SECURE}


def _span(text: str) -> tuple[float, float, float]:
    *numbers, unit = text.split()
    # Rounded as they are written, so that 14 mA is 0.014 A and no neighbour of it.
    low, likely, high = (round(float(n) * _UNITS_A[unit], 12) for n in numbers)
    return low, likely, high


def _type(line: str) -> DeviceType:
    group, name, rail, behaviour, standby, alarm, least, purpose, burst = (part.strip() for part in line.split("|"))
    found = None
    if burst != "-":
        span, _, often = burst.partition(";")
        duration_s, per_hour = re.findall(r"\d+", often)
        found = (_span(span)[1], float(duration_s), float(per_hour))
    return DeviceType(
        key="type-" + "".join(c if c.isalnum() else "-" for c in name.lower()),
        name=name,
        group=group,
        rail_v=float(rail),
        behaviour=_BEHAVIOURS[behaviour],
        standby_a=_span(standby),
        alarm_a=None if alarm == "-" else _span(alarm),
        min_v=None if least == "-" else float(least),
        purpose=purpose,
        burst=found,
        lock=_LOCKS.get(name),
    )


DEVICE_TYPES: tuple[DeviceType, ...] = tuple(_type(line) for line in _TABLE.strip().splitlines())


# -- which type a name means -----------------------------------------------------------------------------------------------------------

# Outside the range of its kind by more than this, a current is a slip rather than an odd device.
IMPROBABLE_TIMES = 30.0
# Words in common use, each for the word the table below knows. Several words for one are written together first.
_PHRASES = {
    "access point": "accesspoint",
    "call point": "callpoint",
    "break glass unit": "callpoint",
    "glass break": "glassbreak",
    "dual tech": "dualtech",
    "dual technology": "dualtech",
    "motion sensor": "pir",
    "motion detector": "pir",
    "movement detector": "pir",
    "movement sensor": "pir",
    "passive infrared": "pir",
    "mag lock": "maglock",
    "magnetic lock": "maglock",
    "door magnet": "maglock",
    "lock magnet": "maglock",
    "door mag": "maglock",
    "em lock": "maglock",
    "electromagnetic lock": "maglock",
    "electro magnetic lock": "maglock",
    "shear lock": "maglock",
    "motor lock": "motorlock",
    "motorised lock": "motorlock",
    "motorized lock": "motorlock",
    "electro magnet": "maglock",
    "door holder": "doorholder",
    "hold open": "doorholder",
    "door release": "strike",
    "electric strike": "strike",
    "electric release": "strike",
    "lock release": "strike",
    "bell box": "siren",
    "door contact": "doorcontact",
    "reed contact": "doorcontact",
    "magnetic contact": "doorcontact",
    "mag contact": "doorcontact",
    "reed switch": "doorcontact",
    "network switch": "netswitch",
    "ethernet switch": "netswitch",
    "poe switch": "netswitch",
    "float switch": "floodswitch",
    "flood switch": "floodswitch",
    "flood float": "floodswitch",
    "fibre converter": "mediaconverter",
    "fiber converter": "mediaconverter",
    "media converter": "mediaconverter",
    "level sensor": "leveldetector",
    "level transmitter": "leveldetector",
    "card reader": "reader",
    "prox reader": "reader",
    "proximity reader": "reader",
    "badge reader": "reader",
    "door controller": "doorcontroller",
    "access controller": "doorcontroller",
    "control panel": "panelboard",
    "exit button": "exitbutton",
    "request to exit": "exitbutton",
    "zone expander": "expander",
    "remote i/o": "expander",
    "beam detector": "beam",
    "infrared beam": "beam",
}
_WORDS = {
    "det": "detector",
    "dets": "detector",
    "detectors": "detector",
    "sensor": "detector",
    "pirs": "pir",
    "dt": "dualtech",
    "gbd": "glassbreak",
    "reed": "doorcontact",
    "contact": "doorcontact",
    "flasher": "beacon",
    "flash": "beacon",
    "rtu": "telemetry",
    "fogger": "fog",
    "maglocks": "maglock",
    "magnet": "maglock",
    "electromagnet": "maglock",
    "sounder": "sounder",
    "sndr": "sounder",
    "bell": "siren",
    "horn": "siren",
    "strobe": "siren",
    "cam": "camera",
    "cctv": "camera",
    "dome": "camera",
    "bullet": "camera",
    "nvr": "recorder",
    "dvr": "recorder",
    "kp": "keypad",
    "rkp": "keypad",
    "kpd": "keypad",
    "mcp": "callpoint",
    "bgu": "callpoint",
    "smk": "smoke",
    "optical": "smoke",
    "gsm": "communicator",
    "gprs": "communicator",
    "dialer": "dialler",
    "comms": "communicator",
    "modem": "communicator",
    "ap": "accesspoint",
    "wap": "accesspoint",
    "ptz": "pantilt",
    "rdr": "reader",
    "exp": "expander",
    "rte": "exitbutton",
    "rex": "exitbutton",
    "interphone": "intercom",
    "entryphone": "intercom",
    "tx": "transmitter",
    "vibration": "seismic",
    "shock": "seismic",
    "beacon": "beacon",
}
# What a name must hold, most telling first, and the types it then means: any of them, where it does not say which.
_MEANS: tuple[tuple[tuple[str, ...], tuple[str, ...]], ...] = (
    (("doorholder",), ("Door holder magnet",)),
    (("beam", "smoke"), ("Beam smoke detector",)),
    (("aspirating",), ("Aspirating detector",)),
    (("smoke",), ("Smoke detector, conventional", "Smoke detector, addressable")),
    (("heat", "detector"), ("Heat detector, addressable", "Smoke detector, conventional")),
    (("callpoint",), ("Manual call point, addressable", "Smoke detector, conventional")),
    (("maglock",), ("Door magnet, fail-safe",)),
    (("motorlock",), ("Motor lock",)),
    (("strike",), ("Electric strike, fail-secure",)),
    (("dualtech",), ("Dual-technology detector", "Outdoor dual detector")),
    (("outdoor", "detector"), ("Outdoor dual detector", "Passive infrared detector")),
    (("pir",), ("Passive infrared detector", "Dual-technology detector", "Outdoor dual detector")),
    (("glassbreak",), ("Glass-break detector",)),
    (("seismic",), ("Seismic detector",)),
    (("beam",), ("Perimeter beam, pair",)),
    (("doorcontact",), ("Door contact, wired",)),
    (("keypad", "touch"), ("Keypad with touch screen",)),
    (("reader",), ("Card reader", "Card reader with keypad", "Biometric reader")),
    (("keypad",), ("Keypad", "Keypad with touch screen", "Card reader with keypad")),
    (("expander",), ("Zone expander", "Output expander")),
    (("communicator",), ("Cellular communicator", "Dual-path communicator", "Ethernet communicator")),
    (("dialler",), ("Telephone dialler",)),
    (("siren",), ("External siren with strobe", "Internal sounder", "Fire sounder")),
    (("sounder",), ("Internal sounder", "Fire sounder", "External siren with strobe")),
    (("beacon",), ("Fire beacon", "External siren with strobe")),
    (("doorcontroller",), ("Door controller, one door", "Door controller, four doors")),
    (("exitbutton",), ("Exit button, illuminated",)),
    (("intercom",), ("Door intercom",)),
    (("pantilt",), ("Camera, pan and tilt", "Camera with infrared lamps")),
    (("camera",), ("Camera, fixed, wired power", "Camera with infrared lamps", "Camera, pan and tilt")),
    (("recorder",), ("Recorder, small",)),
    (("router",), ("Router", "Cellular router")),
    (("accesspoint",), ("Wireless access point",)),
    (("netswitch",), ("Switch for cameras, five ports",)),
    (("mediaconverter",), ("Fibre converter",)),
    (("logger",), ("Data logger, sleeping", "Humidity logger, sending", "Telemetry unit")),
    (("telemetry",), ("Telemetry unit",)),
    (("leveldetector",), ("Level transmitter, 4 to 20 mA", "Ultrasonic level sensor")),
    (("floodswitch",), ("Flood switch with relay",)),
    (("fog",), ("Fog generator, heated",)),
    (("repeater", "panel"), ("Repeater panel",)),
    (("fire", "panel"), ("Fire panel board, one loop",)),
    (("panelboard",), ("Control panel board", "Fire panel board, one loop")),
    (("relay",), ("Relay, coil on",)),
    (
        ("detector",),
        ("Passive infrared detector", "Dual-technology detector", "Outdoor dual detector", "Smoke detector, conventional", "Gas detector"),
    ),
)
# Words that make a name mean something else than its last one: a reader's bracket, a power supply for a camera.
_NOT_THE_DEVICE = frozenset(
    {
        "supply",
        "psu",
        "battery",
        "charger",
        "heater",
        "fuse",
        "cable",
        "bracket",
        "converter",
        "switch",
        "everything",
        "all",
        "total",
        "not",
    }
)


# Compiled once: a site has thousands of names.
_NO_WORD, _PLURAL = re.compile(r"[^a-z0-9/]+"), re.compile(r"\b([a-z]{2,}[a-rt-z])s\b")
_PHRASES_IN_TEXT = tuple((re.compile(rf"\b{re.escape(phrase)}\b"), word) for phrase, word in _PHRASES.items())
_TYPES_BY_NAME = {t.name: t for t in DEVICE_TYPES}
_TYPES_BY_LOWER_NAME = {t.name.casefold(): t for t in reversed(DEVICE_TYPES)}


def _tokens(name: str) -> frozenset[str]:
    text = _PLURAL.sub(r"\1", _NO_WORD.sub(" ", name.casefold()).strip())
    for pattern, word in _PHRASES_IN_TEXT:
        text = pattern.sub(word, text)
    return frozenset(_WORDS.get(word, word) for word in text.split())


@lru_cache(maxsize=16_384)
def types_of(name: str) -> tuple[DeviceType, ...]:
    """Return the device types a name can mean, by synonyms, plurals and abbreviations in common use; none where it says nothing we know."""
    exact = _TYPES_BY_LOWER_NAME.get(name.strip().casefold())
    if exact is not None:
        return (exact,)
    tokens = _tokens(name)
    if tokens & _NOT_THE_DEVICE:
        return ()
    for words, names in _MEANS:
        if tokens.issuperset(words):
            return tuple(_TYPES_BY_NAME[n] for n in names)
    return ()


def usual_rail_v(name: str) -> float:
    """Return the voltage that a device of such a name usually runs at; 12 V where the name says nothing. [V]"""
    return next((t.rail_v for t in types_of(name)), 12.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Improbable:
    """A current that is far outside the range of what its name means. [A]"""

    type_name: str
    current_a: float
    low_a: float
    high_a: float
    in_alarm: bool

    @property
    def is_above(self) -> bool:
        """Whether it is too much rather than too little."""
        return self.current_a > self.high_a


def say_improbable(found: Improbable) -> str:
    """Say what is odd about a current, for a question."""
    much = "much" if found.is_above else "little"
    return f"{say_amps(found.current_a)} is {much} for one piece: a {found.type_name.lower()} draws {say_amps(found.low_a)} to {say_amps(found.high_a)}"


def improbable_current(name: str, rail_v: float, current_a: float, *, in_alarm: bool) -> Improbable | None:
    """Return why a current of one piece is improbable for a device of this name, or None. [V, A]

    The ranges are taken at the rail of the load: a device takes about the same power at another voltage.
    """
    types = types_of(name)
    if not types or current_a <= 0 or rail_v <= 0:
        return None
    spans = [(t.alarm_a if in_alarm and t.alarm_a else t.standby_a, t.rail_v / rail_v) for t in types]
    if in_alarm:
        spans += [(t.standby_a, t.rail_v / rail_v) for t in types]
    low_a = min(span[0] * ratio for span, ratio in spans)
    high_a = max(span[2] * ratio for span, ratio in spans)
    if low_a / IMPROBABLE_TIMES <= current_a <= high_a * IMPROBABLE_TIMES or high_a <= 0:
        return None
    return Improbable(type_name=types[0].name, current_a=current_a, low_a=low_a, high_a=high_a, in_alarm=in_alarm)
