"""Build what is handed out: a wheel, and a Debian package that brings its Python packages along.

    ./run package [--out DIR] [--wheel]

Debian has not every package that the program needs as new as it needs it, so the .deb has them inside,
under /usr/lib/juxtanote, for the one Python that built it. It needs dpkg-deb and the registry.
"""

import argparse
import gzip
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
NAME = "juxtanote"
LIBRARY = Path("usr/lib", NAME)
WITHOUT = ("PyQt6/Qt6/qml", "bin", "share")  # of what pip lays down: nothing here uses it
COMMAND = """#!/bin/sh
PYTHONPATH=/usr/lib/juxtanote exec /usr/bin/python3 -s -m juxtanote "$@"
"""
AFTER_INSTALLING = """#!/bin/sh
set -e
/usr/bin/python3 -m compileall -q /usr/lib/juxtanote || true
"""
BEFORE_REMOVING = """#!/bin/sh
set -e
find /usr/lib/juxtanote -name __pycache__ -type d -prune -exec rm -rf {} +
"""
CONTROL = """Package: {name}
Version: {version}
Architecture: {architecture}
Maintainer: The Juxtanote founders <founders@juxtanote.org>
Installed-Size: {kilobytes}
Depends: {depends}
Section: sound
Priority: optional
Homepage: https://juxtanote.org
Description: Guitar tablature beside the recording
 Turns licks and solos from recordings into phrase-by-phrase tablature: each
 note's string, fret, technique and timing aligned to the sound, so that
 students can loop and slow the passages.
"""
COPYRIGHT = """Format: https://www.debian.org/doc/packaging-manuals/copyright-format/1.0/
Upstream-Name: Juxtanote

Files: *
Copyright: The Juxtanote founders
License: GPL-3.0-or-later
 The text is in /usr/share/common-licenses/GPL-3. The Python packages under
 /usr/lib/juxtanote carry their own licences beside them.
"""


def run(*words: object) -> str:
    """Run a command; give what it says."""
    done = subprocess.run([str(w) for w in words], check=True, capture_output=True, text=True)
    return done.stdout.strip()


def build_wheel(out: Path) -> Path:
    """Build the wheel."""
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        run(sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "-w", folder, ROOT)
        (built,) = Path(folder).glob("*.whl")
        return Path(shutil.move(built, out / built.name))


def build_deb(wheel: Path, out: Path) -> Path:
    """Build the Debian package around the wheel and what it needs."""
    version = wheel.name.split("-")[1]
    architecture = run("dpkg", "--print-architecture")
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        library = root / LIBRARY
        pip = (sys.executable, "-m", "pip", "install", "-q", "--no-compile", "--target", library)
        run(*pip, "-c", ROOT / "constraints.txt", wheel)
        for name in WITHOUT:
            shutil.rmtree(library / name, ignore_errors=True)
        _write(root / "usr/bin" / NAME, COMMAND, mode=0o755)
        _desktop_files(root / "usr/share")
        documents = root / "usr/share/doc" / NAME
        _write(documents / "copyright", COPYRIGHT)
        changes = (ROOT / "CHANGELOG.md").read_bytes()
        (documents / "changelog.gz").write_bytes(gzip.compress(changes, mtime=0))
        size = sum(path.stat().st_size for path in root.rglob("*") if path.is_file())
        control = CONTROL.format(
            name=NAME, version=version, architecture=architecture, kilobytes=size // 1024,
            depends=depends(),
        )  # fmt: skip
        _write(root / "DEBIAN/control", control)
        _write(root / "DEBIAN/postinst", AFTER_INSTALLING, mode=0o755)
        _write(root / "DEBIAN/prerm", BEFORE_REMOVING, mode=0o755)
        target = out / f"{NAME}_{version}_{architecture}.deb"
        run("dpkg-deb", "--root-owner-group", "-Zxz", "-z1", "--build", root, target)
        return target


def depends() -> str:
    """Give what the package needs: this Python, and the libraries that Qt loads."""
    major, minor = sys.version_info[:2]
    python = [f"python3 (>= {major}.{minor})", f"python3 (<< {major}.{minor + 1})"]
    return ", ".join([*python, *(ROOT / "packaging/depends.txt").read_text().split()])


def _desktop_files(share: Path) -> None:
    """Put the desktop's files where it looks for them, as the wheel does."""
    for name, folder in (
        ("desktop", "applications"), ("metainfo.xml", "metainfo"), ("mime.xml", "mime/packages"),
        ("svg", "icons/hicolor/scalable/apps"),
    ):  # fmt: skip
        source = ROOT / "packaging" / f"org.juxtanote.Juxtanote.{name}"
        _write(share / folder / source.name, source.read_text("utf-8"))


def _write(path: Path, text: str, mode: int = 0o644) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, "utf-8")
    path.chmod(mode)


def main() -> None:
    """Build and say what was built."""
    parser = argparse.ArgumentParser(prog="run package", description=__doc__)
    parser.add_argument("--out", type=Path, default=ROOT / "dist")
    parser.add_argument("--wheel", action="store_true", help="the wheel alone")
    options = parser.parse_args()
    wheel = build_wheel(options.out)
    print(wheel)
    if not options.wheel:
        print(build_deb(wheel, options.out))


if __name__ == "__main__":
    main()
