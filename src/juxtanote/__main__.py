"""``python -m juxtanote``."""

import sys

from juxtanote.cli import main

sys.exit(main())
