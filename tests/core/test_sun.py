"""The roof, against pvlib's own chain and against what anybody can see; the sky's chances; the house's load."""

from datetime import UTC, datetime, time
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pvlib
import pytest

from moonplan.core.house_load import learned_load
from moonplan.core.sun import Array, Irradiance, Place, SkyFactor, clear_output_kw, correction, output_kw, surplus_kw
from moonplan.core.timegrid import Grid

HERE = ZoneInfo("Europe/Ljubljana")
PLACE = Place(46.1, 14.6)


def day_of(text: str, zone: ZoneInfo = HERE) -> Grid:
    return Grid(int(datetime.fromisoformat(text).replace(tzinfo=zone).timestamp()), 15, 96, zone)


def weather_of(name: str):
    """A weather file that pvlib ships, and where it was measured."""
    path = Path(pvlib.__file__).parent / "data" / name
    weather, about = pvlib.iotools.read_tmy3(path, coerce_year=1990, map_variables=True)
    return weather, Place(about["latitude"], about["longitude"])


def chain_of(weather, place: Place, tilt: float, azimuth: float) -> "pvlib.modelchain.ModelChain":
    """pvlib's own chain of an array of 6.4 kWp, with its standard system losses of 14 % and an inverter of 96 %."""
    mount = pvlib.pvsystem.FixedMount(surface_tilt=tilt, surface_azimuth=azimuth)
    cells = pvlib.temperature.TEMPERATURE_MODEL_PARAMETERS["sapm"]["open_rack_glass_glass"]
    array = pvlib.pvsystem.Array(
        mount, module_parameters={"pdc0": 6400, "gamma_pdc": -0.003}, temperature_model_parameters=cells
    )
    system = pvlib.pvsystem.PVSystem(arrays=[array], inverter_parameters={"pdc0": 6400 / 0.96})
    at = pvlib.location.Location(place.latitude, place.longitude, tz="UTC")
    chain = pvlib.modelchain.ModelChain.with_pvwatts(system, at)
    chain.run_model(weather)
    return chain


@pytest.mark.parametrize(("tilt", "azimuth"), [(30, 180), (15, 90), (40, 220)])
@pytest.mark.parametrize("file", ["703165TY.csv", "723170TYA.CSV"])
def test_a_year_s_yield_is_within_five_percent_of_pvlib_s_own_chain(file: str, tilt: float, azimuth: float):
    weather, place = weather_of(file)
    chain = chain_of(weather, place, tilt, azimuth)
    reference_kwh = float(chain.results.ac.fillna(0).clip(lower=0).sum()) / 1000
    # Here heat counts among the losses: what warm cells lose in this place, over the year.
    light_in = chain.results.effective_irradiance.fillna(0)
    heat = float((light_in * 0.003 * (chain.results.cell_temperature - 25)).sum() / light_in.sum())

    light = Irradiance(*(weather[name].to_numpy(dtype=float) for name in ("ghi", "dni", "dhi")))
    seconds = weather.index.tz_convert("UTC").as_unit("s").asi8
    losses = 1 - 0.86 * 0.96 * (1 - heat)
    ours_kwh = float(output_kw(Array(6.4, tilt, azimuth, losses=losses), place, seconds, light).sum())

    assert ours_kwh == pytest.approx(reference_kwh, rel=0.05)
    assert abs(heat) < 0.06


def test_a_clear_summer_day_gives_more_than_a_winter_one_and_a_night_nothing():
    roof = [Array(6.4, 35, 180)]
    june, january = (clear_output_kw(roof, PLACE, day_of(day)) for day in ("2026-06-21", "2026-01-14"))

    assert june[:12].max() == 0
    assert june.sum() > 1.6 * january.sum()
    # Facing south, the day's middle of output is near solar noon: 13:02 in June on this clock.
    middle = float((june * np.arange(96)).sum() / june.sum()) / 4
    assert middle == pytest.approx(13.1, abs=0.3)


def test_east_comes_before_west_and_both_together_are_their_sum():
    east, west = Array(3, 30, 90), Array(3, 30, 270)
    grid = day_of("2026-06-21")
    morning, evening = (clear_output_kw([one], PLACE, grid) for one in (east, west))

    assert np.argmax(morning) < np.argmax(evening)
    assert clear_output_kw([east, west], PLACE, grid) == pytest.approx(morning + evening)


