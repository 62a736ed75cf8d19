"""Run every test and close with a plain line: N passed, N failed, N skipped.

The window's tests and all others run beside each other, in a process of their own each.
"""

import contextlib
import faulthandler
import os
import re
import subprocess
import sys
import tempfile
import unittest
import warnings
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BESIDE = (("app",), ("core", "lab", "page", "reference"))
CLOSING = re.compile(r"^(\d+) passed, (\d+) failed, (\d+) skipped$", re.MULTILINE)


def run_here(suite: unittest.TestSuite) -> tuple[int, int, int]:
    """Run tests in this process: passed, failed, skipped."""
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    return max(result.testsRun - failed - skipped, 0), failed, skipped


def run_beside() -> tuple[int, int, int]:
    """Run all folders of tests in two processes, and print what each of them said.

    What they, and the browser, leave in the folder for temporary files goes with it.
    """
    there = {path.parent.name for path in (ROOT / "tests").glob("*/test_*.py")}
    known = {name for names in BESIDE for name in names}
    if there != known:
        raise SystemExit(f"no process runs the tests in {', '.join(sorted(there ^ known))}")
    with (
        tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder,
        contextlib.ExitStack() as open_files,
    ):
        left = Path(folder, "left")
        left.mkdir()
        running = []
        for number, names in enumerate(BESIDE):
            path = Path(folder, str(number))
            log = open_files.enter_context(path.open("w", encoding="utf-8"))
            command = [sys.executable, "-m", "tests", *(f"tests/{name}" for name in names)]
            process = subprocess.Popen(
                command, cwd=ROOT, stdout=log, stderr=subprocess.STDOUT,
                env=os.environ | {"TMPDIR": str(left)},
            )  # fmt: skip
            running.append((process, path))
        return _summed(running)


def _summed(running: list[tuple[subprocess.Popen[bytes], Path]]) -> tuple[int, int, int]:
    """Wait for processes and add up what they counted."""
    totals = [0, 0, 0]
    for process, path in running:
        process.wait()
        text = path.read_text("utf-8")
        print(text, flush=True)
        closing = CLOSING.findall(text)
        # A process that died has no closing line: that is a failure as well.
        counts = [int(part) for part in closing[-1]] if closing else [0, 1, 0]
        totals = [a + b for a, b in zip(totals, counts, strict=True)]
    return totals[0], totals[1], totals[2]


def main() -> int:
    """Run the tests named (modules, or folders such as tests/core), or all of them."""
    faulthandler.enable()  # a process that dies says where
    sys.path.insert(0, str(ROOT))
    warnings.filterwarnings("ignore", category=DeprecationWarning)
    loader, suite = unittest.TestLoader(), unittest.TestSuite()
    for name in sys.argv[1:]:
        if "/" in name:
            suite.addTests(loader.discover(str(ROOT / name), top_level_dir=str(ROOT)))
        else:
            suite.addTests(loader.loadTestsFromName(name))
    passed, failed, skipped = run_here(suite) if sys.argv[1:] else run_beside()
    print(f"{passed} passed, {failed} failed, {skipped} skipped", flush=True)
    return 1 if failed or passed + failed + skipped == 0 else 0


if __name__ == "__main__":
    sys.exit(main())
