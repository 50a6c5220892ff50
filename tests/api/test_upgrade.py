"""A household of an older version keeps its prices when tariffs become rows of their own."""

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
