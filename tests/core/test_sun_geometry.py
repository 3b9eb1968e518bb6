"""Sun hours from latitude, tilt and clearness, against a well-kept solar library and against published values."""

import math

import numpy as np
import pandas as pd
import pytest
from pvlib import irradiance, location

from ypomoni.core.seasons.sun_geometry import MEAN_DAYS, above_air_kwh_per_m2, declination_rad, diffuse_ratio, sun_hours, sunset_rad

# The library asks pandas by a name that pandas is about to drop.
pytestmark = pytest.mark.filterwarnings("ignore:DatetimeIndex.dayofyear")
CLEAR = (0.30, 0.35, 0.38, 0.42, 0.45, 0.45, 0.45, 0.45, 0.42, 0.36, 0.31, 0.28)


def test_what_arrives_above_the_air_is_the_published_table():
    """Duffie and Beckman's monthly means for 45° north, in MJ/m²: January 12.2, June 41.7, December 10.7."""
    for day, published_mj in ((17, 12.2), (162, 41.7), (344, 10.7)):
        assert above_air_kwh_per_m2(45, day) * 3.6 == pytest.approx(published_mj, rel=0.02)
    assert above_air_kwh_per_m2(80, 344) == 0.0


@pytest.mark.parametrize("latitude", [-35, 0, 52])
def test_what_arrives_above_the_air_is_what_the_library_integrates(latitude):
    """Its own position of the sun, minute by minute, on the mean day of four months."""
    place = location.Location(latitude, 0, tz="UTC")
    for day in (17, 105, 198, 288):
        times = pd.date_range(pd.Timestamp("2023-01-01", tz="UTC") + pd.Timedelta(days=day - 1), periods=1440, freq="1min")
        up = np.cos(np.radians(place.get_solarposition(times)["zenith"].to_numpy())).clip(min=0)
        whole = float((irradiance.get_extra_radiation(times).to_numpy() * up).sum()) / 60_000
        assert above_air_kwh_per_m2(latitude, day) == pytest.approx(whole, rel=0.02)


@pytest.mark.parametrize(("latitude", "tilt", "facing"), [(52, 60, 180), (52, 0, 180), (40, 35, 120), (-35, 30, 0), (10, 90, 270)])
def test_the_plane_of_a_panel_gets_what_the_library_brings_onto_it(latitude, tilt, facing):
    """Our split of the day into direct and diffuse, brought onto the plane by the library with its position of the sun and an even sky."""
    found = sun_hours(latitude, tilt, facing, CLEAR)
    place = location.Location(latitude, 0, tz="UTC")
    for month in (1, 5, 9):
        day, clearness = MEAN_DAYS[month], CLEAR[month]
        sunset = sunset_rad(math.radians(latitude), declination_rad(day))
        level = clearness * above_air_kwh_per_m2(latitude, day) * 1000
        times = pd.date_range(pd.Timestamp("2023-01-01", tz="UTC") + pd.Timedelta(days=day - 1), periods=288, freq="5min")
        sun = place.get_solarposition(times)
        noon = times[int(np.argmin(sun["zenith"].to_numpy()))]
        w = np.radians(np.asarray((times - noon).total_seconds()) / 240.0)
        up = np.cos(w) - math.cos(sunset)
        a, b = 0.409 + 0.5016 * math.sin(sunset - math.pi / 3), 0.6609 - 0.4767 * math.sin(sunset - math.pi / 3)
        whole_shape, diffuse_shape = np.where(up > 0, (a + b * np.cos(w)) * up, 0).clip(min=0), np.where(up > 0, up, 0)
        ghi = level * whole_shape / whole_shape.sum() * 12
        dhi = diffuse_ratio(clearness, sunset) * level * diffuse_shape / diffuse_shape.sum() * 12
        zenith = sun["zenith"].to_numpy()
        height = np.cos(np.radians(zenith))
        dni = np.where(height > 0.02, (ghi - dhi).clip(min=0) / height.clip(min=0.02), 0)
        plane = irradiance.get_total_irradiance(
            tilt, facing, zenith, sun["azimuth"].to_numpy(), dni, ghi, dhi, albedo=0.2, model="isotropic"
        )
        assert found[month] == pytest.approx(float(np.nansum(plane["poa_global"])) / 12_000, rel=0.04, abs=0.03)


def test_what_the_place_does_to_the_sun_is_as_anybody_knows_it():
    """Flat, a panel does better in summer; upright it lives on the winter; facing away from the sun it gets less; on the night side nothing."""
    south, flat, north = sun_hours(52, 60, 180, CLEAR), sun_hours(52, 0, 180, CLEAR), sun_hours(52, 60, 0, CLEAR)
    assert flat[5] > south[5]
    assert south[11] > 1.5 * flat[11]
    assert all(a > b for a, b in zip(south, north, strict=True))
    assert sun_hours(-52, 60, 0, CLEAR)[5] == pytest.approx(sun_hours(52, 60, 180, (CLEAR[5],) * 12)[11], rel=0.1)
    assert sun_hours(75, 60, 180, CLEAR)[11] == 0.0
