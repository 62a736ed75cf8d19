"""``./run demo``: the window on the demo lesson, or pictures of every desk without a display."""

import argparse
import sys
from pathlib import Path

from juxtanote.app.main import demo_lesson, run, write_shots
from juxtanote.core.errors import JuxtanoteError


def main() -> int:
    """Run it; give the exit status."""
    parser = argparse.ArgumentParser(prog="./run demo", description=__doc__)
    parser.add_argument(
        "--shots", type=Path, metavar="DIR", help="write 1280×800 PNGs of every desk"
    )
    parser.add_argument("--dark", action="store_true", help="dark colours")
    options = parser.parse_args()
    if options.shots is None:
        return run(demo_lesson(), dark=True if options.dark else None)
    try:
        for path in write_shots(options.shots, dark=options.dark):
            print(path)
    except (JuxtanoteError, OSError) as error:
        print(f"juxtanote: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
