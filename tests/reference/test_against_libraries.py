"""Our kernels and files against general-purpose libraries that did not come from us."""

import io
import json
import tempfile
import unittest
import warnings
from fractions import Fraction
from importlib import resources
from pathlib import Path

import librosa
import mir_eval
import numpy as np
import pretty_midi
from lxml import etree
from music21 import converter, key, pitch

from juxtanote.core.analysis.beats import find_beats
from juxtanote.core.analysis.key import MAJOR, MINOR, find_keys, pitch_class_weights
from juxtanote.core.analysis.listen import listen
from juxtanote.core.analysis.onsets import find_onsets
from juxtanote.core.analysis.pitch_track import track_pitch
from juxtanote.core.audio.read import read_sound
from juxtanote.core.formats.csv_notes import read_rows
from juxtanote.core.formats.jams import write_jams
from juxtanote.core.formats.lesson_file import load_lesson
from juxtanote.core.formats.lesson_json import lesson_text
from juxtanote.core.formats.lesson_json import schema as made_schema
from juxtanote.core.formats.midi import write_midi
from juxtanote.core.formats.musicxml import write_musicxml
from juxtanote.core.score.lesson import Lesson, Phrase
from juxtanote.core.score.time_map import TimeMap
from juxtanote.core.score.timing import recounted
from juxtanote.core.score.values import split_length
from juxtanote.core.theory.scales import SCALES, spell_in_key, spell_tonic
from juxtanote.core.units import hz_to_midi, midi_to_hz
from tests.lessons import note, small_lesson
from tests.sounds import RATE, harmonic_tone, moving_tone, scale_line

DEMO = Path(str(resources.files("juxtanote") / "data" / "demo"))
TRUTH = Path(__file__).parents[1] / "data" / "brackwater-tram.csv"
_TYPES = {
    "whole": 4, "half": 2, "quarter": 1, "eighth": 0.5, "16th": 0.25, "32nd": 0.125, "64th": 0.0625,
    "128th": 0.03125,
}  # fmt: skip


class TestAgainstLibrosa(unittest.TestCase):
    """librosa 0.11 (B. McFee et al.): pitch and units."""

    def test_units(self) -> None:
        midi = np.arange(30, 100)
        np.testing.assert_allclose(midi_to_hz(midi), librosa.midi_to_hz(midi))
        np.testing.assert_allclose(hz_to_midi(librosa.midi_to_hz(midi)), midi)

    def test_pitch_track_agrees_with_yin(self) -> None:
        for hz in (98.0, 196.0, 392.0, 784.0):
            tone = harmonic_tone(hz, 0.7, inharmonicity=2e-5)
            theirs = librosa.yin(tone, fmin=60, fmax=1400, sr=RATE, hop_length=256)
            ours = track_pitch(tone, RATE)
            middle = slice(10, 45)
            mine = float(np.nanmedian(ours.midi[middle]))
            other = float(np.median(librosa.hz_to_midi(theirs[middle])))
            with self.subTest(hz=hz):
                self.assertLess(abs(mine - other), 0.06)

    def test_a_glide_is_tracked_like_pyin_does(self) -> None:
        times = np.arange(RATE) / RATE
        glide = 57 + 3 * times
        tone = moving_tone(glide)
        theirs, voiced, _ = librosa.pyin(tone, fmin=80, fmax=800, sr=RATE, hop_length=256)
        ours = track_pitch(tone, RATE)
        both = voiced[: len(ours.midi)] & ~np.isnan(ours.midi[: len(voiced)])
        both[:8] = both[-8:] = False
        gap = ours.midi[: len(voiced)][both] - librosa.hz_to_midi(theirs[: len(ours.midi)][both])
        self.assertLess(float(np.median(np.abs(gap))), 0.15)


