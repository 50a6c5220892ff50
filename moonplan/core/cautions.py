"""Cautions: what may hurt a person or a house, said where the decision is made, with the reason (rules, section 9).

Each rule is data: what triggers it, what it speaks of, what to do in plain words, and because of what. They defer to
local code and a licensed electrician; none forbids.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from moonplan.core import hookup
from moonplan.core.household import Circuit, Household, Lead, Supply, Vehicle
from moonplan.core.percent import percent_told
from moonplan.core.values import Leg

About = Literal["circuit", "lead", "supply"]

# A socket counts as run near its limit from this share of its rating on, and the supply from this one.
_NEAR_RATING = 0.75
_NEAR_SUPPLY = 0.9
# From this share of the supply on, what the house takes beside the cars has to be known.
_MUCH_OF_SUPPLY = 0.5
# Volts under load this far below nominal are low.
_LOW_VOLTAGE = 0.95


@dataclass(frozen=True, slots=True)
class Caution:
    """One caution.

    code : what kind. about, subject : what it speaks of, and its id ("supply" for the supply). title : in a few words.
    because : the facts that triggered it; when they change, so does this. advice : what to do about it.
    """

    code: str
    about: About
    subject: str
    title: str
    because: str
    advice: str

    @property
    def key(self) -> tuple[str, About, str]:
        """What tells it from other cautions, whatever its figures are."""
        return self.code, self.about, self.subject

    @property
    def text(self) -> str:
        """Reason and advice in one."""
        return f"{self.because}: {self.advice}"


@dataclass(frozen=True, slots=True)
class At:
    """One car's hook-up, as the rules look at it.

    amps : what it is offered at the most. [A] volts : as measured. on_a_leg_a : what the fullest leg of the supply carries
    with every lead at its most, as far as circuits and feeders carry it, and the house at its highest, by the supply's
    rule. [A] is_house_counted : whether anything is known of the house, or kept free for it.
    """

    supply: Supply
    circuit: Circuit
    lead: Lead
    vehicle: Vehicle
    amps: float
    volts: float | None
    on_a_leg_a: float
    is_house_counted: bool

    @property
    def place(self) -> str:
        return self.circuit.name or self.circuit.id

    @property
    def unit(self) -> str:
        return self.lead.name or self.lead.id

    @property
    def carries_a(self) -> float:
        """What circuit, wire and outlet carry for hours. [A]"""
        links = hookup.before_the_car(self.circuit, self.lead)
        return min(links["circuit"], (self.circuit.outlet_a or float("inf")) * self.circuit.continuous_factor)

    @property
    def is_socket(self) -> bool:
        return self.circuit.kind == "socket"

    @property
    def near_rating(self) -> bool:
        rated = self.circuit.outlet_a
        return self.is_socket and rated is not None and self.amps >= _NEAR_RATING * rated * self.circuit.continuous_factor


@dataclass(frozen=True, slots=True)
class Rule:
    """fires : whether a hook-up calls for it. because, advice : in words, with the figures of the hook-up."""

    code: str
    about: About
    title: str
    fires: Callable[[At], bool]
    because: Callable[[At], str]
    advice: Callable[[At], str]


def cautions(household: Household) -> list[Caution]:
    """Every caution that the household's hook-ups call for, once each, in the order of the rules."""
    hookups = _hookups(household)
    return list(dict.fromkeys(caution for rule in RULES for at in hookups for caution in _fired(rule, at)))


def _hookups(household: Household) -> list[At]:
    amps = {vehicle.id: _offered_a(household, vehicle) for vehicle in household.vehicles}
    on_a_leg_a = _on_a_leg_a(household, amps)
    is_house_counted = bool(household.base_load_kw) or household.supply.base_margin_a > 0
    found = []
    for vehicle in household.vehicles:
        lead, rate = household.lead(vehicle.lead), household.rate_of(vehicle)
        volts = None if rate is None else rate.voltage_v
        circuit = household.circuit(lead.circuit)
        found.append(At(household.supply, circuit, lead, vehicle, amps[vehicle.id], volts, on_a_leg_a, is_house_counted))
    return found


