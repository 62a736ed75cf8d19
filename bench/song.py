"""How long a whole recording takes to be heard, and how much memory.

    python -m bench song FILE [--times N]

The yardstick is librosa.pyin on the same samples in the same run, from E2 to E6 and from 60 to 1,400 Hz.
Memory is what a process that only opens and hears the recording has at most.
"""

import argparse
import subprocess
import sys
import time
from pathlib import Path

import numpy as np

from juxtanote.core.analysis.middle import whole_middle
from juxtanote.core.analysis.reference_pitch import reference_to_hear_at
from juxtanote.core.analysis.spectra import SAMPLE_RATE
from juxtanote.core.analysis.stretches import hear_all
from juxtanote.core.audio.read import read_sound

RANGES_HZ = {"E2 to E6": (82.4, 1318.5), "60 to 1,400 Hz": (60.0, 1400.0)}
# What the kernel counts from the start of the program on: ru_maxrss begins with what the parent had.
HEARD_ALONE = """
import re, sys
from pathlib import Path
from bench.song import heard
count = heard(Path(sys.argv[1]))
most = re.search(r"VmHWM:\\s+(\\d+) kB", Path("/proc/self/status").read_text())
print(count, int(most[1]) // 1024)
"""


def heard(path: Path) -> int:
    """Hear a recording as the program does; give how many notes."""
    sound = read_sound(path)
    cents = reference_to_hear_at(whole_middle(sound), SAMPLE_RATE)
    return len(hear_all(sound, reference_cents=cents))


def main(arguments: list[str]) -> None:
    """Run it."""
    import librosa

    parser = argparse.ArgumentParser(prog="bench song", description=__doc__)
    parser.add_argument("file", type=Path)
    parser.add_argument("--times", type=int, default=2, help="the quickest of so many counts")
    options = parser.parse_args(arguments)
    sound = read_sound(options.file)
    mono = whole_middle(sound)
    heard(options.file)  # weights read, compiled
    ours, theirs = [], dict.fromkeys(RANGES_HZ, np.inf)
    for _ in range(options.times):
        began = time.perf_counter()
        heard(options.file)
        ours.append(time.perf_counter() - began)
        for name, (low, high) in RANGES_HZ.items():
            began = time.perf_counter()
            librosa.pyin(mono, fmin=low, fmax=high, sr=SAMPLE_RATE)
            theirs[name] = min(theirs[name], time.perf_counter() - began)
    print(f"{sound.duration_s:.0f} s of sound")
    for name, seconds in theirs.items():
        print(f"librosa.pyin, {name}: {seconds / min(ours):.2f} times as long")
    alone = [sys.executable, "-c", HEARD_ALONE, str(options.file)]
    count, most = subprocess.run(alone, check=True, capture_output=True, text=True).stdout.split()
    print(f"{count} notes, {most} MB at most")
