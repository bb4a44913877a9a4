"""`python -m choreon`."""

import sys

from choreon.cli import main

sys.exit(main())
