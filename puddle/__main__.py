"""``python -m puddle`` is the same as the installed ``puddle``."""

import sys

from puddle.cli import main

sys.exit(main())
