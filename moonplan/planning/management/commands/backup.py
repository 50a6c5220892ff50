"""Write the whole house to a file, or to standard output."""

from __future__ import annotations

import os
import tempfile
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from moonplan.household.models import Household
from moonplan.planning import export
from moonplan.planning.documents import planning_now


class Command(BaseCommand):
    help = "Write the whole house to a file; keep it as safe as the house's keys."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("file", help="where to, or - for standard output")

    def handle(self, *args: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0, interactive=False)
        if not Household.objects.exists():
            raise CommandError("There is no household in MOONPLAN_DATA to write down.")
        if options["file"] == "-":
            export.write(self.stdout, planning_now())  # type: ignore[arg-type]
            return
        path = Path(options["file"]).resolve()
        # Nobody else reads it, and one that breaks off leaves the earlier one as it was.
        with tempfile.NamedTemporaryFile("w", encoding="utf-8", dir=path.parent, delete=False) as out:
            try:
                export.write(out, planning_now())
            except BaseException:
                os.unlink(out.name)
                raise
        os.replace(out.name, path)
        self.stderr.write(f"Written to {path}. It holds everything, also who may sign in: keep it as safe as your keys.")
