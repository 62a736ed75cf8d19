"""``python -m bench NAME``: run, window, accuracy, rings, arranged, recorded, check, takes, collection, time, key, placement, hands, loops, pages, song or house."""

import sys

NAMES = (
    "run", "window", "accuracy", "rings", "arranged", "recorded", "check", "takes", "collection", "time", "key", "placement",
    "hands", "loops", "pages", "song", "house",
)  # fmt: skip
MODULES = {"time": "timing", "key": "keys"}


def main() -> int:
    """Run one bench, or all."""
    chosen = sys.argv[1] if len(sys.argv) > 1 else "run"
    if chosen not in NAMES:
        print(f"choose one of {', '.join(NAMES)}", file=sys.stderr)
        return 2
    from importlib import import_module

    module = import_module(f"bench.{MODULES.get(chosen, chosen)}")
    module.main(sys.argv[2:])
    return 0


if __name__ == "__main__":
    sys.exit(main())
