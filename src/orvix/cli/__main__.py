"""`python -m orvix.cli`."""

import sys

from orvix.cli import main

sys.exit(main())
