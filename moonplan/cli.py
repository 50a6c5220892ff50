"""The command line: documents in, tables or documents out. Exit status 2 for a document that can't be used."""

import argparse
import dataclasses
import json
import sys
from codecs import BOM_UTF8
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

from moonplan.core import hookup, readings
from moonplan.core import household as documents
from moonplan.core.distance import DistanceUnit, in_unit
from moonplan.core.explanation import rate_document
from moonplan.core.household import Household
from moonplan.core.mistakes import BadDocument
from moonplan.core.planner.compare import compare, comparison_document
from moonplan.core.planner.plan import Plan, document, plan
from moonplan.core.planner.problem import Departure
from moonplan.core.rates import hookup_rate
from moonplan.core.tariff import gaps, household_prices
from moonplan.core.timegrid import Grid, grid_for, nearest_minute
from moonplan.core.values import HABITS

REFUSED = 2
_LARGEST_DOCUMENT = 64 * 1024 * 1024


def main(arguments: Sequence[str] | None = None) -> int:
    options = _parser().parse_args(arguments)
    try:
        answer: int = options.run(options)
    except BadDocument as error:
        for mistake in error.mistakes:
            print(mistake, file=sys.stderr)
        return REFUSED
    except BrokenPipeError:
        sys.stderr.close()
        return 1
    return answer


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="moon", description="Plan the charging of a household's cars.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for name, run, told in (
        ("plan", _plan, "which car to charge when, at what current"),
        ("compare", _compare, "every habit on the same nights"),
        ("chain", _chain, "what each car's hook-up can deliver, link by link"),
        ("prices", _prices, "the price of every slot"),
    ):
        command: argparse.ArgumentParser = commands.add_parser(name, help=told)
        command.add_argument("file", help="a household document, or - for standard input")
        command.add_argument("--json", action="store_true", help="the document on standard output, nothing else there")
        command.set_defaults(run=run)
        if name == "plan":
            command.add_argument("--habit", choices=HABITS, help="in place of the file's")
    rates = commands.add_parser("rates", help="the rate of a hook-up from its readings")
    rates.add_argument("file", help="a readings document, or - for standard input")
    rates.add_argument("--json", action="store_true", help="the answer on standard output, nothing else there")
    rates.set_defaults(run=_rates)
    schema = commands.add_parser("schema", help="the household document as JSON Schema")
    schema.set_defaults(run=_schema)
    return parser


def _text(options: argparse.Namespace, what: str) -> bytes:
    """A document as bytes, without the mark that some editors put before it."""
    try:
        text = sys.stdin.buffer.read(_LARGEST_DOCUMENT) if options.file == "-" else Path(options.file).read_bytes()
        return text.removeprefix(BOM_UTF8)
    except OSError as error:
        print(f"{options.file}: {error.strerror}, expected a {what} document", file=sys.stderr)
        raise SystemExit(REFUSED) from None


def _household(options: argparse.Namespace) -> Household:
    return documents.read(_text(options, "household"))


def _print_json(answer: Any) -> None:
    print(json.dumps(answer, ensure_ascii=False, allow_nan=False))


def _say(told: str) -> None:
    print(told, file=sys.stderr)


def _say_gaps(household: Household, grid: Grid) -> None:
    for start, end in gaps(household, grid):
        _say(f"tariff.series: no dated price from {start.isoformat()} to {end.isoformat()}, where the bands hold")


def _plan(options: argparse.Namespace) -> int:
    household = _household(options)
    if options.habit:
        household = dataclasses.replace(household, habit=options.habit)
    made = plan(household)
    _say_gaps(household, made.problem.grid)
    answer = document(made)
    if options.json:
        _print_json(answer)
    else:
        _plan_table(made, answer)
    return 0


def _short(asked: dict[str, Any], unit: DistanceUnit) -> str:
    short = f"short by {in_unit(asked['short_km'], unit):.0f} {unit}"
    return f"{short} ({asked['short_kwh']:.1f} kWh; {_what_binds(asked)})"


