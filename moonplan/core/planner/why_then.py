"""Why a session stands where it does: what it pays, and what keeps it from cheaper hours (rules, section 8)."""

from collections.abc import Iterator
from decimal import Decimal
from typing import NamedTuple

import numpy as np

from moonplan.core.listed import listed
from moonplan.core.percent import percent_told
from moonplan.core.planner.constraints import beside_a_pin, one_lead_groups, sharing_with
from moonplan.core.planner.hindrances import at_home, kept_off
from moonplan.core.planner.planned_session import PlannedSession, have
from moonplan.core.simulate import NOTHING_KWH, runs
from moonplan.core.timegrid import Flags, Floats

# From what part of its energy on a session is mostly of a kind, and from what part on wholly.
MOSTLY, _WHOLLY = 0.5, 0.99
# What part of it does not matter.
_LITTLE = 0.1
# What differs by less than this does not. [currency/kWh, A, part of a session]
NO_DIFFERENCE = 1e-9
# How exactly a price is told.
_PRICE_DECIMALS = 5
# How many causes are told, those of the most hours.
_CAUSES_TOLD = 2
# A battery that has no room for so much is full. [kWh]
_SOME_KWH = 0.2


def why_then(session: PlannedSession) -> str:
    """Own sun, or the price that a session pays and why it does not wait for less."""
    if not session.is_below_boost and not session.is_pinned and (rest := session.beyond_boost) is not None:
        return f"at once up to {session.at_once_pct:g} %, then {why_then(rest)}"
    own = session.own_share
    if own > _WHOLLY:
        return "on your own sun"
    told = f"{_line(session)}, {_price_told(session.paid)} a kWh{_on_average(session)}"
    if own > _LITTLE:
        told = f"{percent_told(own)} on your own sun, the rest at {told}"
    if own > MOSTLY:
        return told
    at_once = _why_at_once(session)
    return told + (_why_not_cheaper(session) if at_once is None else at_once)


def _line(session: PlannedSession) -> str:
    """The line of the tariff that the session, or most of it, pays by; of several, those that matter."""
    of_line: dict[str, float] = {}
    for line, share in zip(session.problem.prices.band[session.inside], session.grid_shares, strict=True):
        of_line[line] = of_line.get(line, 0.0) + float(share)
    most, part = max(of_line.items(), key=lambda one: one[1])
    if part > MOSTLY + _LITTLE:
        return _called(most) if part > _WHOLLY else f"mostly {_called(most)}"
    matter = [_called(line) for line, part in of_line.items() if part > _LITTLE]
    return listed(matter) if matter else f"the prices of {len(of_line)} lines"


def _called(line: str) -> str:
    return {"default": "the default price", "series": "the day's prices"}.get(line, f"the {line} price")


def _price_told(price: float) -> str:
    """Five figures of it and no more decimals, never a power of ten or a zero with a sign."""
    return f"{Decimal(f'{round(price, _PRICE_DECIMALS) + 0.0:.5g}'):f}"


def _on_average(session: PlannedSession) -> str:
    prices = session.problem.prices.price[session.inside][session.grid_shares > NO_DIFFERENCE]
    return " on average" if np.ptp(prices) > NO_DIFFERENCE else ""


def _why_at_once(session: PlannedSession) -> str | None:
    """Why no price was looked at, nothing where what it serves says so; None where one was."""
    if session.habit == "plug_and_go":
        return f", since its habit is to charge at once on arrival{_waited_for(session)}"
    if session.is_pinned:
        return "" if session.serves is None else ", since you pinned it"
    if session.is_below_boost:
        return "" if session.is_for_boost else f", since it charges at once below {session.at_once_pct:g} %"
    return None


def _waited_for(session: PlannedSession) -> str:
    """Who had the current until the session began, though the car could have charged."""
    car, before = session.car, np.zeros(session.problem.grid.n_slots, dtype=np.bool_)
    before[session.run.first - 1 : session.run.first] = True
    has_room = session.mine.mean.soc_kwh[:-1] < car.limit_kwh - NOTHING_KWH
    waits = before & car.could_charge & has_room & (session.room_a < car.least_a)
    return f", and {_who_has_it(session, waits)} until then" if waits.any() else ""


