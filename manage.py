#!/usr/bin/env python3
"""Django's command line, with this project's local settings. ./start is what people run."""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "orvix_web.settings.local")
    execute_from_command_line(sys.argv)
