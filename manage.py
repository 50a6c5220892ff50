#!/usr/bin/env python
"""Django's own commands, on the settings of one house's machine."""

import os
import sys

from django.core.management import execute_from_command_line

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "moonplan.site.settings.house")
execute_from_command_line(sys.argv)
