"""How a car's night came out beside its plan: a sentence in the morning, and what explains the difference."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from moonplan.core.timegrid import nearest_minute, told_clock

Cause = Literal["not written down", "as planned", "not planned", "did not charge", "power", "began", "ended", "otherwise"]

# What differs by less is the same night: a part of the energy, and of what a display rounds away. [kWh]
_ALIKE, _ALIKE_KWH = 0.05, 0.2
# A rate that is off by more than this part explains what is missing.
_ALIKE_KW = 0.07
_ON_TIME = timedelta(minutes=10)
_NO_NEED = "It needed no charge."


@dataclass(frozen=True, slots=True)
class Stretch:
    """From when to when a car charged, or was to, on the household's clock, and what it took. [kWh]"""

    start: datetime
    end: datetime
    wall_kwh: float


@dataclass(frozen=True, slots=True)
class Verdict:
    """cause : what explains the difference first. told : the sentence."""

    cause: Cause
    told: str


def beside_the_plan(planned: Sequence[Stretch] | None, happened: Sequence[Stretch]) -> Verdict:
    """A car's night beside its plan.

    Parameters
    ----------
    planned : its sessions as planned, in order; None where nobody had planned that night.
    happened : its sessions as they were written down, in order; one that did not charge with 0 kWh, and none where nothing
        was written down.
    """
    if planned is None:
        return Verdict("not planned", "Nobody had planned that night.")
    if not happened:
        return Verdict("not written down", "Nothing is written down yet." if planned else _NO_NEED)
    took = sum(one.wall_kwh for one in happened)
    wanted = sum(one.wall_kwh for one in planned)
    more = took - wanted
    if not planned:
        return Verdict("otherwise", f"It needed no charge, and took {took:.1f} kWh." if took else _NO_NEED)
    if not took:
        return Verdict("did not charge", f"It did not charge: {wanted:.1f} kWh less than planned.")
    if abs(more) <= max(_ALIKE * wanted, _ALIKE_KWH):
        return Verdict("as planned", _as_planned(planned[0], happened[0]))
    cause, because = _because(planned, happened, took > wanted)
    return Verdict(cause, f"{abs(more):.1f} kWh {'more' if more > 0 else 'less'} than planned{because}.")


def _as_planned(planned: Stretch, happened: Stretch) -> str:
    if abs(happened.start - planned.start) <= _ON_TIME:
        return "As planned."
    return f"As much as planned, {_instead('from', happened.start, planned.start)}."


def _because(planned: Sequence[Stretch], happened: Sequence[Stretch], is_more: bool) -> tuple[Cause, str]:
    """The first cause that goes the way of the difference: the power, a later or earlier beginning, or end."""
    was, is_now = _mean_kw(planned), _mean_kw(happened)
    if abs(is_now - was) > _ALIKE_KW * was and (is_now > was) == is_more:
        return "power", f": {is_now:.1f} kW at the wall instead of {was:.1f}"
    began, ended = happened[0].start - planned[0].start, happened[-1].end - planned[-1].end
    if abs(began) > _ON_TIME and (began < timedelta()) == is_more:
        return "began", f": {_instead('it began at', happened[0].start, planned[0].start)}"
    if abs(ended) > _ON_TIME and (ended > timedelta()) == is_more:
        return "ended", f": {_instead('it ended at', happened[-1].end, planned[-1].end)}"
    return "otherwise", ""


def _mean_kw(stretches: Sequence[Stretch]) -> float:
    hours = sum((one.end - one.start).total_seconds() for one in stretches if one.wall_kwh) / 3600
    return sum(one.wall_kwh for one in stretches) / hours


def _instead(how: str, at: datetime, planned: datetime) -> str:
    return f"{how} {told_clock(nearest_minute(at))} instead of {told_clock(nearest_minute(planned))}"
