"""Distance and need: what a trip takes, and what must be aboard when it begins (rules, section 3)."""

from moonplan.core.household import Trip, Vehicle

# Cold raises consumption by this much per °C below the limit, at most to the ceiling.
COLD_BELOW_C = 15.0
COLD_PER_C = 0.01
COLD_AT_MOST = 1.35


def weather_factor(temperature_c: float | None) -> float:
    """Factor on consumption for the outside temperature; 1.0 where none is known."""
    if temperature_c is None:
        return 1.0
    return min(COLD_AT_MOST, 1.0 + COLD_PER_C * max(0.0, COLD_BELOW_C - temperature_c))


def trip_kwh(trip: Trip, vehicle: Vehicle) -> float:
    """Energy that a trip takes out of the battery, less what is charged on the way. [kWh]"""
    used = trip.km * vehicle.use_kwh_per_100km / 100 * weather_factor(trip.temperature_c)
    return max(0.0, used - trip.gain_kwh)


def needed_soc(trip: Trip, vehicle: Vehicle) -> float:
    """SoC that the trip itself needs at departure, with the reserve. [fraction]"""
    return min(1.0, trip_kwh(trip, vehicle) / vehicle.usable_kwh + vehicle.reserve_pct / 100)


def required_soc(trip: Trip, vehicle: Vehicle) -> float:
    """SoC that must be aboard at departure. [fraction]"""
    needed = needed_soc(trip, vehicle)
    return min(1.0, max(needed, trip.fill_to_pct / 100)) if trip.fill else needed


def on_the_way_kwh(trip: Trip, vehicle: Vehicle) -> float:
    """What a trip needs beyond a full battery: to be charged on the way. [kWh]"""
    needed = trip_kwh(trip, vehicle) + vehicle.reserve_pct / 100 * vehicle.usable_kwh
    return max(0.0, needed - vehicle.usable_kwh)
