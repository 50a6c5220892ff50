"""The house and its sun: load without the cars, and the output of the roof, slot by slot (rules, section 5).

Where the sun stands and what falls on a tilted roof is pvlib's: Holmgren, Hansen and Mikofski, "pvlib python: a python
package for modeling solar energy systems", Journal of Open Source Software 3(29), 884 (2018).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import time

import numpy as np

from moonplan.core.household import Household
from moonplan.core.timegrid import Floats, Grid, Seconds, minutes_of

# Irradiance at which an array gives its rated power (standard test conditions, IEC 60904-3). [W/m²]
_RATED_IRRADIANCE = 1000.0


def base_load_kw(household: Household, grid: Grid) -> Floats:
    """Load of the house without the cars, shape (n_slots,). [kW]"""
    return profile_kw(household.base_load_kw, grid)


def profile_kw(profile: Sequence[tuple[time, float]], grid: Grid) -> Floats:
    """Mean over each slot (shape (n_slots,)) of a step profile by local clock time. [kW]

    profile : clock times in ascending order and what holds from there on; before its first entry the last one holds.
    """
    if not profile:
        return np.zeros(grid.n_slots)
    starts = np.array([minutes_of(clock) for clock, _ in profile])
    values = np.array([kw for _, kw in profile])
    behind = np.searchsorted(starts, grid.local.minute, side="right") - 1  # −1, the last entry, before the first
    return grid.means(values[behind])


def solar_kw(household: Household, grid: Grid) -> Floats:
    """Output of the household's own sun, shape (n_slots,). [kW]"""
    return grid.step_means(household.solar_kw)


# --- the roof -------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Place:
    """Where a roof is, in degrees: north and east are positive."""

    latitude: float
    longitude: float


@dataclass(frozen=True, slots=True)
class Array:
    """Panels in one plane.

    kwp : rated power. [kW] tilt_deg : 0 lies flat, 90 stands. azimuth_deg : where it looks, 0 north, 90 east, 180 south.
    losses : fraction lost between the light in the panels and the meter: dirt, wires, heat, inverter. inverter_kw : most
    that comes out, if it is known.
    correction : what measurement found the model to be off by.
    """

    kwp: float
    tilt_deg: float
    azimuth_deg: float
    losses: float = 0.14
    inverter_kw: float | None = None
    correction: float = 1.0


@dataclass(frozen=True, slots=True)
class Irradiance:
    """Light on the ground, shapes (n,): global horizontal, direct normal, diffuse horizontal. [W/m²]"""

    ghi: Floats
    dni: Floats
    dhi: Floats


def clear_sky(place: Place, at_s: Seconds) -> Irradiance:
    """Light under a sky without clouds at instants (shape (n,), UTC seconds).

    Ineichen and Perez's model with the monthly turbidity of the place (Solar Energy 73(3), 2002, as in pvlib).
    """
    import pandas as pd
    from pvlib.location import Location

    times = pd.DatetimeIndex(np.asarray(at_s).astype("datetime64[s]"), tz="UTC")
    found = Location(place.latitude, place.longitude).get_clearsky(times, model="ineichen")
    return Irradiance(found["ghi"].to_numpy(), found["dni"].to_numpy(), found["dhi"].to_numpy())


def output_kw(array: Array, place: Place, at_s: Seconds, light: Irradiance) -> Floats:
    """Output of an array at instants (shape (n,), UTC seconds). [kW]

    Plane-of-array irradiance (Hay and Davies's sky, less what the glass throws back of the direct light, both as in
    pvlib) × kWp × (1 − losses), capped at the inverter.
    """
    import pandas as pd
    from pvlib import iam, irradiance
    from pvlib.location import Location

    times = pd.DatetimeIndex(np.asarray(at_s).astype("datetime64[s]"), tz="UTC")
    sun = Location(place.latitude, place.longitude).get_solarposition(times)
    zenith, azimuth = sun["apparent_zenith"].to_numpy(), sun["azimuth"].to_numpy()
    plane = irradiance.get_total_irradiance(
        array.tilt_deg,
        array.azimuth_deg,
        zenith,
        azimuth,
        light.dni,
        light.ghi,
        light.dhi,
        dni_extra=irradiance.get_extra_radiation(times).to_numpy(),
        model="haydavies",
    )
    through = iam.physical(irradiance.aoi(array.tilt_deg, array.azimuth_deg, zenith, azimuth))
    reaching = np.nan_to_num(plane["poa_direct"] * through) + np.nan_to_num(plane["poa_diffuse"])
    on_plane = np.maximum(0.0, np.asarray(reaching, dtype=np.float64))
    kw = on_plane / _RATED_IRRADIANCE * array.kwp * (1 - array.losses) * array.correction
    return kw if array.inverter_kw is None else np.minimum(kw, array.inverter_kw)


def clear_output_kw(arrays: Sequence[Array], place: Place, grid: Grid) -> Floats:
    """Output of all arrays together under a sky without clouds, shape (n_slots,), at the middle of each slot. [kW]"""
    if not arrays or not grid.n_slots:
        return np.zeros(grid.n_slots)
    middles = grid.edges_s[:-1] + grid.slot_minutes * 30
    light = clear_sky(place, middles)
    return np.asarray(np.sum([output_kw(array, place, middles, light) for array in arrays], axis=0), dtype=np.float64)


# --- the sky --------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class SkyFactor:
    """What part of a clear day's output a day is forecast to bring: in one case of ten less than `low`, in five less than
    `middle`, in nine less than `high`."""

    low: float
    middle: float
    high: float

    def chance_of_at_least(self, factor: float) -> float:
        """Chance that the day brings at least this part: straight lines through the forecast's points, from nothing to twice
        as far above `high` as it is from `middle`."""
        top = self.high + max(1e-9, self.high - self.middle)
        at = [min(0.0, self.low - 1e-9), self.low, self.middle + 1e-9, self.high + 2e-9, top + 3e-9]
        return float(np.interp(factor, at, [1.0, 0.9, 0.5, 0.1, 0.0]))


@dataclass(frozen=True, slots=True)
class Correction:
    """What measured output says of the model.

    factor : by which the model would have to be multiplied, the median of the days that tell anything.
    n_days : those days. spread : half the range of the middle half of them.
    """

    factor: float
    n_days: int
    spread: float


# A day whose model is under this part of the best one's is too dark to tell anything.
_TELLS_FROM = 0.2
_FEWEST_DAYS = 5


def correction(measured_kwh: Floats, modelled_kwh: Floats) -> Correction | None:
    """What the model is off by, from the days' sums (shapes (n_days,), NaN where a day was not measured wholly).

    modelled_kwh : under the sky that was. [kWh] None where fewer than five days tell anything.
    """
    known = ~np.isnan(measured_kwh) & (modelled_kwh > 0)
    if not known.any():
        return None
    tells = known & (modelled_kwh >= _TELLS_FROM * modelled_kwh[known].max())
    if tells.sum() < _FEWEST_DAYS:
        return None
    ratio = measured_kwh[tells] / modelled_kwh[tells]
    low, middle, high = np.percentile(ratio, [25, 50, 75])
    return Correction(float(middle), int(tells.sum()), float(high - low) / 2)


def surplus_kw(base_kw: Floats, sun_kw: Floats) -> Floats:
    """Sun that the house itself does not take, shape as given. [kW]"""
    return np.maximum(0.0, sun_kw - base_kw)
