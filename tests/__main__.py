"""Run every test and close with a plain line: N passed, N failed, N skipped."""

import sys
import unittest
import warnings
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def main() -> int:
    """Run the tests named on the command line, or all of them."""
    sys.path.insert(0, str(ROOT))
    warnings.filterwarnings("ignore", category=DeprecationWarning)
    loader = unittest.TestLoader()
    names = sys.argv[1:]
    if names:
        suite = loader.loadTestsFromNames(names)
    else:
        suite = loader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = max(result.testsRun - failed - skipped, 0)
    print(f"{passed} passed, {failed} failed, {skipped} skipped", flush=True)
    return 1 if failed or result.testsRun == 0 else 0


if __name__ == "__main__":
    sys.exit(main())