def _why_not_cheaper(session: PlannedSession) -> str:
    """Why the cheaper hours are not used, or not more than they are; nothing where no simple cause tells it.

    Hours that come too late for what the session is for are named only where there are no others.
    """
    household, vehicle, grid = session.problem.household, session.car.vehicle, session.problem.grid
    anywhere = session.problem.prices.price < session.paid - NO_DIFFERENCE
    cheaper = anywhere & at_home(household, vehicle, grid)
    in_time = np.arange(grid.n_slots) < _due(session)[0]
    if not (cheaper & in_time).any():
        return _why_the_lowest(session, anywhere, in_time)
    left = cheaper & in_time & (session.mine.amps <= 0)
    if not left.any():
        return f", since every cheaper hour{' until then' if cheaper[~in_time].any() else ''} is used already"
    if session.habit == "sun_first" and session.own_share > NO_DIFFERENCE:
        return ", since its habit puts own sun before a lower price"
    others = "the other cheaper hours" if (cheaper & in_time & ~left).any() else "the cheaper hours"
    found: list[tuple[Flags, str]] = []
    for slots, cause in _causes(session):
        here, left = left & slots, left & ~slots
        if here.any():
            found.append((here, cause))
    found.sort(key=lambda one: -int(one[0].sum()))
    hours = iter([others] if len(found) == 1 and not left.any() else ["some of the cheaper hours", "others"])
    told = []
    for here, cause in found[:_CAUSES_TOLD]:
        of = next(hours) if "hours}" in cause else ""
        told.append(cause.format(hours=of, all_hours=of.replace("other ", ""), who=_who_has_it(session, here)))
    return f", since {', and '.join(told)}" if told else ""


def _why_the_lowest(session: PlannedSession, cheaper: Flags, in_time: Flags) -> str:
    """Why there is nothing cheaper in time while it is home."""
    if not cheaper.any():
        is_one_price = np.ptp(session.problem.prices.price) < NO_DIFFERENCE
        return ", the same at every hour planned" if is_one_price else ", the lowest there is"
    if (cheaper & session.car.could_charge).any():
        return f", since the cheaper hours {_due(session)[1]}"
    return ", the lowest while it is home" if (cheaper & in_time).any() else ", the lowest until then"


def _causes(session: PlannedSession) -> Iterator[tuple[Flags, str]]:
    """What may keep it from a slot, in the order in which it counts: from which, and how that is told of {hours}, which are
    others than those that it uses, or of {all_hours}."""
    car, elsewhere, beside = session.car, _elsewhere(session), beside_a_pin(session.car)
    yield kept_off(session.problem.household, car.vehicle, session.problem.grid), "you keep it off in {hours}"
    yield ~car.could_charge, "it is unplugged in {hours}"
    yield ~car.chargeable, "nobody is up in {hours}" if session.habit == "awake" else "its habit leaves {hours} out"
    squeezed = (session.room_a < car.offered(car.limit_a) - NO_DIFFERENCE) & (elsewhere.saves < NO_DIFFERENCE)
    yield squeezed & ~beside, "{who} in {hours}"
    if car.control == "hand":
        yield _nobody_ends_it(session), "nobody is up to end it in {hours}"
        yield ~session.problem.awake[:-1], "nobody is up to start it in {hours}"
    yield _is_full(session, elsewhere.gains_kwh), "it is at its limit after {all_hours} already"
    yield _stands_high(session, elsewhere.saves), f"it would stand above {car.vehicle.rest_pct:g} % for long after {{hours}}"
    if car.control != "managed":
        nights = np.array([night.toordinal() for night in session.problem.grid.nights])
        taken = np.isin(nights, nights[[run.first for run in session.mine.sessions]])
        yield taken, "it has one session a night, at one current"
    yield _too_little(session, elsewhere), "another session in {hours} would save too little"


def _due(session: PlannedSession) -> tuple[int, str]:
    """Slot edge by which what the session is for must be aboard, and what hours after that are said to be."""
    car, latest, ready_edge = session.car, session.problem.grid.n_slots, session.car.end_ready_edge
    then = "come after it is to be ready"
    if session.serves is not None:
        departure = car.departures[session.serves]
        latest, ready_edge, then = departure.taking.edge, departure.ready_edge, "come after it has left"
    elif session.wish is not None:
        return session.wish.edge, "come too late for its habit"
    if ready_edge is not None and ready_edge > session.run.first:
        return ready_edge, "come after it is to be ready"
    return latest, then


