"""Why a reading is off what was expected, and what one more reading would settle (rules, section 2).

The causes stand in the order in which they are looked for; the first that the evidence fits is told.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from moonplan.core.fit import Fit, Point, fit
from moonplan.core.percent import percent_told
from moonplan.core.rates import Rate
from moonplan.core.readings import RAMPING_MIN, Hookup, Measured, Reading, Readings, ReadVehicle, measured

FORMAT = "moonplan-rate/1"

# Off is what differs by more than this share of what was expected, or a digit of the display.
_OFF = 0.10
_COLD_C = 5.0
_LOW_VOLTS = 0.95
_SAME_A = 0.5
# Readings at wall powers this close together are readings at one current.
_ONE_CURRENT = 0.15
# A band this narrow, as a share of the power, needs no more readings.
_SURE = 0.10


@dataclass(frozen=True)
class Evidence:
    """What an explanation goes by."""

    reading: Reading
    found: Measured
    hookup: Hookup
    vehicle: ReadVehicle
    expected_kw: float

    @property
    def is_off(self) -> bool:
        """Whether the reading differs by more than the larger of a tenth and one digit of its display."""
        if self.found.battery_kw is None:
            return False
        return abs(self.found.battery_kw - self.expected_kw) > max(_OFF * self.expected_kw, self.found.digit_kw)


@dataclass(frozen=True, slots=True)
class Explained:
    """A reading with what was expected of it. cause : None where it is as expected. told : the cause, with its evidence."""

    reading: Reading
    found: Measured
    expected_kw: float
    cause: str | None
    told: str


def _ramping(e: Evidence) -> tuple[str, str] | None:
    if e.reading.minutes is None or e.reading.minutes >= RAMPING_MIN:
        return None
    return "ramping", f"read {e.reading.minutes:g} min after plugging in; it settles after {RAMPING_MIN:g}"


def _cabin(e: Evidence) -> tuple[str, str] | None:
    return ("cabin", "cabin, lights or heating were on and took their part") if e.reading.cabin_on else None


def _taper(e: Evidence) -> tuple[str, str] | None:
    tops = [top for top in (e.reading.soc_pct, e.reading.soc_to_pct, e.reading.to_pct) if top is not None]
    if not tops or max(tops) <= e.vehicle.taper_from_pct:
        return None
    return "taper", f"at {max(tops):g} % the pack accepts less than below {e.vehicle.taper_from_pct:g} %"


def _cold(e: Evidence) -> tuple[str, str] | None:
    if e.reading.temperature_c is None or e.reading.temperature_c > _COLD_C or not _less(e):
        return None
    return "cold", f"at {e.reading.temperature_c:g} °C the pack is warmed first"


def _link(e: Evidence) -> tuple[str, str] | None:
    if e.reading.amps is None or e.reading.amps > e.hookup.limit_a - _SAME_A:
        return None
    for name, amps in e.hookup.links.items():
        if abs(amps - e.reading.amps) <= _SAME_A:
            return f"link:{name}", f"{e.reading.amps:g} A are what the {name} lets through ({amps:g} A)"
    return None


def _voltage(e: Evidence) -> tuple[str, str] | None:
    if e.reading.volts is None or e.reading.volts >= _LOW_VOLTS * e.hookup.voltage_v:
        return None
    lost = 1 - e.reading.volts / e.hookup.voltage_v
    return "voltage", f"{e.reading.volts:g} V under load, {percent_told(lost)} below {e.hookup.voltage_v:g} V"


def _less(e: Evidence) -> bool:
    return e.found.battery_kw is None or e.found.battery_kw < e.expected_kw


CAUSES: Sequence[Callable[[Evidence], tuple[str, str] | None]] = (_ramping, _cabin, _taper, _cold, _link, _voltage)


def explain(reading: Reading, hookup: Hookup, vehicle: ReadVehicle, rate: Rate) -> Explained:
    """What was expected of a reading at a rate, and the first cause that explains a difference.

    Expected is what the hook-up gives at nominal volts at the current that was read, or at its limit where it had not
    settled or the current is that of another link; without a current, what the wall power that was read gives.
    """
    found = measured(reading, hookup, vehicle)
    probe = Evidence(reading, found, hookup, vehicle, 0.0)
    at_limit = _ramping(probe) is not None or _link(probe) is not None
    amps = hookup.limit_a if at_limit else reading.amps
    wall_kw = found.wall_kw if amps is None else hookup.voltage_v * amps * hookup.phases / 1000
    evidence = Evidence(reading, found, hookup, vehicle, rate.battery_kw(wall_kw))
    if not evidence.is_off:
        return Explained(reading, found, evidence.expected_kw, None, "as expected")
    for look in CAUSES:
        if (because := look(evidence)) is not None:
            return Explained(reading, found, evidence.expected_kw, *because)
    told = "nothing that was read explains it: read it again, and feel plug and cable"
    return Explained(reading, found, evidence.expected_kw, "unexplained", told)


@dataclass(frozen=True)
class Fitted:
    """The rate that a hook-up's readings come to, and its volts under load."""

    fit: Fit
    volts: float


