"""Generic device types with the range of what they draw: a start for an estimate, rough, to be measured. [L]

The ranges are spans of what such devices commonly state; none is of a maker. A figure picked from here is an estimate of ±40 % at best, and
is shown as such.
"""

from dataclasses import dataclass

from ypomoni.documents.quantities import read_current, read_duty

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
Access | Door magnet, fail-safe | 12 | R | 200 300 550 mA | 0 0 0 mA | 10 | security | -
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


def _span(text: str) -> tuple[float, float, float]:
    *numbers, unit = text.split()
    low, likely, high = (read_current(f"{n} {unit}")[0] for n in numbers)
    return low, likely, high


def _type(line: str) -> DeviceType:
    group, name, rail, behaviour, standby, alarm, least, purpose, burst = (part.strip() for part in line.split("|"))
    found = None
    if burst != "-":
        span, _, often = burst.partition(";")
        duty = read_duty(often)
        found = (_span(span)[1], duty.duration_s or 1.0, duty.per_hour)
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
    )


DEVICE_TYPES: tuple[DeviceType, ...] = tuple(_type(line) for line in _TABLE.strip().splitlines())