def _who_has_it(session: PlannedSession, slots: Flags) -> str:
    """Who has the current in some slots, or the lead."""
    problem, i = session.problem, session.i
    amps = [one.amps for one in session.outcome.cars]
    on_lead = {j for group in one_lead_groups(problem) if i in group for j in group} - {i}
    charging = [j for j in sorted(sharing_with(problem, i)) if (amps[j][slots] > 0).any()]
    if not charging and (holding := [j for j in sorted(on_lead) if amps[j].any()]):
        return f"{have([problem.cars[j].name for j in holding])} its lead"
    return f"{have([problem.cars[j].name for j in charging])} the current"


class _Elsewhere(NamedTuple):
    """What the session would come to in every slot, beside the others. Shapes (n_slots,).

    saves : what a stored kWh would cost less. [currency/kWh] gains_kwh : what the slot stores.
    """

    saves: Floats
    gains_kwh: Floats


def _elsewhere(session: PlannedSession) -> _Elsewhere:
    car, mean = session.car, session.mine.mean
    amps, of_slot = np.unique(session.room_a, return_inverse=True)
    wall_kw = np.array([car.intake.wall_kw(a) for a in amps])
    stored_kw = np.array([car.rate.mean.battery_kw(kw) for kw in wall_kw])
    wall_per_stored = np.divide(wall_kw, stored_kw, out=np.ones(len(amps)), where=stored_kw > 0)[of_slot]
    here = (
        session.paid * mean.wall_kwh[session.inside].sum() / max(float(mean.gained_kwh[session.inside].sum()), NOTHING_KWH)
    )
    saves = np.where(stored_kw[of_slot] > 0, here - session.problem.prices.price * wall_per_stored, -np.inf)
    return _Elsewhere(saves, stored_kw[of_slot] * session.problem.grid.hours)


def _nobody_ends_it(session: PlannedSession) -> Flags:
    """Slots after the session at whose ends all sleep: where it goes on into them, it goes on until somebody is up."""
    awake, after = session.problem.awake, session.run.last + 1
    asleep = np.zeros(session.problem.grid.n_slots, dtype=np.bool_)
    up_again = np.flatnonzero(awake[after + 1 :])
    asleep[after : after + int(up_again[0]) if len(up_again) else None] = True
    return asleep


def _is_full(session: PlannedSession, gains_kwh: Floats) -> Flags:
    """Slots before the session after which the battery has no room for what they would store."""
    first = session.run.first
    left_kwh = (session.car.limit_kwh - session.mine.mean.soc_kwh[1:])[:first]
    least_after_kwh = np.minimum.accumulate(left_kwh[::-1])[::-1]
    full = np.zeros(len(gains_kwh), dtype=np.bool_)
    full[:first] = least_after_kwh < np.minimum(gains_kwh, _SOME_KWH)[:first]
    return full


def _stands_high(session: PlannedSession, saves: Floats) -> Flags:
    """Slots before the session after which the car would stand above its rest level for more than they save."""
    first, car, problem = session.run.first, session.car, session.problem
    high = session.mine.mean.soc_kwh[1:] >= car.rest_kwh - NOTHING_KWH
    dearer = np.zeros(len(saves), dtype=np.bool_)
    hours_after = np.cumsum(high[:first][::-1])[::-1] * problem.grid.hours
    dearer[:first] = problem.care_price * car.care_factor * hours_after >= np.maximum(saves[:first], NO_DIFFERENCE)
    return dearer


def _too_little(session: PlannedSession, elsewhere: _Elsewhere) -> Flags:
    """Slots that would take another session, which counts more than they save."""
    amps, gained_kwh = session.mine.amps, float(session.mine.mean.gained_kwh[session.inside].sum())
    saves = np.maximum(0.0, elsewhere.saves) * elsewhere.gains_kwh
    little = np.zeros(len(amps), dtype=np.bool_)
    for run in runs(np.where(amps > 0, 0.0, saves)):
        inside = slice(run.first, run.last + 1)
        is_longer = amps[max(0, run.first - 1)] > 0 or amps[min(len(amps) - 1, run.last + 1)] > 0
        could_kwh = float(elsewhere.gains_kwh[inside].sum())
        # All of it moved there would be no session more.
        little[inside] = not is_longer and could_kwh < gained_kwh and saves[inside].sum() < session.problem.start_price
    return little
