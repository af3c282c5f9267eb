"""`python -m keen_compass`."""

import sys

from keen_compass.cli import main

sys.exit(main())
