"""Read a house back from what `backup` wrote."""

from __future__ import annotations

import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from moonplan.core.mistakes import BadDocument
from moonplan.planning import export


class Command(BaseCommand):
    help = "Read a house back into a data directory in which nobody lives yet."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("file", help="what backup wrote, or - for standard input")

    def handle(self, *args: Any, **options: Any) -> None:
        file = options["file"]
        try:
            text = sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8")
            n = export.read(text)
        except (OSError, UnicodeDecodeError) as error:
            raise CommandError(f"file: {file}, expected one that can be read ({error})", returncode=2) from error
        except BadDocument as error:
            raise CommandError(str(error), returncode=2) from error
        self.stderr.write(f"Read back: {n} rows.")