def _offered_a(household: Household, vehicle: Vehicle) -> float:
    try:
        return hookup.delivery_of(household, vehicle).amps
    except hookup.DoesNotCharge:
        return 0.0


def _on_a_leg_a(household: Household, amps: Mapping[str, float]) -> float:
    supply = household.supply
    feeder_a = {one.id: max(0.0, one.rating_a - one.other_load_a) * one.continuous_factor for one in household.feeders}
    by_feeder: dict[tuple[str | None, Leg], float] = {}
    for circuit in household.circuits:
        leads = [lead.id for lead in household.leads if lead.circuit == circuit.id]
        most = [max((amps[v.id] for v in household.vehicles if v.lead == lead), default=0.0) for lead in leads]
        for leg in household.legs_on(circuit):
            behind = circuit.feeder, leg
            by_feeder[behind] = by_feeder.get(behind, 0.0) + min(sum(most), hookup.circuit_amps(circuit))
    legs: dict[Leg, float] = {}
    for (feeder, leg), asked_a in by_feeder.items():
        legs[leg] = legs.get(leg, 0.0) + min(asked_a, feeder_a.get(feeder or "", asked_a))
    base_kw = max((kw for _, kw in household.base_load_kw), default=0.0)
    base_a = base_kw * 1000 / (supply.leg_voltage_v * supply.legs)
    return max(legs.values(), default=0.0) / supply.continuous_factor + base_a + supply.base_margin_a


def _of_the_main_breaker(at: At) -> str:
    return f"{at.on_a_leg_a:.0f} A on one leg, and the main breaker is rated {at.supply.rating_a:g} A"


def _fired(rule: Rule, at: At) -> Iterator[Caution]:
    if rule.fires(at):
        subject = {"circuit": at.circuit.id, "lead": at.lead.id, "supply": "supply"}[rule.about]
        yield Caution(rule.code, rule.about, subject, rule.title, rule.because(at), rule.advice(at))


