"""Starting the window, on a screen or for pictures only."""

import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from juxtanote.app.folders import DATA
from juxtanote.core.errors import JuxtanoteError

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage, QPixmap
    from PyQt6.QtWidgets import QApplication, QWidget

DESK_NAMES = ("hear", "place", "check", "teach", "practise")
NO_DISPLAY = (
    "juxtanote: there is no display here. Log in to a desktop, or write pictures of every desk "
    "without one: ./run demo --shots DIR"
)
SETTLE_MS = 30_000  # until the start is over and rare things may be done
SETTLED_MS = 1500  # after a lesson was opened its desk stands


def demo_lesson() -> Path:
    """Give the lesson that ships with the program."""
    return DATA / "demo" / "brackwater-tram.juxta"


def has_display() -> bool:
    """Tell whether a window can be shown."""
    platform = os.environ.get("QT_QPA_PLATFORM", "")
    return bool(platform or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def run(lesson: Path | None = None, *, dark: bool | None = None) -> int:
    """Show the window; give the exit status."""
    if not has_display():
        print(NO_DISPLAY, file=sys.stderr)
        return 1
    from PyQt6.QtGui import QIcon
    from PyQt6.QtWidgets import QApplication

    application = QApplication(sys.argv[:1])
    application.setApplicationName("juxtanote")
    application.setApplicationDisplayName("Juxtanote")
    application.setDesktopFileName("org.juxtanote.Juxtanote")
    application.setWindowIcon(QIcon(str(DATA / "icons" / "juxtanote.svg")))
    opening = open_window(application, lesson, dark)
    status = application.exec()
    del opening
    return status


def open_window(
    application: "QApplication", lesson: Path | None, dark: bool | None = None
) -> list["QWidget"]:
    """Paint the frame at once, then build the window in its place; give what must stay alive."""
    from PyQt6.QtCore import QTimer

    from juxtanote.app.collecting import Collector
    from juxtanote.app.errors import install_hook
    from juxtanote.app.look import theme
    from juxtanote.app.shell import Shell

    install_hook()
    Collector(application)
    theme.apply(application, dark)
    shell = Shell()
    alive: list[QWidget] = [shell]

    def furnish() -> None:
        from juxtanote.app.collecting import set_aside
        from juxtanote.app.main_window import MainWindow

        window = MainWindow()
        alive.append(window)
        window.show()
        shell.close()
        if lesson is not None:
            QTimer.singleShot(0, lambda: window.files.open_any(lesson))
        QTimer.singleShot(0, window.asking.offer_recovery)
        QTimer.singleShot(2000, window.files.clear_half_written)
        QTimer.singleShot(400, window.show_cautions_once)
        window.files.opened.connect(lambda: QTimer.singleShot(SETTLED_MS, set_aside))
        QTimer.singleShot(0, set_aside)

    shell.painted.connect(furnish)
    shell.show()
    return alive


def write_shots(folder: Path, lesson: Path | None = None, *, dark: bool = False) -> list[Path]:
    """Write one 1280×800 picture of each desk on a lesson, and the first page of its handout.

    No display is needed.

    Raises
    ------
    JuxtanoteError
        If the folder cannot be written to.
    """
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from PyQt6.QtCore import QEventLoop, QTimer
    from PyQt6.QtWidgets import QApplication

    from juxtanote.app.collecting import Collector
    from juxtanote.app.desks import CHECK, PLACE, PRACTISE
    from juxtanote.app.look import theme
    from juxtanote.app.main_window import MainWindow
    from juxtanote.app.teach.paper import page_image
    from juxtanote.app.transport.devices import SimulatedSoundCard

    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    Collector(application)
    theme.apply(application, dark)
    window = MainWindow(SimulatedSoundCard())
    window.resize(1280, 800)
    window.show()

    def wait(milliseconds: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(milliseconds, loop.quit)
        loop.exec()

    def wait_until(is_true: Callable[[], bool]) -> None:
        for _ in range(0, SETTLE_MS, 100):
            if is_true():
                break
            wait(100)

    def stands() -> bool:
        """Tell whether all that is shown is there: what the header counts, what is drawn of a sound."""
        return window.findings.phrase is window.document.phrase and not window.runner.is_busy

    window.files.open_lesson(lesson or demo_lesson())
    wait(1200)
    wait_until(stands)
    wait(600)
    folder.mkdir(parents=True, exist_ok=True)
    phrases = window.document.lesson.phrases
    if len(phrases) > 2:
        window.document.choose_phrase(phrases[2].ident)
    wait(1500)
    paths = []
    for index, name in enumerate(DESK_NAMES):
        window.show_desk(index)
        if index == PLACE:
            _select_something(window)
        if index == CHECK:
            _choose_most_found(window)
            wait(1500)
        if index == PRACTISE and window.document.lesson.kept.takes:
            window.document.choose_phrase(window.document.lesson.kept.takes[-1].phrase)
        wait(900)
        wait_until(stands)
        paths.append(_picture(window.grab(), folder / f"{name}.png"))
        if index == PLACE and phrases:
            here = window.document.phrase
            window.document.choose_phrase(max(phrases, key=lambda p: len(p.notes)).ident)
            window.place.next_alternative()
            wait(1500)
            wait_until(stands)
            paths.append(_picture(window.grab(), folder / f"{name}-compared.png"))
            window.document.undo_stack.undo()
            window.tell("")
            if here is not None:
                window.document.choose_phrase(here.ident)
    pages = window.teach.laid_out()
    if pages:
        paths.append(_picture(page_image(pages[0], 4.0), folder / "handout.png"))
    window.shut_down()
    window.deleteLater()
    return paths


def _picture(image: "QPixmap | QImage", path: Path) -> Path:
    if not image.save(str(path)):
        raise JuxtanoteError(f"“{path}” could not be written. Choose another folder.")
    return path


def _select_something(window: object) -> None:
    """Select a bent note, so that the reasons card has something to say."""
    document = window.document  # type: ignore[attr-defined]
    phrase = document.phrase
    if phrase is None or not phrase.notes:
        return
    bent = [n.ident for n in phrase.notes if "bend" in n.written.techniques]
    document.select((bent[0] if bent else phrase.notes[0].ident,))
    note = document.selected_notes[0]
    window.transport.seek(note.onset_s + 0.25)  # type: ignore[attr-defined]


def _choose_most_found(window: object) -> None:
    """Choose the phrase that the Check desk has most to say about."""
    from juxtanote.core.checks.findings import find_problems

    document = window.document  # type: ignore[attr-defined]
    lesson = document.lesson
    if lesson.phrases:
        most = max(lesson.phrases, key=lambda p: len(find_problems(p, lesson)))
        document.choose_phrase(most.ident)