def _what_binds(asked: dict[str, Any]) -> str:
    return f"what binds: {', '.join(asked['binds'])}"


def _on_the_way(departure: Departure) -> str:
    kwh = departure.on_the_way_kwh
    return f"; {kwh:.1f} kWh to charge on the way" if kwh else ""


def _plan_table(made: Plan, answer: dict[str, Any]) -> None:
    currency, unit = answer["currency"], made.problem.household.distance_unit
    for car, told in zip(made.problem.cars, answer["vehicles"], strict=True):
        print(f"{car.name} on {car.lead.name or car.lead.id}: {told['limit_a']:g} A, {told['phases']}-phase")
        if "no_charge" in told:
            print(f"  does not charge: {told['no_charge']}")
        for s in told["sessions"]:
            print(
                f"  {_clock(s['start'])} – {_clock(s['end'])}  {s['current']:>6}  {s['soc_from_pct']:3.0f} → "
                f"{s['soc_to_pct']:3.0f} %  {s['wall_kwh']:6.2f} kWh  {s['cost']:7.2f} {currency}  "
                f"{in_unit(s['range_km'], unit):4.0f} {unit}  {s['reason']}"
            )
        for moment, kwh in told["stop"]:
            print(f"  has no limit of its own: stop it at {_clock(moment)}, after {kwh:.2f} kWh")
        if not told["sessions"]:
            print("  nothing to do: leave it unplugged")
        for d, departure in zip(told["departures"], car.departures, strict=True):
            ready = _short(d, unit) if d["short_kwh"] else "ready"
            what = f"wanted; the trip itself needs {d['needed_pct']:.0f} %" if d["wants_more"] else "needed"
            what += _on_the_way(departure)
            print(f"  leaves {_clock(d['leave'])}: {ready}, {d['planned_pct']:.0f} % of {d['required_pct']:.0f} % {what}")
        if told["end"] and told["end"]["short_kwh"]:
            aboard = f"{told['end']['planned_pct']:.0f} % of {told['end']['required_pct']:.0f} % wanted"
            print(f"  ends {_clock(answer['end'])}: {_short(told['end'], unit)}, {aboard}")
        for one in filter(None, (*told["departures"], told["end"])):
            if (earlier := one["earlier"]) and earlier["short_kwh"]:
                aboard = f"{earlier['planned_pct']:.0f} % of {one['required_pct']:.0f} %"
                print(f"  not ready by {_clock(earlier['by'])}: {aboard} ({_what_binds(earlier)})")
    totals = answer["totals"]
    together_range = f"{in_unit(totals['range_km'], unit):.0f} {unit}"
    print(f"Together {totals['wall_kwh']:.2f} kWh, {totals['cost']:.2f} {currency}, {together_range}")
    if answer["objective"]["bound"] is not None and not answer["objective"]["tight"]:
        value, least = answer["objective"]["value"], answer["objective"]["bound"]
        print(f"Not proven to be the best: counted {value:.3f}, and no plan can be below {least:.3f}")
    for caution in answer["cautions"]:
        print(f"Mind: {caution['text']}")


def _clock(instant: str) -> str:
    return f"{nearest_minute(datetime.fromisoformat(instant)):%m-%d %H:%M}"


def _compare(options: argparse.Namespace) -> int:
    answer = comparison_document(compare(_household(options)))
    if options.json:
        _print_json(answer)
        return 0
    print(f"{'habit':12}{'kWh':>8}{'cost':>9}{'level':>9}{'sessions':>10}{'nights':>8}{'kWh·h high':>12}{'short kWh':>11}")
    for one in answer["habits"]:
        totals = one["totals"]
        print(
            f"{one['habit']:12}{totals['wall_kwh']:8.2f}{totals['cost']:9.3f}{totals['level_cost']:9.3f}"
            f"{totals['sessions']:10}{len(one['nights']):8}{totals['kwh_hours_above_rest']:12.1f}{totals['short_kwh']:11.2f}"
        )
    return 0


