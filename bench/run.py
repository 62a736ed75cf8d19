"""Speed, each as a ratio against a reference measured in the same run, and the demo's accuracy.

python -m bench run
"""

import os
import resource
import subprocess
import sys
import time
from functools import cache
from importlib import resources
from pathlib import Path
from statistics import median
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

BARE = (
    "import os; os.environ['QT_QPA_PLATFORM']='offscreen'\n"
    "from PyQt6.QtWidgets import QApplication, QMainWindow\n"
    "a = QApplication([]); w = QMainWindow(); w.show(); a.processEvents(); w.grab()\n"
)
OURS = (
    "import os; os.environ['QT_QPA_PLATFORM']='offscreen'\n"
    "from PyQt6.QtWidgets import QApplication\n"
    "a = QApplication([])\n"
    "from juxtanote.app.main import open_window\n"
    "kept = open_window(a, None); a.processEvents(); kept[0].grab()\n"
    "os._exit(0)\n"
)
DEMO = Path(str(resources.files("juxtanote") / "data" / "demo"))


def _seconds(program: str) -> float:
    began = time.perf_counter()
    subprocess.run([sys.executable, "-c", program], check=True, capture_output=True)
    return time.perf_counter() - began


def start_up(runs: int = 5) -> None:
    """Launch to first painted window, against a bare QMainWindow, in turn."""
    _seconds(BARE), _seconds(OURS)
    ratios = []
    for _ in range(runs):
        bare = _seconds(BARE)
        ratios.append(_seconds(OURS) / bare)
    print(
        f"first painted window: {median(ratios):.2f} times a bare QMainWindow ({min(ratios):.2f} to {max(ratios):.2f})"
    )


def analysis() -> None:
    """Listening to 30 s, everything included, against librosa.pyin on the same audio."""
    import librosa

    from juxtanote.core.analysis.stretches import hear_stretch
    from juxtanote.core.audio.read import read_sound

    sound = read_sound(DEMO / "brackwater-tram.ogg")
    mono = librosa.to_mono(read_sound(DEMO / "brackwater-tram.ogg", sample_rate=22_050).audio)
    part = mono[: 30 * 22_050]
    librosa.pyin(part[:22_050], fmin=62, fmax=1400, sr=22_050)
    hear_stretch(sound, 0.0, 3.0)
    ratios = []
    for _ in range(3):
        began = time.perf_counter()
        hear_stretch(sound, 0.0, 30.0)
        ours = time.perf_counter() - began
        began = time.perf_counter()
        librosa.pyin(part, fmin=62, fmax=1400, sr=22_050)
        ratios.append((time.perf_counter() - began) / ours)
    print(f"listening to 30 s: {median(ratios):.1f} times as fast as librosa.pyin")


def stretching() -> None:
    """Slowing: cost of a block against a copy, attack rise and pitch error, against librosa's vocoder."""
    import librosa

    from juxtanote.core.audio.stretch import stretch_whole

    rate = 44_100
    times = np.arange(6 * rate) / rate
    onsets = np.arange(0.5, 5.5, 0.5)
    tone = np.zeros(len(times))
    for onset in onsets:
        on = times >= onset
        tone[on] = np.sin(2 * np.pi * 440 * (times[on] - onset)) * np.exp(-6 * (times[on] - onset))
    audio = np.stack([tone, tone]).astype(np.float32) * 0.5
    attacks = np.array([round(o * rate) for o in onsets])
    began = time.perf_counter()
    ours = stretch_whole(audio, 0.5, attacks)[0]
    our_s = time.perf_counter() - began
    began = time.perf_counter()
    theirs = librosa.effects.time_stretch(audio[0], rate=0.5)
    their_s = time.perf_counter() - began

    def rise_ms(sound: np.ndarray, factor: float) -> float:
        rises = []
        for onset in onsets:
            at = int(onset / factor * rate)
            part = np.abs(sound[at - 2000 : at + 3000])
            top = part.max()
            rises.append((np.argmax(part > 0.8 * top) - np.argmax(part > 0.1 * top)) / rate * 1000)
        return float(np.median(rises))

    def cents(sound: np.ndarray) -> float:
        size = 1 << 22
        spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), size))
        return abs(float(1200 * np.log2(np.argmax(spectrum) * rate / size / 440)))

    print(
        f"slowing to a half: attack rise {rise_ms(ours, 0.5):.1f} ms (recording {rise_ms(audio[0], 1.0):.1f}, "
        f"phase vocoder {rise_ms(theirs, 0.5):.1f}), pitch {cents(ours):.2f} cents off (vocoder "
        f"{cents(theirs):.2f}); {their_s / our_s:.1f} times as fast as the vocoder"
    )
    block = 1024
    print(f"a block of 23 ms costs {1000 * our_s / (len(ours) / block):.2f} ms on average")


