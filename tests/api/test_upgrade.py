"""A household of an older version keeps what it has."""

from decimal import Decimal

import pytest
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

BEFORE = [("household", "0004_usual_days"), ("logbook", "0004_odometer_temperature")]


@pytest.mark.django_db(transaction=True)
def test_prices_of_a_household_become_its_tariff_with_the_lines_in_their_order():
    executor = MigrationExecutor(connection)
    latest = executor.loader.graph.leaf_nodes()
    executor.migrate(BEFORE)
    old = executor.loader.project_state(BEFORE).apps
    household = old.get_model("household", "Household").objects.create(
        name="Older", default_price="0.21437", export_price="0.04", holidays=["2026-01-01"], contracted_kw=14
    )
    empty = old.get_model("household", "Household").objects.create(name="Empty")
    for name in ("first", "second"):
        old.get_model("household", "Band").objects.create(
            household=household, name=name, price="0.1", days=["mon"], start="22:00", end="06:00"
        )

    executor = MigrationExecutor(connection)
    executor.migrate(latest)
    new = executor.loader.project_state(latest).apps

    tariff = new.get_model("household", "Tariff").objects.get(household_id=household.pk)
    assert (tariff.default_price, tariff.export_price, tariff.contracted_kw) == (Decimal("0.21437"), Decimal("0.04"), 14)
    assert tariff.holidays == ["2026-01-01"]
    assert [band.name for band in tariff.bands.order_by("position")] == ["first", "second"]
    assert not new.get_model("household", "Tariff").objects.filter(household_id=empty.pk).exists()


@pytest.mark.django_db(transaction=True)
def test_what_was_pinned_for_a_night_stays_pinned_and_is_undone_by_the_names_of_today():
    before = [("household", "0005_tariffs_and_arrays"), ("logbook", "0004_odometer_temperature")]
    executor = MigrationExecutor(connection)
    latest = executor.loader.graph.leaf_nodes()
    executor.migrate(before)
    old = executor.loader.project_state(before).apps.get_model
    household = old("household", "Household").objects.create(name="Older")
    circuit = old("household", "Circuit").objects.create(
        household=household, name="shed", breaker_a=16, voltage_v=230, continuous_factor=1
    )
    lead = old("household", "Lead").objects.create(household=household, name="brick", circuit=circuit, max_a=10)
    vehicle = old("household", "Vehicle").objects.create(
        household=household, lead=lead, name="Wren", usable_kwh=22, onboard_kw=3.6, use_kwh_per_100km=14
    )
    fixed = {"pin_start": "02:00", "pin_end": "06:30", "pin_amps": 10.0, "keep_off_from": "22:00", "keep_off_to": None}
    evening = old("household", "Evening").objects.create(household=household, vehicle=vehicle, night="2026-01-14", **fixed)
    old("household", "Change").objects.create(
        household=household,
        what="Wren: tonight",
        kind="evening",
        row=evening.pk,
        version=1,
        before=None,
        after={"night": "2026-01-14", "limit_pct": 70, **fixed},
    )

    executor = MigrationExecutor(connection)
    executor.migrate(latest)
    new = executor.loader.project_state(latest).apps.get_model

    lists = {"pins": [{"start": "02:00", "end": "06:30", "amps": 10.0}], "keep_off": [{"start": "22:00", "end": None}]}
    kept = new("household", "Evening").objects.get(pk=evening.pk)
    assert {"pins": kept.pins, "keep_off": kept.keep_off} == lists
    change = new("household", "Change").objects.get(row=evening.pk)
    assert change.after == {"night": "2026-01-14", "limit_pct": 70, **lists}
    assert change.before is None
