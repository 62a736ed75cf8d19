"""Lesson files of earlier versions, made into the present one, value by value.

Version 1 had one guitar for all phrases, moved copies among the phrases, the log by names, and one word
("time") for a note's heard times and its written time. Versions 1 and 2 said in English what showed of a
note, what else it could be and why a part of the mix was chosen.
"""

import re
from typing import Any

OLDEST, VERSION = 1, 3
Json = Any


def migrate(body: dict[str, Json]) -> dict[str, Json]:
    """Give the body of a lesson file in the present version; the one given is not changed.

    Parameters
    ----------
    body : dict
        Of any version from `OLDEST` to `VERSION`.
    """
    steps = {1: _from_1, 2: _from_2}
    while body["version"] in steps:
        body = steps[body["version"]](body)
    return body


def _from_1(old: dict[str, Json]) -> dict[str, Json]:
    new = {name: value for name, value in old.items() if name not in ("guitar", "school", "log")}
    new["version"] = 2
    part = {"ident": 1, "name": "Lead", "role": "lead", "guitar": old["guitar"]}
    new["parts"] = [part | {"school": old.get("school", "alternate")}]
    phrases = [_phrase_from_1(phrase) for phrase in old["phrases"]]
    new["phrases"] = _with_copies_under(phrases)
    named: dict[str, int] = {}
    for phrase in phrases:
        named.setdefault(phrase["name"], phrase["ident"])
    new["kept"] = {"log": [_entry_from_1(entry, named) for entry in old["log"]]}
    return new


def _phrase_from_1(old: dict[str, Json]) -> dict[str, Json]:
    notes = []
    for note in old["notes"]:
        heard = {name: value for name, value in note["heard"].items() if name != "lean"}
        locked = ["heard" if word == "time" else word for word in note["written"]["locked"]]
        notes.append(note | {"heard": heard, "written": note["written"] | {"locked": locked}})
    return old | {"notes": notes}


def _with_copies_under(phrases: list[dict[str, Json]]) -> list[dict[str, Json]]:
    """Hang moved copies, which version 1 kept among the phrases, under the phrases that they came from.

    A copy of a copy hangs under the first phrase, moved by both.
    """
    origins = {phrase["ident"]: _source_of(phrase, phrases) for phrase in phrases}
    roots = {p["ident"]: dict(p) for p in phrases if origins[p["ident"]][0] is None}
    for phrase in phrases:
        source, variation = origins[phrase["ident"]]
        for _ in phrases:
            if source is None or source["ident"] in roots:
                break
            source, earlier = origins[source["ident"]]
            steps = sum(v["amount"] for v in (variation, earlier) if v.get("kind") == "key")
            variation = {"kind": "key", "amount": max(min(steps, 24), -24)} if steps else variation
        if source is not None:
            under = roots[source["ident"]].setdefault("variants", [])
            under.append(dict(phrase) | {"variation": variation})
    return list(roots.values())


def _source_of(
    phrase: dict[str, Json], phrases: list[dict[str, Json]]
) -> tuple[dict[str, Json] | None, dict[str, Json]]:
    """Find the phrase that a moved copy came from: same span, and its name says how it moved."""
    for other in phrases:
        span = (other["start_s"], other["end_s"]) == (phrase["start_s"], phrase["end_s"])
        prefix = f"{other['name']}, "
        if other is phrase or not span or not phrase["name"].startswith(prefix):
            continue
        rest = phrase["name"][len(prefix) :]
        words = rest.split()
        if len(words) == 3 and words[0].isdigit() and words[1].startswith("semitone"):
            sign = 1 if words[2] == "up" else -1
            return other, {"kind": "key", "amount": sign * min(int(words[0]), 24)}
        if rest in ("on thicker strings", "on thinner strings"):
            return other, {"kind": "strings", "amount": 1 if "thicker" in rest else -1}
    return None, {}


def _entry_from_1(old: dict[str, Json], named: dict[str, int]) -> dict[str, Json]:
    """Refer to phrases by number where their names are known, joined ones too."""
    names = old["phrase"].split(" + ")
    idents = [named[name] for name in names if name in named]
    found = idents if len(idents) == len(names) else []
    if not found and old["phrase"] in named:
        found = [named[old["phrase"]]]
    entry = {name: value for name, value in old.items() if name != "phrase"}
    return entry | {"phrases": found, "name": old["phrase"]}


