"""What the window costs on its own thread: the real window driven by keys, median and worst of 50.

Work that was put aside (placing, reasons, pages) is not counted: what is measured is how long a key, a
click or a turn of the page holds up the window, until it has painted. Start-up and memory are ratios to,
or beside, a bare window in the same run.
"""

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
RUNS = 50
BARE = (
    "import os; os.environ['QT_QPA_PLATFORM'] = 'offscreen'\n"
    "from PyQt6.QtWidgets import QApplication, QMainWindow\n"
    "a = QApplication([]); w = QMainWindow(); w.resize(1280, 800); w.show(); w.grab()\n"
    "os._exit(0)\n"
)
FURNISHED = (
    "import os, sys; os.environ['QT_QPA_PLATFORM'] = 'offscreen'\n"
    "from PyQt6.QtWidgets import QApplication\n"
    "a = QApplication(sys.argv[:1])\n"
    "from juxtanote.app.main import open_window\n"
    "kept = open_window(a, None)\n"
    "while len(kept) < 2: a.processEvents()\n"
    "a.processEvents(); kept[1].grab()\n"
    "os._exit(0)\n"
)


def notes_of(count: int, start_s: float, seed: int = 1, step_s: float = 0.12) -> list:
    """Make a line of notes with curves, as a listening gives them."""
    from juxtanote.core.score.note import HeardNote, Note, WrittenNote
    from juxtanote.core.theory.tuning import Guitar

    rng, guitar, notes, at = np.random.default_rng(seed), Guitar(), [], start_s
    for k in range(count):
        string, fret = 1 + (k // 3) % 6, 5 + int(rng.integers(0, 4))
        length = step_s * float(rng.choice([1, 1, 2])) + abs(float(rng.normal(0, 0.008)))
        curve = tuple((0.01 * i, float(rng.normal(0, 4))) for i in range(int(length * 90)))
        heard = HeardNote(
            at,
            at + 0.92 * length,
            float(guitar.midi_at(string, fret)),
            -18.0 + float(rng.normal(0, 2)),
            float(rng.uniform(0.3, 1.0)),
            curve,
            stiffness=2e-5,
            strength=0.6,
        )
        tags = frozenset({"vibrato"}) if rng.random() < 0.1 else frozenset()
        notes.append(Note(k + 1, heard, WrittenNote(string, fret, tags)))
        at += length
    return notes


def lesson_of(phrases: int, notes: int, gap_s: float = 0.3):  # type: ignore[no-untyped-def]
    """Make a lesson of so many phrases of so many notes each."""
    from juxtanote.core.score.lesson import Lesson, Phrase
    from juxtanote.core.score.time_map import TimeMap
    from juxtanote.core.score.timing import recounted

    made, at = [], 1.0
    for k in range(phrases):
        line = notes_of(notes, at + 0.05, seed=k)
        end = line[-1].offset_s + 0.05
        made.append(Phrase(k + 1, f"P{k + 1}", at, end, tuple(line), status="placed"))
        at = end + gap_s
    beats = TimeMap(tuple(np.arange(0.0, at + 4.0, 0.5).tolist()), first_downbeat=2)
    return recounted(
        Lesson("Bench", key="A minor", scale="blues", time_map=beats, phrases=tuple(made))
    )


class Driver:
    """A window with a lesson and a quiet recording."""

    def __init__(self, lesson) -> None:  # type: ignore[no-untyped-def]
        from PyQt6.QtWidgets import QApplication

        from juxtanote.app.collecting import Collector, set_aside
        from juxtanote.app.look import theme
        from juxtanote.app.main_window import MainWindow
        from juxtanote.app.transport.devices import SimulatedSoundCard
        from juxtanote.core.audio.peaks import build_peaks
        from juxtanote.core.audio.sound import Sound

        made = QApplication.instance() or QApplication(sys.argv[:1])
        assert isinstance(made, QApplication)
        self.application = made
        Collector(made)
        theme.apply(made, False)
        self.window = MainWindow(SimulatedSoundCard(by_hand=True))
        self.window.resize(1280, 800)
        self.window.show()
        length = max(p.end_s for p in lesson.phrases) + 2.0
        rng = np.random.default_rng(3)
        audio = (0.1 * rng.standard_normal((2, int(length * 44_100)))).astype(np.float32)
        self.window.document.open(lesson, None)
        self.window.document.set_sound(
            Sound(audio, 44_100), build_peaks(audio, 44_100), Path("x.wav")
        )
        self.settle()
        set_aside()  # as the program does

    def settle(self, seconds: float = 60.0) -> None:
        """Let everything that was put aside be done."""
        until, quiet = time.monotonic() + seconds, time.monotonic()
        while time.monotonic() < until and time.monotonic() - quiet < 0.5:
            self.application.processEvents()
            if self.window.runner.is_busy:
                quiet = time.monotonic()
            time.sleep(0.002)

    def time(
        self, act: Callable[[], object], rest: Callable[[], object] | None = None
    ) -> tuple[list[float], list[float]]:
        """Time an act 50 times until the window has painted: elapsed and own work, milliseconds.

        Own work is the processor time of the window's thread; the rest of what elapsed is waiting, for
        work beside it or for what else this machine does.
        """
        times, own = [], []
        for _ in range(RUNS):
            began, worked = time.perf_counter(), time.thread_time()
            act()
            self.application.processEvents()
            times.append(1000.0 * (time.perf_counter() - began))
            own.append(1000.0 * (time.thread_time() - worked))
            # What follows in the background is let go on, as while a person looks.
            until = time.monotonic() + 0.12
            while time.monotonic() < until:
                self.application.processEvents()
                time.sleep(0.001)
            if rest is not None:
                rest()
                self.application.processEvents()
        return times, own

    def undo(self) -> None:
        """Wait for what was asked, and take it back."""
        self.settle()
        self.window.document.undo_stack.undo()

    def close(self) -> None:
        """Close it, without the question what becomes of its changes."""
        from PyQt6.QtCore import QCoreApplication, QEvent

        self.window.shut_down()
        self.window.deleteLater()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        self.application.processEvents()


def told(what: str, times: tuple[list[float], list[float]], goal: str) -> None:
    """Print a row."""
    elapsed, own = times
    print(
        f"{what}: median {statistics.median(elapsed):.0f} ms, worst {max(elapsed):.0f} ms; of it own work "
        f"{statistics.median(own):.0f}, {max(own):.0f} ms (goal {goal})",
        flush=True,
    )


def note_keys() -> None:
    """Every kind of key on a note of a phrase of 300."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtTest import QTest

    from juxtanote.app.desks import PLACE

    driver = Driver(lesson_of(1, 300))
    window, key, mod = driver.window, Qt.Key, Qt.KeyboardModifier
    window.show_desk(PLACE)
    driver.settle()
    window.document.step_selection(1)
    driver.settle()

    def press(which, modifier=mod.NoModifier):  # type: ignore[no-untyped-def]
        return lambda: QTest.keyClick(window.place.sheet, which, modifier)

    def next_note() -> None:
        window.document.step_selection(1)

    for name, act in (
        ("select the next note", press(key.Key_Right)), ("vibrato", press(key.Key_V)),
        ("to the thicker string", press(key.Key_Down)), ("to the thinner string", press(key.Key_Up)),
        ("type a fret", press(key.Key_7)), ("finger", press(key.Key_F)),
        ("onset later", press(key.Key_Right, mod.ControlModifier)), ("keep", press(key.Key_E)),
        ("undo", press(key.Key_Z, mod.ControlModifier)),
    ):  # fmt: skip
        # From the beginning each time: at the last note nothing is left to go on to, and no time is taken.
        window.document.select((window.document.phrase.notes[1].ident,))
        driver.settle()
        told(f"300 notes, {name}", driver.time(act, next_note), "30")
        driver.settle()
    driver.close()


def page_turns() -> None:
    """PgDown on every desk with 300 phrases, and a letter on Teach."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtTest import QTest

    from juxtanote.app.desks import DESKS, TEACH

    driver = Driver(lesson_of(300, 20))
    window = driver.window
    for index, name in enumerate(DESKS):
        window.show_desk(index)
        driver.settle(20.0)
        window.document.choose_phrase(1)
        driver.settle(20.0)
        times = driver.time(lambda: QTest.keyClick(window, Qt.Key.Key_PageDown))
        told(f"300 phrases, PgDown on {name}", times, "30")
    window.show_desk(TEACH)
    driver.settle(20.0)
    window.teach.text.setFocus()
    times = driver.time(lambda: QTest.keyClick(window.teach.text, "x"))
    told("300 phrases, a letter typed on Teach", times, "30")
    driver.close()


def moved_beat() -> None:
    """A beat that moves under 300 phrases, on the Hear desk, and bar lines that do, as its buttons move them."""
    from juxtanote.core.score.timing import change_time_map

    driver = Driver(lesson_of(300, 20))
    document = driver.window.document
    count = [0]

    def move() -> None:
        count[0] += 1
        index = 20 + 3 * count[0]
        at = document.lesson.time_map.beat_times_s[index] + 0.02
        document.change(
            "Move beat", lambda l: change_time_map(l, lambda m: m.with_beat_at(index, at))
        )

    told("300 phrases, a beat moved", driver.time(move), "30")
    later = driver.window.hear.time.buttons["on"].click
    told("300 phrases, bar lines a beat later", driver.time(later, driver.undo), "30")
    driver.close()


def opening() -> None:
    """From the wish to open the demo until it is shown, with the window there."""
    from PyQt6.QtWidgets import QApplication

    from juxtanote.app.collecting import Collector
    from juxtanote.app.look import theme
    from juxtanote.app.main import demo_lesson
    from juxtanote.app.main_window import MainWindow
    from juxtanote.app.transport.devices import SimulatedSoundCard

    made = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(made, QApplication)
    Collector(made)
    theme.apply(made, False)
    times, sounds = [], []
    for _ in range(5):
        window = MainWindow(SimulatedSoundCard(by_hand=True))
        window.resize(1280, 800)
        window.show()
        made.processEvents()
        began = time.perf_counter()
        window.files.open_lesson(demo_lesson())
        while not window.document.lesson.phrases:
            made.processEvents()
        made.processEvents()
        times.append(time.perf_counter() - began)
        while window.document.sound is None:
            made.processEvents()
        made.processEvents()
        sounds.append(time.perf_counter() - began)
        window.shut_down()
        window.deleteLater()
    print(
        f"opening the demo: shown after {statistics.median(times):.2f} s (first {times[0]:.2f}), with its sound "
        f"after {statistics.median(sounds):.2f} s (first {sounds[0]:.2f}; goal 0.6)"
    )


def start_up(runs: int = 7) -> None:
    """Launch to the furnished window, against a bare QMainWindow, in turn."""
    import compileall

    import juxtanote

    held = tempfile.TemporaryDirectory()
    places = dict.fromkeys(("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"), held.name)

    def seconds(program: str) -> float:
        began = time.perf_counter()
        subprocess.run(
            [sys.executable, "-c", program], check=True, capture_output=True, timeout=60,
            env=os.environ | places,
        )  # fmt: skip
        return time.perf_counter() - began

    compileall.compile_dir(juxtanote.__path__[0], quiet=1)  # as an installed program is
    seconds(BARE), seconds(FURNISHED)
    pairs = [(seconds(BARE), seconds(FURNISHED)) for _ in range(runs)]
    ratios = sorted(ours / bare for bare, ours in pairs)
    print(
        f"furnished window: {statistics.median(ratios):.1f} times a bare QMainWindow "
        f"({ratios[0]:.1f} to {ratios[-1]:.1f}; goal 4)"
    )


MEMORY = """
import os, resource, sys, tempfile, time
os.environ['QT_QPA_PLATFORM'] = 'offscreen'
import pathlib
folder = pathlib.Path(tempfile.mkdtemp())
for name in ('XDG_CONFIG_HOME', 'XDG_STATE_HOME', 'XDG_CACHE_HOME'):
    os.environ[name] = str(folder)
import subprocess
path = folder / 'ten.flac'
subprocess.run([sys.executable, '-c', '''
import sys, numpy as np, soundfile
f = soundfile.SoundFile(sys.argv[1], 'w', 44100, 2)
for k in range(600): f.write(0.1 * np.random.default_rng(k).standard_normal((44100, 2)).astype('float32'))
f.close()
''', str(path)], check=True)
from PyQt6.QtWidgets import QApplication
a = QApplication([])
from juxtanote.app.collecting import Collector
from juxtanote.app.look import theme
Collector(a)
theme.apply(a, False)
from juxtanote.app.desks import PLACE
from juxtanote.app.main_window import MainWindow
from juxtanote.app.transport.devices import SimulatedSoundCard
card = SimulatedSoundCard(by_hand=True)
w = MainWindow(card)
w.show()
from dataclasses import replace
from bench.window import lesson_of
from juxtanote.core.score.lesson import Recording
from juxtanote.core.formats.lesson_file import save_lesson
from juxtanote.core.score.kept import Kept
kept = Kept(desk='place')
save_lesson(replace(lesson_of(1, 40), recording=Recording(str(path), 600.0), kept=kept), folder / 'ten.juxta')
w.show_desk(PLACE)
w.files.open_lesson(folder / 'ten.juxta')
while w.document.sound is None: a.processEvents()
w.show_desk(PLACE)
end = time.monotonic() + 8
while time.monotonic() < end: a.processEvents()
w.transport.set_speed(0.5)
w.transport.play()
card.advance(44100)
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, w.transport.player._sources.tab is not None)
os._exit(0)
"""


def memory() -> None:
    """Peak memory of the window with ten minutes of stereo, its player and a rendered tab."""
    done = subprocess.run(
        [sys.executable, "-c", MEMORY], check=True, capture_output=True, text=True,
        cwd=Path(__file__).parents[1],
    )  # fmt: skip
    peak, tab = done.stdout.split()
    print(
        f"ten minutes of stereo, player, tab rendered ({tab}): peak {float(peak):.0f} MB (goal 450)"
    )


PARTS = {
    "keys": note_keys, "pages": page_turns, "beats": moved_beat, "opening": opening,
    "start": start_up, "memory": memory,
}  # fmt: skip


def main(arguments: list[str]) -> None:
    """Run everything, or the parts that are named."""
    held = tempfile.TemporaryDirectory()
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = held.name  # what a person keeps is not touched
    if arguments and arguments[0] == "monkey":
        from bench.monkey import main as monkey

        monkey(arguments[1:])
        return
    if len(arguments) == 1:
        PARTS[arguments[0]]()
        sys.stdout.flush()
        held.cleanup()
        os._exit(0)  # the program too ends with its window: no second one is made in a process
    for name in arguments or PARTS:
        subprocess.run([sys.executable, "-m", "bench", "window", name], check=True)
