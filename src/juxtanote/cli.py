"""The same core without a window: `juxtanote transcribe`, `place` and `export`; alone, the window."""

import argparse
import math
import sys
import tempfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from juxtanote import __version__
from juxtanote.core.errors import JuxtanoteError

DONE, FAILED, WRONG_USAGE = 0, 1, 2  # exit statuses; 2 is what argparse gives too
TRANSCRIBE_SUFFIXES = (".csv", ".json", ".jams", ".mid", ".musicxml", ".txt")


def _finite(text: str) -> float:
    """Read a number of seconds or beats; what is none, or endless, is wrong usage."""
    value = float(text)
    if not math.isfinite(value):
        raise argparse.ArgumentTypeError(f"{text} is not a finite number")
    return value


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="juxtanote", description="Phrase-by-phrase guitar tablature beside the recording."
    )
    parser.add_argument("--version", action="version", version=f"Juxtanote {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    hear = commands.add_parser("transcribe", help="write the lead guitar of a recording as notes")
    hear.add_argument("audio", type=Path, metavar="AUDIO")
    hear.add_argument("-o", dest="out", type=Path, action="append", required=True, metavar="OUT")
    hear.add_argument("--start", type=_finite, default=0.0, metavar="S")
    hear.add_argument("--end", type=_finite, default=None, metavar="S")
    hear.add_argument("--tuning", default=None, metavar='"E2 A2 D3 G3 B3 E4"')
    hear.add_argument("--tempo", type=_finite, default=None, metavar="BPM")
    hear.add_argument("--beats", type=Path, default=None, metavar="OUT.csv")
    hear.add_argument("--parts", choices=("lead", "all"), default="lead")
    place = commands.add_parser("place", help="give notes their strings and frets")
    place.add_argument("notes", type=Path, metavar="NOTES")
    place.add_argument("-o", dest="out", type=Path, required=True, metavar="OUT")
    place.add_argument("--tuning", default=None)
    place.add_argument("--alternatives", type=Path, default=None, metavar="DIR")
    check = commands.add_parser("check", help="hold a tab against a recording")
    check.add_argument("notes", type=Path, metavar="NOTES")
    check.add_argument("audio", type=Path, metavar="AUDIO")
    check.add_argument("-o", dest="out", type=Path, required=True, metavar="OUT.json")
    check.add_argument("--tuning", default=None, metavar='"E2 A2 D3 G3 B3 E4"')
    take = commands.add_parser("compare", help="hold a take against what is written")
    take.add_argument("notes", type=Path, metavar="NOTES")
    take.add_argument("take", type=Path, metavar="TAKE")
    take.add_argument("-o", dest="out", type=Path, required=True, metavar="OUT.json")
    take.add_argument("--speed", type=_finite, default=None, metavar="PERCENT")
    take.add_argument("--phrase", default="", metavar="NAME")
    look = commands.add_parser("find", help="find phrases in folders of lessons")
    look.add_argument("query", nargs="?", default="", metavar="QUERY")
    look.add_argument("--folder", type=Path, action="append", default=None, metavar="DIR")
    look.add_argument("--like", type=Path, default=None, metavar="NOTES.csv")
    look.add_argument("-o", dest="out", type=Path, default=None, metavar="OUT.json")
    out = commands.add_parser("export", help="hand out a lesson as pages, page, notes or sound")
    out.add_argument("lesson", type=Path, metavar="LESSON")
    out.add_argument("-o", dest="out", type=Path, action="append", required=True, metavar="OUT")
    out.add_argument("--phrase", default="", metavar="NAME")
    out.add_argument("--part", default="", metavar="NAME")
    out.add_argument("--speed", type=_finite, default=100.0, metavar="PERCENT")
    out.add_argument("--count-in", type=int, default=0, metavar="BEATS")
    window = commands.add_parser("window", help="open the window (also without a command)")
    window.add_argument("lesson", type=Path, nargs="?", default=None)
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the program; give its exit status: 0 done, 1 failed, 2 wrong usage."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    commands = (*COMMANDS, "window", "-h", "--help", "--version")
    if not words or words[0] not in commands:
        words = ["window", *words]
    parser = _parser()
    try:
        options = parser.parse_args(words)
    except SystemExit as stopped:
        return int(stopped.code or 0) if isinstance(stopped.code, int) else WRONG_USAGE
    try:
        if options.command in COMMANDS:
            return COMMANDS[options.command](options, parser)
        return _window(options.lesson)
    except JuxtanoteError as error:
        print(f"juxtanote: {error}", file=sys.stderr)
        return FAILED
    except (OSError, MemoryError) as error:
        print(f"juxtanote: {error}. Check the files and folders that were named.", file=sys.stderr)
        return FAILED
    except KeyboardInterrupt:
        print("juxtanote: stopped; nothing was written.", file=sys.stderr)
        return FAILED


def _usage(parser: argparse.ArgumentParser, text: str) -> int:
    parser.print_usage(sys.stderr)
    print(f"juxtanote: {text}", file=sys.stderr)
    return WRONG_USAGE


def _transcribe(options: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    from juxtanote.core.analysis.instruments import mostly_others
    from juxtanote.core.audio.write import write_text
    from juxtanote.core.formats.csv_notes import write_beats, write_lesson_notes
    from juxtanote.core.formats.exports import export_lesson
    from juxtanote.core.theory.tuning import parse_tuning
    from juxtanote.core.transcribe import Options, transcribe

    for out in options.out:
        if out.suffix.lower() not in TRANSCRIBE_SUFFIXES:
            return _usage(parser, f"“{out.name}”: choose {' '.join(TRANSCRIBE_SUFFIXES)}")
    if options.start < 0 or (options.end is not None and options.end <= options.start):
        return _usage(parser, "--start and --end must be seconds, the end after the start")
    if options.tempo is not None and not 20 <= options.tempo <= 400:
        return _usage(parser, "--tempo must be 20 to 400 beats a minute")
    tuning = parse_tuning(options.tuning) if options.tuning else None
    wanted = Options(
        options.start, options.end, tuning, options.tempo, every_part=options.parts == "all"
    )
    _check_targets([*options.out, *([options.beats] if options.beats else [])])
    lesson = transcribe(options.audio, wanted, _Bar())
    for out in options.out:
        if out.suffix.lower() == ".csv":
            write_text(out, write_lesson_notes(lesson, with_parts=True))
        else:
            export_lesson(lesson, out)
    if options.beats is not None:
        start = lesson.time_map.beat_times_s[0]
        end = options.start + lesson.recording.duration_s
        write_text(options.beats, write_beats(lesson.time_map, start, end))
    notes = [note for phrase in lesson.phrases for note in phrase.notes]
    if mostly_others([note.heard.evidence for note in notes]):
        doubt = "most of what plays does not sound like a guitar: none of that is sure"
        print(f"juxtanote: {doubt}", file=sys.stderr)
    return DONE


def _check_targets(paths: Sequence[Path]) -> None:
    """Refuse folders, and files in folders that are not there, before long work begins."""
    for path in paths:
        if path.is_dir():
            raise JuxtanoteError(f"“{path}” is a folder: name a file to write.")
        if not path.parent.is_dir():
            raise JuxtanoteError(
                f"“{path}” could not be written: there is no folder “{path.parent}”."
            )


class _Bar:
    """Shows progress on a terminal, and nothing elsewhere."""

    def __init__(self, doing: str = "listening") -> None:
        self._doing, self._shown = doing, -1

    def __call__(self, part_done: float) -> None:
        percent = int(100 * part_done)
        if sys.stderr.isatty() and percent != self._shown:
            self._shown = percent
            end = "\n" if percent >= 100 else ""
            print(f"\r{self._doing}: {percent} %", end=end, file=sys.stderr, flush=True)


def _place(options: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    from juxtanote.core.formats.exports import export_rows, read_notes
    from juxtanote.core.fretboard.solver import alternatives, place
    from juxtanote.core.theory.tuning import STANDARD, Guitar, parse_tuning

    if options.out.suffix.lower() not in (".csv", ".mid", ".musicxml", ".txt"):
        return _usage(parser, f"“{options.out.name}”: choose .csv .mid .musicxml .txt")
    _check_targets([options.out])
    if options.alternatives is not None and options.alternatives.is_file():
        raise JuxtanoteError(
            f"“{options.alternatives}” is a file: name a folder for the alternatives."
        )
    rows = read_notes(options.notes)
    tuning = parse_tuning(options.tuning) if options.tuning else STANDARD
    if not options.tuning and rows and min(r.midi for r in rows) < min(STANDARD) - 0.5:
        from juxtanote.core.placing import guess_tuning

        tuning = guess_tuning([row.midi for row in rows])
    guitar = Guitar(tuning=tuning, fret_count=24)
    notes = [row.to_place() for row in rows]
    best = place(guitar, notes)
    for problem in best.problems:
        print(f"juxtanote: {problem}", file=sys.stderr)

    def filled(strings: tuple[int, ...], frets: tuple[int, ...]) -> list:  # type: ignore[type-arg]
        return [
            replace(row, string=s, fret=f) for row, s, f in zip(rows, strings, frets, strict=True)
        ]

    export_rows(filled(best.strings, best.frets), guitar, options.out)
    if options.alternatives is not None:
        options.alternatives.mkdir(parents=True, exist_ok=True)
        for number, way in enumerate(alternatives(guitar, notes), start=1):
            name = f"{number}-{way.favours.replace(' ', '-')}{options.out.suffix}"
            export_rows(filled(way.strings, way.frets), guitar, options.alternatives / name)
    return DONE


def _check(options: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    import json

    from juxtanote.core.audio.read import read_sound
    from juxtanote.core.audio.write import write_text
    from juxtanote.core.checking import check_notes
    from juxtanote.core.formats.rows_of import rows_of
    from juxtanote.core.theory.tuning import Guitar, parse_tuning

    if options.out.suffix.lower() != ".json":
        return _usage(parser, f"“{options.out.name}”: findings are written as .json")
    _check_targets([options.out])
    rows, guitar = rows_of(options.notes)
    if options.tuning:
        guitar = Guitar(tuning=parse_tuning(options.tuning))
    found = check_notes(
        rows,
        read_sound(options.audio),
        guitar,
        tuning_is_given=bool(options.tuning),
        progress=_Bar(),
    )
    names = ("kind", "onset_s", "row", "string", "fret", "written", "heard", "confidence", "detail")
    told = [{name: getattr(complaint, name) for name in names} for complaint in found]
    for one in told:
        one["onset_s"], one["confidence"] = round(one["onset_s"], 4), round(one["confidence"], 3)
    write_text(options.out, json.dumps(told, indent=1, ensure_ascii=False) + "\n")
    return DONE


def _compare(options: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    import json
    from dataclasses import asdict

    from juxtanote.core.audio.read import read_sound
    from juxtanote.core.audio.write import write_text
    from juxtanote.core.checking import asked_rows
    from juxtanote.core.formats.rows_of import rows_of
    from juxtanote.core.practice.takes import compare

    if options.out.suffix.lower() != ".json":
        return _usage(parser, f"“{options.out.name}”: a comparison is written as .json")
    if options.speed is not None and not 20 <= options.speed <= 200:
        return _usage(parser, "--speed goes from 20 to 200")
    _check_targets([options.out])
    rows, guitar = rows_of(options.notes, phrase=options.phrase)
    speed = None if options.speed is None else options.speed / 100.0
    told = compare(asked_rows(rows, guitar), read_sound(options.take), speed=speed, progress=_Bar())
    body = {
        "findings": [asdict(found) for found in told.findings],
        "notes": [asdict(played) for played in told.notes],
        "summary": told.summary,
        "speed": round(told.speed, 3),
    }
    write_text(options.out, json.dumps(body, indent=1, ensure_ascii=False) + "\n")
    return DONE


def _find(options: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    import json
    import os

    from juxtanote.core.audio.write import write_text
    from juxtanote.core.collection.index import Index
    from juxtanote.core.collection.search import parse_query, search
    from juxtanote.core.formats.rows_of import rows_of

    if not options.query and options.like is None:
        return _usage(parser, "find needs words, facts, or --like NOTES.csv")
    folders = options.folder or [Path.cwd()]
    for folder in folders:
        if not folder.is_dir():
            raise JuxtanoteError(f"“{folder}” is no folder.")
    if options.out is not None:
        _check_targets([options.out])
    query = parse_query(options.query)
    pitches = list(query.frets)
    steps: list[float] = []
    if options.like is not None:
        rows, _ = rows_of(options.like)
        pitches = [round(row.midi) for row in rows]
        steps = [b.onset_s - a.onset_s for a, b in zip(rows, rows[1:], strict=False)]
    cache = os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
    index = Index(Path(cache) / "juxtanote" / "collection.sqlite")
    try:
        for problem in index.follow(folders, _Bar("reading lessons")):
            print(f"juxtanote: left out: {problem}", file=sys.stderr)
        hits = search(index.cards(folders, query.words), query, like=pitches, like_steps=steps)
    finally:
        index.close()
    told = [
        {
            "lesson": hit.card.lesson, "phrase": hit.card.phrase,
            "start_s": round(hit.card.start_s, 3), "score": hit.score, "why": hit.why,
        }
        for hit in hits
    ]  # fmt: skip
    text = json.dumps(told, indent=1, ensure_ascii=False) + "\n"
    if options.out is not None:
        write_text(options.out, text)
    else:
        sys.stdout.write(text)
    return DONE


def _export(options: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    from juxtanote.core.formats.lesson_file import find_recording, load_lesson
    from juxtanote.core.handing_out import MOST_COUNTED, SUFFIXES, Wish, hand_out

    for out in options.out:
        if out.suffix.lower() not in SUFFIXES:
            return _usage(parser, f"“{out.name}”: choose {' '.join(SUFFIXES)}")
    if not 25 <= options.speed <= 200 or not 0 <= options.count_in <= MOST_COUNTED:
        return _usage(parser, f"--speed goes from 25 to 200, --count-in from 0 to {MOST_COUNTED}")
    _check_targets(options.out)
    lesson = load_lesson(options.lesson)
    wish = Wish(options.phrase, options.part, options.speed / 100.0, options.count_in)
    needed = {".html", ".wav", ".flac", ".ogg", ".mp3"} & {
        out.suffix.lower() for out in options.out
    }
    with tempfile.TemporaryDirectory() as folder:
        sound = None
        if needed and lesson.recording.may_share:
            from juxtanote.core.audio.read import read_sound

            found = find_recording(lesson, options.lesson, Path(folder))
            sound = None if found is None else read_sound(found)
        for out in options.out:
            if out.suffix.lower() == ".pdf":
                from juxtanote.app.look.engraved import measure_words
                from juxtanote.app.teach.alone import painter
                from juxtanote.app.teach.paper import write_pdf

                with painter():
                    hand_out(lesson, out, wish, write_pages=write_pdf, measure=measure_words)
            else:
                hand_out(lesson, out, wish, sound=sound, progress=_Bar("writing"))
    return DONE


def _window(lesson: Path | None) -> int:
    from juxtanote.app.main import run

    return run(lesson)


# What each command runs.
COMMANDS = {
    "transcribe": _transcribe, "place": _place, "check": _check, "compare": _compare, "find": _find,
    "export": _export,
}  # fmt: skip


if __name__ == "__main__":
    sys.exit(main())
