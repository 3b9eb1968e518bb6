"""Hours of full sun in the plane of a panel, month by month, from where it is, how it stands and how clear the sky is.

The mean day of each month (Klein, Solar Energy 19, 1977) with the declination of Spencer (Search 2, 1971); what reaches the ground is
the clearness times what arrives above the air; its diffuse part by the monthly correlation of Erbs, Klein and Duffie (Solar Energy 28, 1982);
spread over the day by Collares-Pereira and Rabl (Solar Energy 22, 1979) and Liu and Jordan (Solar Energy 4, 1960); onto the plane with a sky
that is equally bright all over and a ground that throws back a fifth. Shade, snow and horizon are not in it.
"""

import math

# Above the air. [kW/m²]
SOLAR_CONSTANT_KW_PER_M2 = 1.367
ALBEDO_RATIO = 0.2
# The day of the year that stands for each month (Klein).
MEAN_DAYS = (17, 47, 75, 105, 135, 162, 198, 228, 258, 288, 318, 344)
# Inside these the correlation of the diffuse part was made.
CLEARNESS_LIMITS = (0.3, 0.8)
STEPS_COUNT = 96


def declination_rad(day: int) -> float:
    """Return the declination on a day of the year (Spencer). [rad]"""
    b = math.radians(360.0 * (day - 1) / 365.0)
    first = 0.006918 - 0.399912 * math.cos(b) + 0.070257 * math.sin(b)
    return first - 0.006758 * math.cos(2 * b) + 0.000907 * math.sin(2 * b) - 0.002697 * math.cos(3 * b) + 0.00148 * math.sin(3 * b)


def sunset_rad(latitude_rad: float, declination: float) -> float:
    """Return the hour angle of sunset: 0 where the sun does not rise, π where it does not set. [rad]"""
    return math.acos(min(1.0, max(-1.0, -math.tan(latitude_rad) * math.tan(declination))))


def above_air_kwh_per_m2(latitude_degrees: float, day: int) -> float:
    """Return what arrives above the air on a level square metre in a day. [kWh/m²]"""
    phi, delta = math.radians(latitude_degrees), declination_rad(day)
    sunset = sunset_rad(phi, delta)
    distance = 1.0 + 0.033 * math.cos(math.radians(360.0 * day / 365.0))
    turn = math.cos(phi) * math.cos(delta) * math.sin(sunset) + sunset * math.sin(phi) * math.sin(delta)
    return max(0.0, 24.0 / math.pi * SOLAR_CONSTANT_KW_PER_M2 * distance * turn)


def diffuse_ratio(clearness_ratio: float, sunset: float) -> float:
    """Return the diffuse part of what reaches the ground in a month (Erbs, Klein and Duffie). [ratio]"""
    k = min(max(clearness_ratio, CLEARNESS_LIMITS[0]), CLEARNESS_LIMITS[1])
    if sunset <= math.radians(81.4):
        return 1.391 - 3.560 * k + 4.189 * k**2 - 2.137 * k**3
    return 1.311 - 3.022 * k + 3.427 * k**2 - 1.821 * k**3


def sun_hours(
    latitude_degrees: float, tilt_degrees: float, facing_degrees: float, clearness_by_month: tuple[float, ...]
) -> tuple[float, ...]:
    """Return the hours a day of full sun (1 kW/m²) in the plane of a panel, for twelve months from January. [h]

    Parameters
    ----------
    latitude_degrees
        North is positive.
    tilt_degrees
        0 lies flat, 90 stands upright.
    facing_degrees
        Where it faces, from north over east: 180 is south.
    clearness_by_month
        What reaches level ground over what arrives above the air.
    """
    months = zip(MEAN_DAYS, clearness_by_month, strict=True)
    return tuple(_of_day(latitude_degrees, tilt_degrees, facing_degrees, day, clearness) for day, clearness in months)


def _of_day(latitude_degrees: float, tilt_degrees: float, facing_degrees: float, day: int, clearness: float) -> float:
    phi, delta = math.radians(latitude_degrees), declination_rad(day)
    tilt = math.radians(tilt_degrees)
    sunset = sunset_rad(phi, delta)
    level = clearness * above_air_kwh_per_m2(latitude_degrees, day)
    if sunset <= 1e-6 or level <= 0.0:
        return 0.0
    diffuse = diffuse_ratio(clearness, sunset) * level
    width = 2.0 * sunset / STEPS_COUNT
    angles = [-sunset + (n + 0.5) * width for n in range(STEPS_COUNT)]
    # Each shape of the day is brought to the whole of the day, so that steps lose nothing.
    whole_weights = [_of_whole(w, sunset) for w in angles]
    diffuse_weights = [math.cos(w) - math.cos(sunset) for w in angles]
    whole_sum, diffuse_sum = sum(whole_weights), sum(diffuse_weights)
    direct = 0.0
    for w, a, b in zip(angles, whole_weights, diffuse_weights, strict=True):
        beam = max(0.0, level * a / whole_sum - diffuse * b / diffuse_sum)
        height = math.sin(phi) * math.sin(delta) + math.cos(phi) * math.cos(delta) * math.cos(w)
        if height > 0.01:
            direct += beam * max(0.0, _on_plane(phi, delta, w, tilt, math.radians(facing_degrees))) / height
    sky = diffuse * 0.5 * (1.0 + math.cos(tilt))
    ground = ALBEDO_RATIO * level * 0.5 * (1.0 - math.cos(tilt))
    return direct + sky + ground


def _of_whole(w: float, sunset: float) -> float:
    """Return the shape of the day of what reaches the ground (Collares-Pereira and Rabl), not scaled."""
    a = 0.409 + 0.5016 * math.sin(sunset - math.radians(60.0))
    b = 0.6609 - 0.4767 * math.sin(sunset - math.radians(60.0))
    return max(0.0, (a + b * math.cos(w)) * (math.cos(w) - math.cos(sunset)))


def _on_plane(phi: float, delta: float, w: float, tilt: float, facing: float) -> float:
    """Return the cosine of the angle at which the sun meets a plane: its direction in east, north and up, times the plane's."""
    east = -math.cos(delta) * math.sin(w)
    north = math.cos(phi) * math.sin(delta) - math.sin(phi) * math.cos(delta) * math.cos(w)
    up = math.sin(phi) * math.sin(delta) + math.cos(phi) * math.cos(delta) * math.cos(w)
    return math.sin(tilt) * (math.sin(facing) * east + math.cos(facing) * north) + math.cos(tilt) * up