class TestAgainstMirEval(unittest.TestCase):
    """mir_eval 0.8 (C. Raffel et al.) with MIREX conventions: 50 ms, 50 cents."""

    def test_onsets(self) -> None:
        audio, events = scale_line([57, 60, 62, 64, 67, 69, 67, 64], step_s=0.3)
        truth = np.array([event.onset_s for event in events])
        f1, _, _ = mir_eval.onset.f_measure(truth, find_onsets(audio), window=0.05)
        self.assertGreaterEqual(f1, 0.9)

    def test_beats(self) -> None:
        rng = np.random.default_rng(2)
        truth = (
            np.arange(0.5, 29.5, 60 / 96)
            + rng.normal(0, 0.004, 47)[: len(np.arange(0.5, 29.5, 60 / 96))]
        )
        audio = np.zeros(30 * RATE, dtype=np.float32)
        click = (np.exp(-np.arange(500) / 60) * rng.standard_normal(500)).astype(np.float32)
        for time in truth:
            at = int(time * RATE)
            audio[at : at + 500] += 0.5 * click
        found = find_beats(audio).best.beat_times_s
        self.assertGreater(mir_eval.beat.f_measure(truth, found), 0.95)

    def test_beats_and_bars_of_drums_at_slow_and_fast_tempos(self) -> None:
        """Bass drum on one and three, snare on two and four, hats between (common practice)."""
        rng = np.random.default_rng(6)
        for bpm, pickup in ((76, 0), (104, 1), (152, 0)):
            beats = np.arange(0.4, 24.0, 60 / bpm)
            audio = np.zeros(25 * RATE, dtype=np.float32)
            times = np.arange(int(0.15 * RATE)) / RATE
            kick = np.sin(2 * np.pi * 58 * times) * np.exp(-times / 0.05)
            snare = rng.standard_normal(len(times)) * np.exp(-times / 0.04)
            hat = np.diff(rng.standard_normal(len(times) + 1)) * np.exp(-times / 0.012)
            for k, beat in enumerate(beats):
                where = (k - pickup) % 4
                low = 0.6 if where == 0 else 0.4 if where == 2 else 0.0
                for sound, level, at in (
                    (kick, low, beat), (snare, 0.35 * (where in (1, 3)), beat), (hat, 0.12, beat),
                    (hat, 0.08, beat + 30 / bpm),
                ):  # fmt: skip
                    start = int(at * RATE)
                    audio[start : start + len(sound)] += level * sound.astype(np.float32)
                held = np.arange(int(0.9 * 60 / bpm * RATE)) / RATE
                root = (55.0, 73.4)[(k - pickup) // 4 % 2]
                chord = sum(
                    np.sin(2 * np.pi * n * hertz * held) / n
                    for hertz in (root, 2 * root, 3 * root, 4 * root * 2 ** (3 / 12))
                    for n in range(1, 6)
                )
                start = int(beat * RATE)
                audio[start : start + len(held)] += (0.04 * chord).astype(np.float32)
            found = find_beats(audio).best
            bars = found.beat_times_s[found.first_downbeat :: found.beats_per_bar]
            with self.subTest(bpm=bpm):
                self.assertGreater(mir_eval.beat.f_measure(beats, found.beat_times_s), 0.95)
                self.assertEqual(found.beats_per_bar, 4)
                late = [np.min(np.abs(bars - beat)) for beat in beats[pickup::4]]
                self.assertLess(float(np.median(late)), 0.05)

    def _score(self, name: str) -> float:
        truth = [r for r in read_rows(TRUTH.read_text()) if "dead" not in r.techniques]
        sound = read_sound(DEMO / name, sample_rate=RATE)
        mid = 0.5 * (sound.audio[0] + sound.audio[1])
        side = 0.5 * (sound.audio[0] - sound.audio[1])
        heard = [n for n in listen(mid, side).notes if "dead" not in n.techniques]
        return float(
            mir_eval.transcription.precision_recall_f1_overlap(
                np.array([[r.onset_s, r.onset_s + r.duration_s] for r in truth]),
                midi_to_hz([r.midi for r in truth]),
                np.array([[n.onset_s, n.offset_s] for n in heard]),
                midi_to_hz([n.midi for n in heard]),
                offset_ratio=None,
            )[2]
        )

    def test_the_lead_of_the_demo_is_heard(self) -> None:
        self.assertGreaterEqual(self._score("brackwater-tram-lead.ogg"), 0.90)

    def test_the_lead_is_heard_inside_the_band(self) -> None:
        self.assertGreaterEqual(self._score("brackwater-tram.ogg"), 0.80)


class TestAgainstMusic21(unittest.TestCase):
    """music21 10 (M. Cuthbert et al.): reading our MusicXML, spelling, keys."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.path = Path(held.name) / "a.musicxml"
        warnings.simplefilter("ignore")

    def test_our_score_is_read_with_the_same_onsets_lengths_and_places(self) -> None:
        lesson = small_lesson()
        self.path.write_text(write_musicxml(lesson), "utf-8")
        score = converter.parse(self.path)
        found = []
        for element in score.flatten().notes:
            for inside in getattr(element, "notes", [element]):
                marks = {type(a).__name__: a for a in inside.articulations + element.articulations}
                string = marks.get("StringIndication")
                found.append(
                    (Fraction(element.offset), inside.pitch.midi, string.number if string else 0)
                )
        first_bar = min(n.written.onset_beats for p in lesson.phrases for n in p.notes)
        wanted = sorted(
            (
                Fraction(n.written.onset_beats) - first_bar // 4 * 4,
                round(n.heard.midi),
                n.written.string,
            )
            for p in lesson.phrases
            for n in p.notes
        )
        self.assertEqual([w[:2] for w in wanted], sorted(f[:2] for f in found))

    def test_techniques_arrive(self) -> None:
        self.path.write_text(write_musicxml(small_lesson()), "utf-8")
        score = converter.parse(self.path)
        names = {type(a).__name__ for n in score.flatten().notes for a in n.articulations}
        self.assertLessEqual({"FretIndication", "StringIndication", "FretBend"}, names)
        spanners = {type(s).__name__ for s in score.flatten().getElementsByClass("Spanner")}
        spanners |= {type(s).__name__ for part in score.parts for s in part.spanners}
        self.assertTrue({"HammerOn", "PullOff"} & (names | spanners))

    def test_the_demo_lesson_is_read(self) -> None:
        lesson = load_lesson(DEMO / "brackwater-tram.juxta")
        self.path.write_text(write_musicxml(lesson), "utf-8")
        score = converter.parse(self.path)
        for measure in score.parts[0].getElementsByClass("Measure"):
            self.assertLessEqual(float(measure.duration.quarterLength), 4.0)
        written = sum(len(p.notes) for p in lesson.phrases)
        heard = sum(
            len(n.pitches) for n in score.flatten().notes if not n.tie or n.tie.type == "start"
        )
        self.assertGreaterEqual(heard, written)

    def test_spelling_is_that_of_the_key(self) -> None:
        for tonic in range(12):
            for mode, scale in (("major", "major"), ("minor", "natural minor")):
                ours = spell_tonic(tonic, mode)
                name = ours.replace("♭", "-").replace("♯", "#")
                theirs = key.Key(name, mode)
                wanted = {p.name for p in theirs.pitches}
                names = {
                    spell_in_key(60 + tonic + s, f"{ours} {mode}")
                    .replace("♭", "-")
                    .replace("♯", "#")
                    for s in SCALES[scale]
                }
                with self.subTest(key=f"{ours} {mode}"):
                    self.assertEqual(names, wanted)
                    self.assertEqual(pitch.Pitch(name).pitchClass, tonic)

    def test_key_profiles_are_those_of_temperley(self) -> None:
        """Values in music21's TemperleyKostkaPayne weights (2007)."""
        from music21.analysis.discrete import TemperleyKostkaPayne

        analysis = TemperleyKostkaPayne()
        np.testing.assert_allclose(MAJOR, analysis.getWeights("major"))
        np.testing.assert_allclose(MINOR, analysis.getWeights("minor"))

    def test_keys_of_printed_tunes_are_found(self) -> None:
        """Tunes of Ryan's Mammoth Collection (Boston, 1883), key as printed, read by music21."""
        from music21 import corpus, key

        right = []
        paths = sorted(p for p in corpus.getPaths() if "ryansMammoth" in str(p))
        for path in paths[::45]:
            score = converter.parse(path).flatten()
            printed = list(score.getElementsByClass(key.KeySignature))
            notes = [n for n in score.notes if n.isNote]
            if len(printed) == 1 and isinstance(printed[0], key.Key) and len(notes) > 11:
                weights = pitch_class_weights(
                    [n.pitch.midi for n in notes], [float(n.quarterLength) for n in notes]
                )
                best = find_keys(weights, notes[-1].pitch.midi)[0]
                wanted = (printed[0].tonic.pitchClass, printed[0].mode)
                right.append((best.tonic, best.mode) == wanted)
        self.assertGreater(len(right), 15)
        self.assertGreaterEqual(sum(right) / len(right), 0.8)

    def test_repeats_endings_pickup_swing_and_chords_arrive(self) -> None:
        pickup = [note(1, 3.5, 1, 3, length_s=0.4)]
        first = [
            note(k + 1, 4.0 + 0.66 * (k % 2) + k // 2, 1, 5 + k % 3, length_s=0.3) for k in range(8)
        ]
        second = [note(k + 1, 8.0 + k, 1, 8, length_s=0.9) for k in range(4)]
        rows = [pickup, first, second]
        phrases = tuple(
            Phrase(k + 1, "ABC"[k], row[0].onset_s, row[-1].offset_s + 0.01,
                   tuple(row), **more)
            for k, (row, more) in enumerate(
                zip(
                    rows, ({}, {"repeats": 3, "subdivision": "swung eighths"}, {"ending": 2}),
                    strict=True,
                )
            )
        )  # fmt: skip
        steady = TimeMap(tuple(float(k) for k in range(20)), first_downbeat=4)
        chords = ((1, "Am7"), (2, "B♭/D"))
        lesson = recounted(Lesson(time_map=steady, phrases=phrases, chords=chords))
        text = write_musicxml(lesson)
        schema = _musicxml_schema()
        document = etree.fromstring(text.encode())
        self.assertTrue(schema.validate(document), str(schema.error_log)[:600])
        self.path.write_text(text, "utf-8")
        measures = list(converter.parse(self.path).parts[0].getElementsByClass("Measure"))
        self.assertEqual(float(measures[0].duration.quarterLength), 1.0)  # from beat 4 on
        repeats = [r for m in measures for r in (m.leftBarline, m.rightBarline) if r is not None]
        kinds = {getattr(r, "direction", "") for r in repeats}
        self.assertLessEqual({"start", "end"}, kinds)
        self.assertIn(3, {getattr(r, "times", None) for r in repeats})
        self.assertIn('<ending number="2" type="start"', text)
        self.assertEqual(document.findtext(".//swing/first"), "2")
        self.assertEqual(document.findtext(".//swing/second"), "1")
        swung = measures[1].flatten().getElementsByClass("Note")
        self.assertEqual([float(n.offset) for n in swung], [0.5 * k for k in range(8)])
        chords = [h for m in measures for h in m.getElementsByClass("ChordSymbol")]
        self.assertEqual([c.root().pitchClass for c in chords], [9, 10])
        self.assertEqual(chords[1].bass().pitchClass, 2)

    def test_compound_time_is_read_as_such(self) -> None:
        six = TimeMap(tuple(0.75 * k for k in range(16)), beats_per_bar=2, division=3)
        notes = [note(k + 1, 0.25 * k, 3, 5 + k, length_s=0.24) for k in range(12)]
        lesson = recounted(Lesson(time_map=six, phrases=(Phrase(1, "A", 0.0, 3.1, tuple(notes)),)))
        self.path.write_text(write_musicxml(lesson), "utf-8")
        part = converter.parse(self.path).parts[0]
        (metre,) = part.flatten().getElementsByClass("TimeSignature")
        self.assertEqual(metre.ratioString, "6/8")
        found = part.flatten().notes
        self.assertEqual(
            {(n.duration.type, len(n.duration.tuplets)) for n in found}, {("eighth", 0)}
        )
        self.assertEqual([float(n.offset) for n in found], [0.5 * k for k in range(12)])
        data = pretty_midi.PrettyMIDI(io.BytesIO(write_midi(lesson)))
        np.testing.assert_allclose(data.get_downbeats()[:2], [0.0, 1.5], atol=0.01)


class TestSchemas(unittest.TestCase):
    def test_musicxml_validates_against_its_schema(self) -> None:
        """MusicXML 4.0 (W3C, 2021): the schema file that the package musicxml carries."""
        schema = _musicxml_schema()
        lessons = [small_lesson(), load_lesson(DEMO / "brackwater-tram.juxta")]
        for lesson in lessons:
            document = etree.fromstring(write_musicxml(lesson).encode())
            with self.subTest(title=lesson.title):
                self.assertTrue(schema.validate(document), str(schema.error_log)[:600])

    def test_bars_add_up_exactly(self) -> None:
        for lesson in (small_lesson(), load_lesson(DEMO / "brackwater-tram.juxta")):
            root = etree.fromstring(write_musicxml(lesson).encode())
            for measure in root.iter("measure"):
                total = sum(
                    int(n.findtext("duration") or 0)
                    for n in measure.iter("note")
                    if n.find("chord") is None
                )
                if measure.get("implicit") == "yes":  # a pickup begins where its first note does
                    self.assertTrue(0 < total <= 48 * 4 and total % 48 == 0)
                else:
                    self.assertEqual(total, 48 * 4, measure.get("number"))

    def test_written_values_add_up(self) -> None:
        for numerator in range(1, 97):
            length = Fraction(numerator, 24)
            parts = split_length(length)
            self.assertEqual(sum(p.quarters for p in parts), length)
            for part in parts:
                written = Fraction(_TYPES[part.base]) * (Fraction(3, 2) if part.dots else 1)
                if part.tuplet:
                    written *= Fraction(part.tuplet[1], part.tuplet[0])
                if part.base != "128th":
                    self.assertEqual(written, part.quarters)

    def test_lessons_fit_their_schema(self) -> None:
        """JSON Schema draft 2020-12, checked by the package jsonschema."""
        import jsonschema

        path = resources.files("juxtanote.core.formats") / "lesson.schema.json"
        schema = json.loads(path.read_text("utf-8"))
        jsonschema.Draft202012Validator.check_schema(schema)
        self.assertEqual(
            schema, json.loads(json.dumps(made_schema()))
        )  # it ships as the types have it
        for lesson in (small_lesson(), load_lesson(DEMO / "brackwater-tram.juxta")):
            body = json.loads(lesson_text(lesson))
            jsonschema.validate(body, schema)
        broken = body | {"version": "one"}
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate(broken, schema)

    def test_jams_is_valid(self) -> None:
        """JAMS 0.3 (E. J. Humphrey et al., 2014), checked by its own library."""
        import jams

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.jams"
            path.write_text(write_jams(load_lesson(DEMO / "brackwater-tram.juxta")), "utf-8")
            read = jams.load(str(path), validate=True, strict=True)
        notes = read.search(namespace="note_midi")[0]
        self.assertGreater(len(notes.data), 80)


class TestAgainstPrettyMidi(unittest.TestCase):
    """pretty_midi 0.2 (C. Raffel): reading our MIDI."""

    def test_times_pitches_and_bends_arrive(self) -> None:
        lesson = load_lesson(DEMO / "brackwater-tram.juxta")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.mid"
            path.write_bytes(write_midi(lesson))
            read = pretty_midi.PrettyMIDI(str(path))
        theirs = sorted((n.start, n.pitch) for i in read.instruments for n in i.notes)
        ours = sorted((n.onset_s, round(n.heard.midi)) for p in lesson.phrases for n in p.notes)
        self.assertEqual(len(theirs), len(ours))
        for (start, midi), (onset, wanted) in zip(theirs, ours, strict=True):
            self.assertAlmostEqual(start, onset, delta=0.003)
            self.assertEqual(midi, wanted)
        bends = [b.pitch for i in read.instruments for b in i.pitch_bends]
        self.assertAlmostEqual(max(bends) / 8192 * 12, 2.0, delta=0.25)
        self.assertTrue(all(0 <= i.program <= 127 and not i.is_drum for i in read.instruments))


def _musicxml_schema() -> etree.XMLSchema:
    """Load the schema, its two imports resolved offline."""
    import musicxml

    folder = Path(musicxml.__file__).parent
    path = next(folder.rglob("musicxml*.xsd"))
    text = path.read_text("utf-8")
    xml = '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="http://www.w3.org/XML/1998/namespace">'
    for name in ("lang", "space"):
        xml += f'<xs:attribute name="{name}" type="xs:string"/>'
    xml += "</xs:schema>"
    link = '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="http://www.w3.org/1999/xlink">'
    for name in ("href", "type", "role", "title", "show", "actuate"):
        link += f'<xs:attribute name="{name}" type="xs:string"/>'
    link += "</xs:schema>"

    class Offline(etree.Resolver):
        def resolve(self, url: str, public_id: str, context: object) -> object:
            return self.resolve_string(link if "xlink" in url else xml, context)

    parser = etree.XMLParser()
    parser.resolvers.add(Offline())
    return etree.XMLSchema(etree.fromstring(text.encode(), parser))


if __name__ == "__main__":
    unittest.main()