@cache
def _application() -> "QApplication":
    """Give the one application; it outlives every window."""
    from PyQt6.QtWidgets import QApplication

    from juxtanote.app.collecting import Collector

    made = QApplication([])
    Collector(made)
    return made


def redraw() -> None:
    """Scrolling a sheet with 2,000 notes: time of a redraw against filling the same picture."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from PyQt6.QtGui import QPainter, QPixmap

    application = _application()
    from juxtanote.app.document import Document
    from juxtanote.app.look import theme
    from juxtanote.app.sheet.sheet import Sheet
    from juxtanote.app.transport.controller import Transport
    from juxtanote.core.score.lesson import Lesson, Phrase
    from juxtanote.core.score.note import HeardNote, Note, WrittenNote
    from juxtanote.core.score.rhythm import write_phrase
    from juxtanote.core.theory.tuning import Guitar

    theme.apply(application)
    guitar, notes = Guitar(), []
    for k in range(2000):
        string, fret = 1 + k % 6, 5 + k % 4
        curve = tuple((0.01 * i, float(i % 7)) for i in range(9))
        heard = HeardNote(0.1 * k, 0.1 * k + 0.09, guitar.midi_at(string, fret), curve=curve)
        notes.append(Note(k + 1, heard, WrittenNote(string, fret)))
    lesson = Lesson()
    phrase = write_phrase(Phrase(1, "long", 0.0, 201.0).with_notes(notes), lesson.time_map)
    document = Document()
    sheet = Sheet(document, Transport(document))
    sheet.resize(900, 520)
    document.open(lesson.with_phrase(phrase), None)
    sheet.show()
    times = []
    for step in range(30):
        sheet.scroll_to(3.0 * step)
        began = time.perf_counter()
        sheet.grab()
        times.append(time.perf_counter() - began)
    began = time.perf_counter()
    for _ in range(30):
        picture = QPixmap(900, 520)
        painter = QPainter(picture)
        painter.fillRect(picture.rect(), theme.colour("paper"))
        painter.end()
    blank = (time.perf_counter() - began) / 30
    print(
        f"redraw with 2,000 notes while scrolling: {1000 * median(times):.1f} ms, {median(times) / blank:.0f} times a blank fill"
    )


def frames() -> None:
    """Frames a second of the window while it listens, against the same window at rest."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"

    application = _application()
    from juxtanote.app.desks import PLACE
    from juxtanote.app.look import theme
    from juxtanote.app.main import demo_lesson
    from juxtanote.app.main_window import MainWindow
    from juxtanote.app.transport.devices import SimulatedSoundCard

    theme.apply(application)
    window = MainWindow(SimulatedSoundCard())
    window.resize(1280, 800)
    window.show()
    window.files.open_lesson(demo_lesson())
    while window.runner.is_busy:
        application.processEvents()
    window.show_desk(PLACE)
    sheet = window.place.sheet

    def gaps(seconds: float, listening: bool) -> list[float]:
        """Scroll and repaint without a rest; give the time from frame to frame."""
        times = [time.perf_counter()]
        while times[-1] - times[0] < seconds and (not listening or window.runner.is_busy):
            sheet.scroll_to(0.02 * (len(times) % 200))
            sheet.repaint()
            application.processEvents()
            times.append(time.perf_counter())
        return list(np.diff(times))

    resting = gaps(3.0, listening=False)
    phrase = max(window.document.lesson.phrases, key=lambda p: p.end_s - p.start_s)
    window.tasks.listening.listen(stretch=(0.0, max(phrase.end_s, 20.0)))
    busy = gaps(30.0, listening=True)
    window.shut_down()
    slow = float(np.quantile(busy, 0.95))
    print(
        f"window while listening: {1 / median(busy):.0f} frames a second, 95 in 100 faster than "
        f"{1 / slow:.0f}; at rest {1 / median(resting):.0f} ({median(busy) / median(resting):.1f} times the time)"
    )