def test_the_inverter_caps_and_losses_and_corrections_scale():
    grid = day_of("2026-06-21")
    plain = clear_output_kw([Array(10, 30, 180, losses=0.0)], PLACE, grid)
    capped = clear_output_kw([Array(10, 30, 180, losses=0.0, inverter_kw=5.0)], PLACE, grid)

    assert capped == pytest.approx(np.minimum(plain, 5.0))
    assert clear_output_kw([Array(10, 30, 180, losses=0.2, correction=0.5)], PLACE, grid) == pytest.approx(plain * 0.4)


def test_south_of_the_equator_the_sun_stands_in_the_north():
    sydney = Place(-33.9, 151.2)
    grid = day_of("2026-06-21", ZoneInfo("Australia/Sydney"))

    north, south = (clear_output_kw([Array(5, 40, azimuth)], sydney, grid).sum() for azimuth in (0, 180))
    assert north > 3 * south


def test_no_panels_no_sun():
    assert clear_output_kw([], PLACE, day_of("2026-06-21")).sum() == 0


def test_the_chance_goes_through_the_forecast_s_points():
    sky = SkyFactor(low=0.2, middle=0.5, high=0.8)

    assert sky.chance_of_at_least(0.0) == 1
    assert [round(sky.chance_of_at_least(x), 6) for x in (0.2, 0.5, 0.8)] == [0.9, 0.5, 0.1]
    # Half way between two points, half way between their chances; and never more than twice as far above the highest.
    assert sky.chance_of_at_least(0.35) == pytest.approx(0.7)
    assert sky.chance_of_at_least(1.1) == pytest.approx(0.0, abs=1e-6)


def test_dull_days_say_nothing_of_a_roof_and_bright_ones_agree():
    modelled = np.array([20.0, 22, 18, 21, 19, 3, 2])
    measured = modelled * 0.9
    # Two dull days that were measured at three times the model, and a day without measurement.
    measured[5:] = modelled[5:] * 3
    measured[0] = np.nan
    assert correction(measured[:5], modelled[:5]) is None
    six = np.append(measured, 0.9 * 23), np.append(modelled, 23)

    found = correction(*six)
    assert found is not None
    assert (found.factor, found.n_days) == (pytest.approx(0.9), 5)


def test_what_the_house_takes_is_no_surplus():
    assert list(surplus_kw(np.array([1.0, 0.5]), np.array([0.4, 2.0]))) == [0.0, 1.5]


def a_fortnight() -> np.ndarray:
    start = int(datetime(2026, 1, 1, tzinfo=HERE).astimezone(UTC).timestamp())
    return start + np.arange(0, 14 * 48 + 1) * 1800


def test_the_cars_and_the_sun_are_taken_out_of_the_meter():
    edges = a_fortnight()
    half_hours = np.arange(14 * 48) % 48
    house = np.where((half_hours >= 34) & (half_hours < 44), 1.5, 0.4)
    sun = np.where((half_hours >= 20) & (half_hours < 28), 2.0, 0.0)
    # Most nights a car charges at three: without its meter the house would seem to.
    cars = np.where((half_hours == 6) & (np.arange(14 * 48) // 48 % 3 > 0), 7.0, 0.0)
    net = house + cars - sun
    seen = {"grid_kw": np.maximum(0, net), "export_kw": np.maximum(0, -net), "sun_kw": sun}

    found = learned_load(edges, HERE, cars_kw=cars, **seen)
    assert found is not None
    assert found.profile == ((time(0), 0.4), (time(17), 1.5), (time(22), 0.4))
    assert (found.n_days, found.cars_known) == (14, True)
    assert found.kwh_a_day == pytest.approx(5 * 1.5 + 19 * 0.4)

    blind = learned_load(edges, HERE, cars_kw=np.full(14 * 48, np.nan), **seen)
    assert blind is not None
    assert not blind.cars_known
    assert max(kw for _, kw in blind.profile) == pytest.approx(7.4)


def test_a_few_days_of_a_meter_are_no_usual_day():
    edges = a_fortnight()[: 6 * 48 + 1]
    nothing = np.full(6 * 48, np.nan)

    assert learned_load(edges, HERE, grid_kw=np.ones(6 * 48), export_kw=nothing, sun_kw=nothing, cars_kw=nothing) is None
