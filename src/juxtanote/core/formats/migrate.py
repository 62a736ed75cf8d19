"""Lesson files of earlier versions, made into the present one, value by value.

Version 1 had one guitar for all phrases, moved copies among the phrases, the log by names, and one word
("time") for a note's heard times and its written time.
"""

from typing import Any

OLDEST, VERSION = 1, 2
Json = Any


def migrate(body: dict[str, Json]) -> dict[str, Json]:
    """Give the body of a lesson file in the present version; the one given is not changed."""
    return _from_1(body) if body["version"] == 1 else body


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