def memory() -> None:
    """Peak memory with a 10-minute stereo recording, less that of the bare interpreter with NumPy."""
    program = (
        "import resource, numpy as np, soundfile, tempfile, pathlib\n"
        "from juxtanote.core.audio.peaks import build_peaks\n"
        "from juxtanote.core.audio.read import read_sound\n"
        "p = pathlib.Path(tempfile.mkdtemp()) / 'a.flac'\n"
        "f = soundfile.SoundFile(p, 'w', 44100, 2)\n"
        "for k in range(600): f.write(0.1*np.random.default_rng(k).standard_normal((44100, 2)).astype('float32'))\n"
        "f.close()\n"
        "s = read_sound(p); build_peaks(s.audio, s.sample_rate)\n"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, s.audio.nbytes / 2**20)\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", program], check=True, capture_output=True, text=True
    )
    peak, sound = map(float, done.stdout.split())
    print(
        f"10 minutes of stereo: peak {peak:.0f} MB, {peak / sound:.1f} times the samples themselves"
    )


def solver() -> None:
    """A solo of 2,000 notes."""
    from juxtanote.core.fretboard.candidates import NoteToPlace
    from juxtanote.core.fretboard.solver import solve
    from juxtanote.core.theory.tuning import Guitar

    rng = np.random.default_rng(1)
    pitch = np.clip(64 + np.cumsum(rng.integers(-3, 4, 2000)), 45, 80)
    notes = [NoteToPlace(0.15 * k, 0.15 * k + 0.14, float(p)) for k, p in enumerate(pitch)]
    began = time.perf_counter()
    solve(Guitar(), notes)
    whole = time.perf_counter() - began
    began = time.perf_counter()
    solve(Guitar(), notes[:200])
    print(
        f"placing 2,000 notes: {whole:.2f} s; 200 notes: {1000 * (time.perf_counter() - began):.0f} ms"
    )


def demo() -> None:
    """Accuracy of the demo against what was synthesised."""
    import mir_eval

    from juxtanote.core.formats.csv_notes import read_rows
    from juxtanote.core.transcribe import Options, transcribe
    from juxtanote.core.units import midi_to_hz

    truth_file = Path(__file__).parents[1] / "tests" / "data" / "brackwater-tram.csv"
    truth = [r for r in read_rows(truth_file.read_text()) if "dead" not in r.techniques]
    spans = np.array([[r.onset_s, r.onset_s + r.duration_s] for r in truth])
    for name in ("brackwater-tram-lead.ogg", "brackwater-tram.ogg"):
        lesson = transcribe(DEMO / name, Options())
        notes = [n for p in lesson.phrases for n in p.notes if "dead" not in n.written.techniques]
        mine = np.array([[n.onset_s, n.offset_s] for n in notes])
        pitches = midi_to_hz([n.heard.midi for n in notes])
        theirs = midi_to_hz([r.midi for r in truth])
        f1 = mir_eval.transcription.precision_recall_f1_overlap(
            spans, theirs, mine, pitches, offset_ratio=None
        )[2]
        match = mir_eval.transcription.match_notes(spans, theirs, mine, pitches, offset_ratio=None)
        places = np.mean(
            [
                (truth[a].string, truth[a].fret) == (notes[b].written.string, notes[b].written.fret)
                for a, b in match
            ]
        )
        print(f"{name}: note F1 {f1:.3f}, string and fret exact among them {places:.2f}")


def main(arguments: list[str]) -> None:
    """Run everything."""
    for part in (start_up, analysis, stretching, redraw, frames, memory, solver, demo):
        part()
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"peak memory of this run: {peak:.0f} MB")
