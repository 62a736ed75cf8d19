"""What is handed out: one version, and files for the desktop that say what the program opens."""

import configparser
import mimetypes
import tomllib
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path

from juxtanote import __version__
from juxtanote.core.audio.sound import SUFFIXES

ROOT = Path(__file__).parents[2]
NAME = "org.juxtanote.Juxtanote"


class TestDesktopFiles(unittest.TestCase):
    def setUp(self) -> None:
        entry = configparser.ConfigParser(interpolation=None)
        entry.optionxform = str  # type: ignore[assignment,method-assign]
        entry.read(ROOT / "packaging" / f"{NAME}.desktop")
        self.entry = entry["Desktop Entry"]
        self.about = ET.parse(ROOT / "packaging" / f"{NAME}.metainfo.xml").getroot()

    def test_the_entry_names_every_format_that_opens(self) -> None:
        named = set(self.entry["MimeType"].strip(";").split(";"))
        lesson = ET.parse(ROOT / "packaging" / f"{NAME}.mime.xml").getroot()[0]
        self.assertIn(lesson.get("type"), named)
        for suffix in SUFFIXES:  # by the list that ships with Python, of the registered types
            kind, _ = mimetypes.guess_type(f"song{suffix}")
            self.assertIn(kind, named, suffix)

    def test_one_version(self) -> None:
        project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))
        self.assertEqual(
            project["tool"]["setuptools"]["dynamic"]["version"]["attr"], "juxtanote.__version__"
        )
        self.assertNotIn("version", project["project"])
        newest = self.about.find("releases/release")
        assert newest is not None
        self.assertEqual(newest.get("version"), __version__)
        self.assertIn(f"## {__version__} (", (ROOT / "CHANGELOG.md").read_text("utf-8"))

    def test_appstream_has_what_a_catalogue_needs(self) -> None:
        """As the AppStream specification 1.0 requires of a desktop application."""
        for tag in ("id", "metadata_license", "name", "summary", "description", "project_license"):
            self.assertTrue((self.about.findtext(tag) or "").strip() or self.about.find(tag), tag)
        self.assertEqual(self.about.findtext("launchable"), f"{NAME}.desktop")
        images = [image.text for image in self.about.iterfind("screenshots/screenshot/image")]
        for image in images:
            shown = (image or "").rsplit("/", 1)[1]
            self.assertTrue((ROOT / "docs" / "screenshots" / shown).is_file(), shown)
        self.assertTrue(images)
        self.assertEqual(self.entry["Icon"], NAME)

    def test_only_ranges_in_the_wheel_and_every_pin_in_one_file(self) -> None:
        project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
        pinned = {
            line.split("==")[0].lower()
            for line in (ROOT / "constraints.txt").read_text("utf-8").splitlines()
            if "==" in line
        }
        for needed in project["dependencies"]:
            name, _, _ = needed.partition(">=")
            self.assertNotIn("==", needed)
            self.assertIn(name.lower(), pinned)


if __name__ == "__main__":
    unittest.main()
