"""`python -m dusk_lamp.cli`."""

import sys

from .main import main

sys.exit(main())
