#!/usr/bin/env python
"""Django's management commands. `./eager` sets the environment they need."""

import os
import sys

from django.core.management import execute_from_command_line

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings")
execute_from_command_line(sys.argv)