def _chain(options: argparse.Namespace) -> int:
    household = _household(options)
    answer = {"vehicles": [_chain_of(household, vehicle.id) for vehicle in household.vehicles]}
    if options.json:
        _print_json(answer)
        return 0
    for car in answer["vehicles"]:
        links = "  ".join(f"{link} {amps:g} A" for link, amps in car["links"].items())
        print(f"{car['id']} on {car['lead']}: {links}")
        if car["amps"]:
            print(
                f"  {car['amps']:g} A × {car['phases']}: {car['wall_kw']:.2f} kW at the wall, {car['battery_kw']:.2f} kW "
                f"into the battery ({car['rate']}); the {car['bottleneck']} decides, then the {car['next']}"
            )
            for cost in car["costs_power"]:
                print(f"  also: {cost}")
        else:
            print(f"  does not charge: {car['no_charge']}")
    return 0


def _chain_of(household: Household, vehicle_id: str) -> dict[str, Any]:
    vehicle = next(v for v in household.vehicles if v.id == vehicle_id)
    lead, circuit = household.lead(vehicle.lead), household.circuit_of(vehicle)
    rate = hookup_rate(household.rate_of(vehicle), nominal_v=circuit.voltage_v)
    answer: dict[str, Any] = {
        "id": vehicle.id,
        "lead": lead.id,
        "links": hookup.chain(circuit, lead, vehicle, household.supply),
        "phases": hookup.phases_of(circuit, lead, vehicle),
        "rate": rate.source,
    }
    try:
        got = hookup.delivery_of(household, vehicle)
    except hookup.DoesNotCharge as error:
        return answer | {
            "amps": 0,
            "wall_kw": 0,
            "battery_kw": 0,
            "bottleneck": error.link,
            "next": None,
            "no_charge": str(error),
        }
    return answer | {
        "amps": got.amps,
        "wall_kw": round(got.wall_kw, 6),
        "battery_kw": round(rate.mean.battery_kw(got.wall_kw), 6),
        "bottleneck": got.bottleneck,
        "next": got.next_link,
        "lost_to_steps_a": round(got.lost_to_steps_a, 6),
        "costs_power": got.costs_power,
    }


def _prices(options: argparse.Namespace) -> int:
    h = _household(options)
    grid = grid_for(h.now, nights=h.horizon_nights, slot_minutes=h.slot_minutes, zone=h.zone)
    found = household_prices(h, grid)
    _say_gaps(h, grid)
    slots: list[tuple[str, float, float, str]] = [
        (start.isoformat(), round(float(price), 8), round(float(export), 8), band)
        for start, price, export, band in zip(grid.starts, found.price, found.export_price, found.band, strict=False)
    ]
    if options.json:
        _print_json({"slots": slots})
    else:
        for start, price, export, band in slots:
            print(f"{_clock(start)}  {price:9.5f}  {export:9.5f}  {band}")
    return 0


def _rates(options: argparse.Namespace) -> int:
    document = readings.read(_text(options, "readings"))
    answer = rate_document(document)
    if options.json:
        _print_json(answer)
        return 0
    print(f"battery kW = {answer['efficiency']:.3f} × wall kW − {answer['overhead_kw']:.3f}, at {answer['voltage_v']:g} V")
    for p in answer["predictions"]:
        print(f"  {p['wall_kw']:5.2f} kW at the wall: {p['mean_kw']:.2f} kW ({p['low_kw']:.2f} to {p['high_kw']:.2f})")
    for reading, told in zip(document.readings, answer["readings"], strict=True):
        got = "nothing" if told["measured_kw"] is None else f"{told['measured_kw']:.2f} kW"
        kept = "" if told["fitted"] else "  (kept, not fitted)"
        print(f"  {reading.kind:8} {got}, expected {told['expected_kw']:.2f} kW: {told['cause'] or 'as expected'}{kept}")
    print(answer["advice"])
    return 0


def _schema(options: argparse.Namespace) -> int:
    _print_json(documents.json_schema())
    return 0


if __name__ == "__main__":
    sys.exit(main())