_NUMBER = r"([-+]?\d+(?:\.\d+)?)"
_SURE = rf"(?: \((?:sure|confidence) {_NUMBER}\))?"
# What versions 1 and 2 wrote of a note: the whole of it, and what it is now.
_SAID = tuple((re.compile(said), kind) for said, kind in (
    (rf"glide of {_NUMBER} semitones in {_NUMBER} ms", "bends"),
    (rf"let down by {_NUMBER} semitones", "let-down"),
    (rf"starts {_NUMBER} semitones above where it ends", "pre-bent"),
    (rf"{_NUMBER} Hz, {_NUMBER} cents, after {_NUMBER} s", "swings"),
    (rf"the pitch shakes{_SURE}", "shakes"),
    (r"a click with no pitch", "click"),
    (rf"dies away fast and dark{_SURE}", "dies-dark"),
    (rf"a nearly pure partial{_SURE}", "pure"),
    (rf"a glide into the pitch{_SURE}", "glides-in"),
    (r"a glide from nowhere", "from-nowhere"),
    (rf"{_NUMBER} semitones with a weak attack", "weak-attack"),
    (rf"struck by the other hand{_SURE}", "other-hand"),
    (r"as dark and short as the muted notes around", "as-muted"),
    (r"rings as the open notes around", "as-open"),
    (r"as soft as the slurs around", "as-slurred"),
    (r"struck as the picked notes around", "as-picked"),
    (r"from a file", "from-file"),
    (r"added by hand", "by-hand"),
))  # fmt: skip
_OTHERWISE = {
    "slurred": "slurred", "picked": "picked", "two notes": "two-notes",
    "one with the note before": "one-note", "the first reading": "first",
}  # fmt: skip
_MOST_NOTES = re.compile(r"(\d+) sure notes against (\d+) in the whole mix")
_WHOLE_MIX = re.compile(r"the whole mix gives (\d+) sure notes; nothing gave more")


def _from_2(old: dict[str, Json]) -> dict[str, Json]:
    return old | {"version": 3, "phrases": [_phrase_from_2(phrase) for phrase in old["phrases"]]}


def _phrase_from_2(old: dict[str, Json]) -> dict[str, Json]:
    new = old | {"notes": [n | {"heard": _heard_from_2(n["heard"])} for n in old["notes"]]}
    if "focus" in old:
        new["focus"] = _focus_from_2(old["focus"])
    if "variants" in old:
        new["variants"] = [_phrase_from_2(variant) for variant in old["variants"]]
    return new


def _heard_from_2(old: dict[str, Json]) -> dict[str, Json]:
    """Make kinds and numbers of what was said; a sentence that no version wrote is left out."""
    new = dict(old)
    for name, now in (("clarity", "strength"), ("tied", "legato")):
        if name in new:
            new[now] = new.pop(name)
    if "evidence" in old:
        new["evidence"] = [
            seen for said in old["evidence"] if (seen := _observed(said)) is not None
        ]
    if "runner_ups" in old:
        new["runner_ups"] = [
            {name: value for name, value in other.items() if name != "why"}
            | {"differs": _OTHERWISE.get(other["why"], "pitch")}
            for other in old["runner_ups"]
        ]
    return new


def _observed(said: str) -> dict[str, Json] | None:
    for pattern, kind in _SAID:
        match = pattern.fullmatch(said)
        if match is not None:
            values = [float(value) for value in match.groups() if value is not None]
            if kind == "bends":
                values[1] = values[1] / 1000.0  # milliseconds were said
            return {"of": kind, "values": values}
    return None


def _focus_from_2(old: dict[str, Json]) -> dict[str, Json]:
    new = {name: value for name, value in old.items() if name != "why"}
    why = old.get("why", "")
    most, whole = _MOST_NOTES.fullmatch(why), _WHOLE_MIX.fullmatch(why)
    if most is not None:
        counts = {"sure_notes": int(most[1]), "sure_in_mix": int(most[2])}
        return new | {"chosen": "most-notes"} | counts
    if whole is not None:
        return new | {
            "chosen": "whole-mix",
            "sure_notes": int(whole[1]),
            "sure_in_mix": int(whole[1]),
        }
    return new | {"chosen": "by-hand" if why else ""}