RULES: tuple[Rule, ...] = (
    Rule(
        "lead-above-circuit",
        "lead",
        "Lead above its circuit",
        lambda at: at.lead.max_a > at.carries_a + hookup.SAME_A,
        lambda at: f"{at.unit} can draw {at.lead.max_a:g} A and {at.place} carries {at.carries_a:g} A for hours",
        lambda at: f"set it to {at.carries_a:g} A or less, so that a breaker is not what holds it back.",
    ),
    Rule(
        "socket-continuous",
        "lead",
        "Socket near its limit for hours",
        lambda at: at.near_rating,
        lambda at: f"{at.amps:g} A for hours is near what a {at.circuit.outlet_a:g} A socket is made for",
        lambda at: (
            "feel plug and socket after an hour, take a lower step if they are warm, and ask an electrician for a "
            "dedicated circuit for daily use."
        ),
    ),
    Rule(
        "socket-daily",
        "lead",
        "An ordinary socket, night after night",
        lambda at: at.is_socket and at.amps > 0 and not at.near_rating,
        lambda at: f"{at.place} is an ordinary socket, and those are not made for charging night after night",
        lambda at: "a dedicated circuit, made by an electrician, is better for daily use.",
    ),
    Rule(
        "uninspected-socket",
        "circuit",
        "A socket that nobody has inspected",
        lambda at: at.is_socket and at.circuit.inspected is not True,
        lambda at: f"it charges unattended, and no inspection of {at.place} is recorded",
        lambda at: "have an electrician look at socket and wire once before you sleep while it runs.",
    ),
    Rule(
        "breaker-above-wire",
        "circuit",
        "Breaker above its wire",
        lambda at: at.circuit.wire_a is not None and at.circuit.wire_a < at.circuit.breaker_a,
        lambda at: (
            f"the breaker of {at.place} ({at.circuit.breaker_a:g} A) is larger than its wire ({at.circuit.wire_a:g} A), "
            "so it does not protect it"
        ),
        lambda at: "have an electrician put that right.",
    ),
    Rule(
        "continuous-rule",
        "circuit",
        "Above the continuous-load rule",
        lambda at: at.circuit.continuous_factor > at.supply.continuous_factor,
        lambda at: (
            f"{at.place} is loaded to {percent_told(at.circuit.continuous_factor)} of its breaker for hours, and your "
            f"region's rule is {percent_told(at.supply.continuous_factor)}"
        ),
        lambda at: "check with your local code or an electrician.",
    ),
    Rule(
        "low-voltage",
        "circuit",
        "Low voltage under load",
        lambda at: at.volts is not None and at.volts < _LOW_VOLTAGE * at.circuit.voltage_v,
        lambda at: f"{at.volts:g} V under load where {at.circuit.voltage_v:g} V is nominal",
        lambda at: ("a long or thin wire, or a poor contact that warms. Take less current until an electrician has looked."),
    ),
    Rule(
        "other-loads",
        "circuit",
        "Other loads on the circuit",
        lambda at: at.circuit.other_load_a > 0,
        lambda at: f"other things on {at.place} take {at.circuit.other_load_a:g} A of it",
        lambda at: "more than that while a car charges, and the breaker trips.",
    ),
    Rule(
        "no-residual-current-protection",
        "circuit",
        "No residual-current protection recorded",
        lambda at: at.circuit.residual_current_protection is not True,
        lambda at: f"no residual-current protection is recorded for {at.place}",
        lambda at: "ask an electrician whether it has any.",
    ),
    Rule(
        "new-work",
        "circuit",
        "New wiring, breaker or panel work",
        lambda at: at.circuit.new_work is True,
        lambda at: f"{at.place} is new work, or is to be",
        lambda at: (
            "it wants a permit where your local code asks for one, a licensed electrician, an inspection, and its volts "
            "checked leg to leg before first use."
        ),
    ),
    Rule(
        "combined-outlets",
        "lead",
        "Two outlets combined",
        lambda at: at.lead.combines_outlets is True,
        lambda at: f"{at.unit} makes a higher voltage out of two outlets",
        lambda at: "two breakers then guard one load, and one may stay live: ask an electrician for one proper circuit.",
    ),
    Rule(
        "extension-lead",
        "lead",
        "An extension lead",
        lambda at: at.lead.extension is True,
        lambda at: f"{at.unit} runs through an extension lead",
        lambda at: "coils and thin wires warm for hours and contacts wear: plug it straight into the wall.",
    ),
    Rule(
        "cable-route",
        "lead",
        "A cable in the way",
        lambda at: at.lead.across is not None,
        lambda at: f"the cable of {at.unit} runs {'across a path' if at.lead.across == 'path' else 'through a window'}",
        lambda at: "people trip over it and edges cut into it: lay it another way, or cover it.",
    ),
    Rule(
        "weather-rating",
        "lead",
        "Outdoors without a weather rating",
        lambda at: at.lead.outdoors is True and at.lead.weather_rated is not True,
        lambda at: f"{at.unit} hangs outdoors, and no weather rating is recorded for it",
        lambda at: "look for one on its label, and keep plug and socket off the wet ground.",
    ),
    Rule(
        "no-restart",
        "lead",
        "It does not start again",
        lambda at: at.lead.restarts is False,
        lambda at: f"{at.unit} does not start again once it has finished",
        lambda at: "warm the cabin before it is through, or from the battery.",
    ),
    Rule(
        "supply-near-limit",
        "supply",
        "Supply near its limit",
        lambda at: at.is_house_counted and at.on_a_leg_a > _NEAR_SUPPLY * at.supply.rating_a,
        lambda at: f"house and leads at their most come to {_of_the_main_breaker(at)}",
        lambda at: "plans keep below it; an oven that they do not know of may not.",
    ),
    Rule(
        "house-load-unknown",
        "supply",
        "What the house takes is not known",
        lambda at: not at.is_house_counted and at.on_a_leg_a > _MUCH_OF_SUPPLY * at.supply.rating_a,
        lambda at: f"the leads alone, at their most, come to {_of_the_main_breaker(at)}",
        lambda at: (
            "plans keep below it only with what they know of. Type a usual day of the house under Household, or bring its "
            "meter under Sun."
        ),
    ),
)
