"""The shape of the house: no Qt in the core, imports one way, examples that run."""

import ast
import doctest
import importlib
import pkgutil
import re
import subprocess
import sys
import unittest
from pathlib import Path

import juxtanote
from juxtanote import core

SOURCE = Path(juxtanote.__file__).parent
ROOT = Path(__file__).parents[2]
LAYERS = {
    "errors": 0, "progress": 0, "units": 0, "later": 0,
    "theory": 1, "audio": 1,
    "analysis": 2, "score": 2,
    "align": 3, "engrave": 3, "fretboard": 3, "synth": 3,
    "checks": 4, "formats": 4, "practice": 5, "exercises": 5,
    "measuring": 4, "focusing": 4, "placing": 4, "proposing": 4, "transcribe": 5, "checking": 5,
    "collection": 5, "handing_out": 5, "measured": 6, "remembered": 7,
}  # fmt: skip
DESKS = {"hear", "place", "check", "teach", "practise"}


def core_modules() -> list[str]:
    """List every module of the core."""
    return [m.name for m in pkgutil.walk_packages(core.__path__, "juxtanote.core.")]


def imported(path: Path) -> set[str]:
    """List what a file imports from the program."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
    return found


class TestTheHouse(unittest.TestCase):
    def test_every_core_module_imports_where_pyqt_cannot_be(self) -> None:
        program = (
            "import sys, importlib\n"
            "sys.modules['PyQt6'] = None\n"
            f"for name in {core_modules()!r}:\n"
            "    importlib.import_module(name)\n"
            "import juxtanote.cli\n"
            "print('fine')\n"
        )
        done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True)
        self.assertEqual(done.stdout.strip(), "fine", done.stderr[-800:])

    def test_imports_inside_the_core_go_one_way(self) -> None:
        for path in (SOURCE / "core").rglob("*.py"):
            parts = path.relative_to(SOURCE / "core").parts
            here = parts[0].removesuffix(".py")
            if here == "__init__":
                continue
            for name in imported(path):
                if not name.startswith("juxtanote.core."):
                    self.assertFalse(name.startswith("juxtanote.app"), path)
                    continue
                there = name.split(".")[2]
                with self.subTest(here=str(path.name), there=there):
                    self.assertIn(there, LAYERS)
                    if there != here:
                        self.assertLess(LAYERS[there], LAYERS[here])

    def test_desks_do_not_import_each_other(self) -> None:
        for desk in DESKS:
            for path in (SOURCE / "app" / desk).rglob("*.py"):
                for name in imported(path):
                    parts = name.split(".")
                    if parts[:2] == ["juxtanote", "app"] and len(parts) > 2:
                        self.assertNotIn(parts[2], DESKS - {desk}, path)

    def test_the_window_stands_before_anything_heavy_is_imported(self) -> None:
        program = (
            "import sys, os\n"
            "os.environ['QT_QPA_PLATFORM'] = 'offscreen'\n"
            "from PyQt6.QtWidgets import QApplication\n"
            "app = QApplication([])\n"
            "from juxtanote.app.main_window import MainWindow\n"
            "window = MainWindow()\n"
            "window.show(); app.processEvents(); window.grab()\n"
            "heavy = {'numpy', 'scipy', 'onnxruntime', 'mido', 'av', 'soundfile'} & set(sys.modules)\n"
            "print(sorted(heavy))\n"
        )
        done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True)
        self.assertEqual(done.stdout.strip(), "[]", done.stderr[-800:])

    def test_the_map_names_every_module_and_no_folder_that_is_not(self) -> None:
        text = (ROOT / "docs" / "architecture.md").read_text("utf-8")
        drawn = text.split("```")[1]
        words = set(re.findall(r"[a-z_0-9]+", drawn))
        homes = [SOURCE / "core", ROOT / "lab", ROOT / "bench"]
        modules = [path for home in homes for path in home.rglob("*.py")]
        modules += (SOURCE / "app").glob("*.py")
        folders = [path.parent for path in (SOURCE / "app").rglob("__init__.py")]
        for path in (*modules, *folders):
            if not path.stem.startswith("__"):
                self.assertIn(path.stem, words, path)
        named = set(re.findall(r"^ *([a-z]+)/", drawn, re.MULTILINE))
        there = {path.name for path in ROOT.iterdir()} | {path.name for path in folders}
        there |= {path.name for path in (SOURCE / "core").iterdir()} | {"core", "second"}
        self.assertLessEqual(named, there)

    def test_documents_name_files_that_are_there(self) -> None:
        for name in ("adding-a-technique", "format"):
            text = (ROOT / "docs" / f"{name}.md").read_text("utf-8")
            for path in re.findall(r"`((?:app|core|tests|src)/[a-z_/.0-9]+)`", text):
                homes = (ROOT, ROOT / "src" / "juxtanote")
                self.assertTrue(any((home / path).is_file() for home in homes), (name, path))

    def test_every_example_in_a_docstring_runs(self) -> None:
        for name in core_modules():
            with self.subTest(module=name):
                module = importlib.import_module(name)
                result = doctest.testmod(
                    module, extraglobs={"np": importlib.import_module("numpy")}
                )
                self.assertEqual(result.failed, 0)


if __name__ == "__main__":
    unittest.main()
