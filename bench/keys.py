"""Key finding on open data: tunes whose collectors wrote down the key.

python -m bench key [--aside] [--most N]

Ryan's Mammoth Collection (Boston, 1883), Aird's Airs (Glasgow, 1782 and later) and O'Neill's Music of
Ireland (Chicago, 1903), as the general-purpose library music21 carries them in ABC.
"""

import argparse
import warnings

from juxtanote.core.analysis.key import find_keys, pitch_class_weights

COLLECTIONS = (("ryansMammoth", 6, 1), ("airdsAirs", 1, 50), ("oneills1850", 1, 6))
"""Name, one file in so many, and tunes of each file."""


def tunes(most: int, aside: bool):
    """Yield (collection, tonic's pitch class, mode, midi, seconds) of single-line tunes."""
    from music21 import converter, corpus, key

    for name, step, per_file in COLLECTIONS:
        paths = sorted(p for p in corpus.getPaths() if name in str(p) and p.suffix == ".abc")
        count = 0
        for path in paths[int(aside) :: 2][::step]:
            texts = path.read_text(encoding="utf-8", errors="replace").split("\nX:")
            texts = [text if text.startswith("X:") else "X:" + text for text in texts]
            for text in texts[:: max(len(texts) // per_file, 1)][:per_file]:
                try:
                    score = converter.parse(text, format="abc").flatten()
                except Exception:  # the collections hold tunes that music21 cannot read
                    continue
                keys = list(score.getElementsByClass(key.KeySignature))
                notes = [n for n in score.notes if n.isNote]
                if len(keys) != 1 or not isinstance(keys[0], key.Key) or len(notes) < 12:
                    continue
                if keys[0].mode in ("major", "minor") and count < most:
                    count += 1
                    yield (
                        name, keys[0].tonic.pitchClass, keys[0].mode,
                        [n.pitch.midi for n in notes], [0.4 * float(n.quarterLength) for n in notes],
                    )  # fmt: skip


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench key", description=__doc__)
    parser.add_argument("--aside", action="store_true")
    parser.add_argument("--most", type=int, default=150)
    options = parser.parse_args(arguments)
    warnings.simplefilter("ignore")
    right: dict[str, list[bool]] = {}
    missed = []
    for name, tonic, mode, midi, seconds in tunes(options.most, options.aside):
        best, other = find_keys(pitch_class_weights(midi, seconds), midi[-1])[:2]
        fine = (best.tonic, best.mode) == (tonic, mode)
        right.setdefault(name, []).append(fine)
        right.setdefault(f"{name}, or the runner-up", []).append(
            fine or (other.tonic, other.mode) == (tonic, mode)
        )
        if not fine:
            missed.append(f"{tonic} {mode} read as {best.name} ({best.fit:.2f}), then {other.name}")
    for name, marks in right.items():
        print(f"{name:34s}{sum(marks):5d} of {len(marks):4d}  {sum(marks) / len(marks):.3f}")
    print("some of those missed: " + "; ".join(missed[:8]))
