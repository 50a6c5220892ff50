"""A whole house written to a file and read back: without loss, all or nothing, and from an earlier version, too."""

import json
import os
import subprocess
import sys
from datetime import timedelta
from io import StringIO
from pathlib import Path
from typing import Any

import pytest
from django.apps import apps
from django.contrib.auth import get_user_model
from django.db import connection

from moonplan.core import household as documents
from moonplan.core.mistakes import BadDocument
from moonplan.household.models import Household, Person, Vehicle
from moonplan.logbook.models import LoggedSession
from moonplan.planning import export
from moonplan.planning.documents import planning_now
from tests.api.conftest import Browser

ROOT = Path(__file__).parents[2]


def written() -> dict[str, Any]:
    out = StringIO()
    export.write(out, planning_now())
    document: dict[str, Any] = json.loads(out.getvalue())
    return document


def moved_out() -> None:
    """Nobody lives here any more."""
    with connection.cursor() as cursor:
        for name in ("planning", "logbook", "household", "auth"):
            for model in apps.get_app_config(name).get_models():
                cursor.execute(f"DELETE FROM {model._meta.db_table}")


@pytest.fixture
def house(person: Person, signed_in: Browser) -> Person:
    """The demo household with a session in its log, a plan that was shown, an edit, and somebody with a password."""
    vehicle, now = Vehicle.objects.get(name="Wren"), planning_now()
    times = {"start": now - timedelta(hours=20), "end": now - timedelta(hours=16)}
    LoggedSession.objects.create(household=person.household, vehicle=vehicle, lead=vehicle.lead, wall_kwh=8.7, **times)
    signed_in.get("/tonight")
    signed_in.send("patch", "/household?version=1", {"bedtime": "23:15"})
    get_user_model().objects.create_user("robin", password="a long enough one")
    return person


def test_a_house_comes_back_as_it_was_and_goes_on(house: Person, signed_in: Browser):
    before = written()
    assert {"logbook.loggedsession", "planning.shownplan", "household.change", "auth.user"} <= {
        r["of"] for r in before["rows"]
    }
    moved_out()

    export.read(json.dumps(before))

    assert written() == before
    assert get_user_model().objects.get(username="robin").check_password("a long enough one")
    # It goes on from there: the edit is undone, and another is made.
    again = Browser(Person.objects.get(user__username="demo"))
    again.send("post", "/undo")
    assert Household.objects.get().bedtime == "22:45"
    assert again.send("patch", "/household?version=3", {"bedtime": "23:00"})[0] == 200


def test_the_household_document_is_a_part_of_it(house: Person):
    [document] = written()["households"]

    assert [vehicle.name for vehicle in documents.read(json.dumps(document)).vehicles] == ["Heron", "Wren"]


def test_a_first_start_makes_way_and_people_do_not(house: Person):
    text = json.dumps(written())
    with pytest.raises(BadDocument, match="in which nobody lives yet"):
        export.read(text)
    moved_out()
    Household.objects.create()

    export.read(text)

    assert [household.name for household in Household.objects.all()] == ["Alder Lane"]


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"format": "moonplan-export/9"}, 'format: "moonplan-export/9", expected moonplan-export/1'),
        ({"rows": None}, "expected the rows"),
        ({"tables": {"household": "0099_later"}}, "bring Moon Plan up to date"),
        ({"tables": {"household": "0010_what_events_tell"}}, "an empty data directory"),
        ({"rows": [{"of": "household.rocket"}]}, r"rows\[0\]"),
        ({"rows": [{"of": "household.lead", "id": 1, "nuts": 4}]}, r"rows\[0\]"),
    ],
)
def test_what_is_no_house_is_refused_and_leaves_nothing(house: Person, change: dict[str, Any], told: str):
    document = written()
    moved_out()

    with pytest.raises(BadDocument, match=told):
        export.read(json.dumps(document | change))

    assert not Household.objects.exists()


def test_a_row_that_hangs_on_nothing_takes_all_others_with_it(house: Person):
    document = written()
    moved_out()
    rows = [row for row in document["rows"] if row["of"] != "household.circuit"]

    with pytest.raises(BadDocument):
        export.read(json.dumps(document | {"rows": rows}))

    assert not Vehicle.objects.exists()


def test_a_backup_of_an_earlier_version_is_read_back_and_brought_up_to_date(house: Person, tmp_path: Path):
    """As it was written before there was a log, and before plans told where they begin."""
    document = written()
    earlier = {"household": "0010_what_events_tell", "logbook": "0005_series", "planning": "0002_plans_stand_on_readings"}
    later = {"fuel_per_100km", "fuel_price", "begins"}
    rows = [
        {column: value for column, value in row.items() if column not in later}
        for row in document["rows"]
        if row["of"] != "logbook.loggedsession"
    ]
    file = tmp_path / "backup.json"
    file.write_text(json.dumps(document | {"tables": document["tables"] | earlier, "rows": rows}))
    environment = os.environ | {"MOONPLAN_DATA": str(tmp_path), "DJANGO_SETTINGS_MODULE": "moonplan.site.settings.house"}

    def run(*command: str) -> subprocess.CompletedProcess[str]:
        told = [sys.executable, "manage.py", *command]
        return subprocess.run(told, cwd=ROOT, env=environment, capture_output=True, text=True, check=False)

    assert run("restore", str(file)).returncode == 0
    again = json.loads(run("backup", "-").stdout)

    plans = [row for row in again["rows"] if row["of"] == "planning.shownplan"]
    assert plans
    assert [row["begins"] for row in plans] == [
        row["begins"] for row in document["rows"] if row["of"] == "planning.shownplan"
    ]
    refused = run("restore", str(file))
    assert (refused.returncode, "expected" in refused.stderr) == (2, True)
