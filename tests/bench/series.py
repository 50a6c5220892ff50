"""How long a year takes: prices for every quarter hour, the output of an array, and a file of a million rows."""

from __future__ import annotations

import argparse
import resource
import statistics
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from moonplan.core import series
from moonplan.core.household import Band, Tariff
from moonplan.core.sun import Array, Place, clear_output_kw
from moonplan.core.tariff import prices
from moonplan.core.timegrid import Grid
from moonplan.core.values import WEEKDAYS, clock_of

ZONE = ZoneInfo("Europe/Ljubljana")
START = int(datetime(2026, 1, 1, tzinfo=ZONE).timestamp())
YEAR = 365 * 96


def a_tariff(*, dated: bool) -> Tariff:
    """A sheet of six lines; with dated prices, an hour at a time, over all of the year."""
    bands = tuple(
        Band(name=f"line {n}", price=0.1 + n / 50, from_=clock_of(start), to=clock_of(end), days=days, months=months)
        for n, (start, end, days, months) in enumerate(
            [
                ("17:00", "20:00", WEEKDAYS[:5], (11, 12, 1, 2)),
                ("22:00", "06:00", WEEKDAYS, None),
                ("12:00", "15:00", WEEKDAYS[5:], None),
                ("06:00", "09:30", WEEKDAYS[:5], (11, 12, 1, 2)),
                ("10:00", "16:00", WEEKDAYS, (5, 6, 7, 8)),
                ("20:00", "22:00", WEEKDAYS[:5], None),
            ]
        )
    )
    hours = range(365 * 24) if dated else range(0)
    steps = tuple((datetime.fromtimestamp(START + 3600 * n, UTC), round(0.2 + 0.1 * np.sin(n), 5)) for n in hours)
    return Tariff(default_price=0.21437, bands=bands, series=steps)


def timed(what: Callable[[], object], times: int) -> tuple[float, float]:
    """Median and longest of several runs. [ms]"""
    told = []
    for _ in range(times):
        began = time.perf_counter()
        what()
        told.append((time.perf_counter() - began) * 1000)
    return statistics.median(told), max(told)


def table(rows: int) -> Iterator[str]:
    """A CSV of quarter hours, written as it is read."""
    yield "start,kwh\n"
    at = datetime(2000, 1, 1, tzinfo=UTC)
    quarter = timedelta(minutes=15)
    for n in range(rows):
        yield f"{at:%Y-%m-%dT%H:%M:%S+00:00},{n % 7 / 10}\n"
        at += quarter


def main() -> None:
    asked = argparse.ArgumentParser(prog="moon bench series")
    asked.add_argument("--rows", type=int, default=1_000_000, help="rows of the file, a million by default")
    given = asked.parse_args()
    roof, place = Array(6.4, 35, 165, inverter_kw=6.0), Place(46.1, 14.6)
    banded, dated = a_tariff(dated=False), a_tariff(dated=True)
    print(f"{'':46} {'median ms':>10} {'longest':>9}")
    for name, what, times in (
        ("prices of a year of quarter hours, six lines", lambda: prices(banded, Grid(START, 15, YEAR, ZONE)), 9),
        ("  with dated prices over all of it", lambda: prices(dated, Grid(START, 15, YEAR, ZONE)), 9),
        (
            "output of an array, a year of quarter hours",
            lambda: clear_output_kw([roof], place, Grid(START, 15, YEAR, ZONE)),
            3,
        ),
    ):
        median, longest = timed(what, times)
        print(f"{name:46} {median:10.1f} {longest:9.1f}", flush=True)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    began = time.perf_counter()
    found = series.from_csv(table(given.rows), measure="power", unit="kWh", zone=ZONE)
    took = time.perf_counter() - began
    more = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    print(
        f"\na file of {found.n_rows} rows: read, checked and put on days in {took:.1f} s, {more:.0f} MB more than before it"
    )


if __name__ == "__main__":
    main()
