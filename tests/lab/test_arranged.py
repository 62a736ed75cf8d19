"""Songs of others: read as mido writes them (MIDI 1.0, General MIDI level 1), played as hands could."""

import struct
import tempfile
import unittest
from pathlib import Path

import mido
import numpy as np

from juxtanote.core.synth.strings import StringEvent, pitch_offsets
from lab.arranged import DRIVEN, Track, _lumps, as_events, cut, passages, read_song
from lab.songs import SLURRED_STEP, articulated, in_range, lines

STEP_S = 0.4


def a_line(count: int, program: int = 30, low: int = 64) -> Track:
    notes = [(STEP_S * k, STEP_S * (k + 1), low + float(k * 2 % 7), 0.8) for k in range(count)]
    return Track(program, False, tuple(notes))


def written(path: Path, tracks: list[Track]) -> Path:
    """Write with mido, at 960 ticks a second: what is asked for reading is another library."""
    midi = mido.MidiFile(ticks_per_beat=480)  # 120 beats a minute, unless the file says otherwise
    for channel, track in enumerate(tracks):
        timed = [(0, 0, mido.Message("program_change", channel=channel, program=track.program))]
        for start, end, pitch, strength in track.notes:
            note = {"channel": channel, "note": int(pitch), "velocity": round(127 * strength)}
            timed.append((round(960 * start), 2, mido.Message("note_on", **note)))
            timed.append((round(960 * end), 1, mido.Message("note_off", **note)))
        row, now = mido.MidiTrack(), 0
        for tick, _, message in sorted(timed, key=lambda entry: entry[:2]):
            row.append(message.copy(time=tick - now))
            now = tick
        midi.tracks.append(row)
    midi.save(str(path))
    return path


