"""Prepare the database and print the link with which a person gets in."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand

from moonplan.household import accounts
from moonplan.household.models import Household, Person
from moonplan.planning.demo import demo
from moonplan.planning.demo_log import demo_log
from moonplan.planning.documents import planning_now


class Command(BaseCommand):
    help = "Prepare the database and print the address to open."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--demo", action="store_true", help="with the demo household")
        parser.add_argument("--address", default="http://127.0.0.1:8321")

    def handle(self, *args: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0, interactive=False)
        address = options["address"]
        if options["demo"]:
            person = demo(planning_now())
            demo_log(person.household, planning_now())
            self.stdout.write(f"Moon Plan, demo household: {address}{accounts.sign_in_path(person)}")
        elif not Person.objects.exists():
            household = Household.objects.first() or Household.objects.create()
            self.stdout.write(f"Moon Plan: make the first account at {address}{accounts.invitation_path(household)}")
        else:
            self.stdout.write(f"Moon Plan: {address}/")