@dataclass(frozen=True)
class Learned(Fitted):
    """What a hook-up's readings come to, each of them explained, and what to read next."""

    readings: tuple[Explained, ...]
    advice: str


def fitted(document: Readings) -> Fitted:
    """The rate of a hook-up.

    Readings that are excluded, ramping, with the cabin on or above the taper are kept and not fitted.
    """
    taken = _taken(document)
    volts = [reading.volts for reading, _ in taken if reading.volts is not None]
    return Fitted(fit(_points(taken)), float(np.median(volts)) if volts else document.hookup.voltage_v)


def learn(document: Readings) -> Learned:
    """The rate of a hook-up as `fitted` has it, each reading explained by what the others lead to expect."""
    whole, taken = fitted(document), _taken(document)
    explained = []
    for reading in document.readings:
        others = [one for one in taken if one[0] is not reading]
        rate = whole.fit.rate if len(others) == len(taken) else fit(_points(others)).rate
        explained.append(explain(reading, document.hookup, document.vehicle, rate))
    return Learned(whole.fit, whole.volts, tuple(explained), _advice(whole.fit, _points(taken), document.hookup))


def _taken(document: Readings) -> list[tuple[Reading, Measured]]:
    """The readings that are fitted, with what each measured."""
    found = [(reading, measured(reading, document.hookup, document.vehicle)) for reading in document.readings]
    return [(reading, one) for reading, one in found if one.not_fitted is None and not reading.excluded]


def _points(taken: Sequence[tuple[Reading, Measured]]) -> list[Point]:
    return [Point(one.wall_kw, one.battery_kw, one.noise_kw) for _, one in taken if one.battery_kw is not None]


def _advice(fitted: Fit, points: Sequence[Point], hookup: Hookup) -> str:
    most_kw = hookup.voltage_v * hookup.limit_a * hookup.phases / 1000
    if not points:
        return f"No reading is fitted yet: take one at {hookup.limit_a:g} A, ten minutes after plugging in."
    powers = [point.wall_kw for point in points]
    middle = float(np.mean(powers))
    other_a = 6.0 if middle > most_kw / 2 else hookup.limit_a
    if max(powers) - min(powers) <= _ONE_CURRENT * middle and hookup.limit_a > 7:
        return (
            f"Readings at one current cannot tell efficiency from overhead: take one at another, for example {other_a:g} A."
        )
    band = fitted.predict(most_kw)
    if band.high_kw - band.low_kw > _SURE * band.mean_kw:
        return f"One more reading, at {hookup.limit_a:g} A, would settle most of what is left."
    return "Sure enough: more readings would change little."


def rate_document(document: Readings) -> dict[str, Any]:
    """The answer to a readings document (docs/files.md)."""
    learned = learn(document)
    fitted = learned.fit
    powers = document.predict_wall_kw or (
        document.hookup.voltage_v * document.hookup.limit_a * document.hookup.phases / 1000,
    )
    return {
        "format": FORMAT,
        "efficiency": round(fitted.rate.efficiency, 6),
        "overhead_kw": round(fitted.rate.overhead_kw, 6),
        "voltage_v": round(learned.volts, 3),
        "predictions": [
            {
                "wall_kw": p.wall_kw,
                "mean_kw": round(p.mean_kw, 6),
                "low_kw": round(p.low_kw, 6),
                "high_kw": round(p.high_kw, 6),
            }
            for p in (fitted.predict(kw) for kw in powers)
        ],
        "readings": [
            {
                "fitted": one.found.not_fitted is None and not one.reading.excluded,
                "wall_kw": round(one.found.wall_kw, 6),
                "measured_kw": None if one.found.battery_kw is None else round(one.found.battery_kw, 6),
                "expected_kw": round(one.expected_kw, 6),
                "cause": one.cause,
            }
            for one in learned.readings
        ],
        "advice": learned.advice,
    }