class TestReading(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_a_bend_is_as_wide_as_the_file_sets_it(self) -> None:
        """Pitch bend sensitivity is registered parameter 0, in semitones, two unless set (MIDI 1.0)."""
        for reach in (None, 12):
            midi = mido.MidiFile(ticks_per_beat=480)
            track = mido.MidiTrack()
            midi.tracks.append(track)
            track.append(mido.Message("program_change", program=29))
            if reach:
                # Fine tuning, parameter 1, may be set first: its middle is 64.
                rows = ((101, 0), (100, 1), (6, 64), (101, 0), (100, 0), (6, reach))
                for control, value in rows:
                    track.append(mido.Message("control_change", control=control, value=value))
            track.append(mido.Message("note_on", note=64, velocity=100))
            track.append(mido.Message("pitchwheel", pitch=4096, time=240))  # half of the way up
            track.append(mido.Message("note_off", note=64, time=240))
            midi.save(self.folder / "a.mid")
            (read,) = read_song(self.folder / "a.mid")
            (event,) = as_events(read)
            self.assertIn("bend", event.techniques)
            self.assertAlmostEqual(
                float(pitch_offsets(event, np.array([0.4]))[0]), (reach or 2) / 2
            )
            self.assertEqual(float(pitch_offsets(event, np.array([0.1]))[0]), 0.0)

    def test_what_is_no_midi_file_is_refused(self) -> None:
        (self.folder / "a.mid").write_bytes(b"MThd" + bytes(20))
        with self.assertRaisesRegex(ValueError, r"a\.mid"):
            read_song(self.folder / "a.mid")

    def test_music_is_found_in_a_directory_of_lumps(self) -> None:
        """The directory stands at the end: offset, size, eight letters of name each, little endian."""
        music, other = b"MThd-music", b"MUS-other"
        rows = [(b"D_ONE", music), (b"D_TWO", other), (b"MAP01", music)]
        body, directory, at = b"", b"", 12
        for name, data in rows:
            directory += struct.pack("<ii8s", at + len(body), len(data), name)
            body += data
        head = struct.pack("<4sii", b"PWAD", len(rows), at + len(body))
        (self.folder / "a.wad").write_bytes(head + body + directory)
        self.assertEqual(list(_lumps(self.folder / "a.wad")), [("a-one", music)])

    def test_the_passage_is_the_one_in_which_a_guitar_leads(self) -> None:
        late = a_line(60)
        late = Track(30, False, tuple((a + 40, b + 40, m, v) for a, b, m, v in late.notes))
        bass = a_line(220, program=33, low=30)
        written(self.folder / "a.mid", [bass, late])
        written(self.folder / "without-a-lead.mid", [bass])
        (passage,) = passages(self.folder)
        self.assertEqual((passage.song, passage.lead.program), ("a", 30))
        self.assertTrue(40.0 <= passage.start_s <= 48.0)  # whole within the line
        self.assertEqual([t.program for t in passage.others], [33])

    def test_a_cut_keeps_the_bend_that_holds_when_it_begins(self) -> None:
        track = Track(30, False, ((0.0, 1.0, 60.0, 0.8), (2.0, 3.0, 62.0, 0.8)), ((0.5, 1.0),))
        part = cut(track, 1.5)
        self.assertEqual(part.notes, ((0.5, 1.5, 62.0, 0.8),))
        self.assertEqual(as_events(part)[0].midi, 63.0)


class TestHands(unittest.TestCase):
    def test_a_driven_line_does_not_lie_over_itself_and_doubled_notes_are_one(self) -> None:
        notes = ((0.0, 0.9, 60.0, 0.8), (0.01, 0.9, 60.0, 0.8), (0.5, 1.0, 62.0, 0.8))
        first, second = as_events(Track(DRIVEN[0], False, notes))
        self.assertEqual((first.offset_s, first.midi, second.midi), (0.5, 60.0, 62.0))
        ringing, _ = as_events(Track(25, False, notes))
        self.assertEqual(ringing.offset_s, 0.9)

    def test_hands_change_how_notes_are_played_and_not_which(self) -> None:
        events = as_events(a_line(64))
        seen: set[str] = set()
        for seed in range(30):
            played = articulated(events, np.random.default_rng(seed))
            self.assertEqual([e.onset_s for e in played], [e.onset_s for e in events])
            for before, event, wanted in zip(played[:-1], played[1:], events[1:], strict=True):
                seen |= event.techniques
                end = pitch_offsets(event, np.array([0.95 * event.duration_s]))
                if event.techniques == {"bend"}:  # it ends up where the line is
                    self.assertAlmostEqual(event.midi + float(end[0]), wanted.midi, places=5)
                elif "bend" not in event.techniques:
                    self.assertEqual(event.midi, wanted.midi)
                if event.techniques & {"hammer-on", "pull-off"}:
                    self.assertLessEqual(abs(event.midi - before.midi), SLURRED_STEP)
                    self.assertEqual(event.string, before.string)
        self.assertGreaterEqual(seen, {"hammer-on", "pull-off", "slide", "bend", "vibrato"})

    def test_lines_of_others_come_to_where_guitars_play(self) -> None:
        flute = a_line(20, program=73, low=84)
        moved = np.mean([n[2] for n in in_range(flute).notes])
        self.assertTrue(50 <= moved <= 78)
        octaves = np.array([n[2] for n in flute.notes]) - [n[2] for n in in_range(flute).notes]
        self.assertFalse(np.any(octaves % 12))
        drums = Track(0, True, flute.notes)
        drawn = lines([drums, flute, a_line(4)], np.random.default_rng(1))
        self.assertEqual(drawn, [1])

    def test_events_are_playable_one_at_a_time_on_a_string(self) -> None:
        chords = tuple((0.5 * k, 0.5 * k + 0.6, 50.0 + s, 0.8) for k in range(8) for s in (0, 4, 7))
        events: list[StringEvent] = as_events(Track(25, False, chords))
        for string in {e.string for e in events}:
            own = [e for e in events if e.string == string]
            for one, other in zip(own, own[1:], strict=False):
                self.assertLessEqual(one.offset_s, other.onset_s + 1e-9)


if __name__ == "__main__":
    unittest.main()
