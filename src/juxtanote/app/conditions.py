"""Which actions can be done with what is there, and why the others cannot."""

from collections.abc import Iterable
from typing import TYPE_CHECKING

from juxtanote.app.actions import WHY_NOT, ActionSpec

if TYPE_CHECKING:
    from juxtanote.app.document import Document
    from juxtanote.app.main_window import MainWindow
    from juxtanote.app.transport.controller import Transport

HEAR, PLACE, CHECK = range(3)


class Conditions:
    """Looks at document and window; each need of an action is one test here."""

    def __init__(self, document: "Document", transport: "Transport", window: "MainWindow") -> None:
        self._document, self._transport, self._window = document, transport, window
        self._met: frozenset[str] | None = None

    def _now(self) -> frozenset[str]:
        """Give the needs that are met."""
        document, window = self._document, self._window
        phrase, notes = document.phrase, document.selected_notes
        desk = window.desk
        source = document.lesson.source_of(phrase.ident) if phrase is not None else None
        readings = window.hear.time.has_readings if HEAR in window._built else False
        found = CHECK in window._built and window.check.finding is not None
        met = {
            "sound": document.sound is not None,
            "phrase": phrase is not None,
            "original": phrase is not None and not phrase.is_variant,
            "notes": phrase is not None and bool(phrase.notes),
            "bare": window.tasks.listening.is_wanted,
            "selected": bool(notes),
            "one selected": len(notes) == 1,
            "two selected": len(notes) > 1,
            "hear": desk == HEAR,
            "place": desk == PLACE,
            "check": desk == CHECK,
            "time": desk in (HEAR, PLACE),
            "finding": found,
            "proposals": any(p.proposed and not p.notes for p in document.lesson.phrases),
            "readings": readings,
            "variants": source is not None and bool(source.variants),
            "other reading": bool(notes and notes[0].heard.runner_ups),
            "bend": bool(notes and notes[0].written.techniques & {"bend", "pre-bend"}),
            "parts": len(document.lesson.parts) > 1,
            "practised": bool(document.lesson.kept.log or document.lesson.kept.takes),
            "to delete": (desk == HEAR and phrase is not None)
            or (desk == PLACE and (bool(notes) or (phrase is not None and phrase.is_variant))),
            "any doubtful": any(n.is_doubtful for p in document.lesson.phrases for n in p.notes),
            "doubtful": phrase is not None and any(n.is_doubtful for n in phrase.notes),
        }
        return frozenset(name for name, holds in met.items() if holds)

    def changed(self, specs: Iterable[ActionSpec]) -> list[str]:
        """Look anew, and name the actions that may be enabled otherwise than before."""
        before, self._met = self._met, self._now()
        if before is None:
            return [spec.name for spec in specs]
        differing = before ^ self._met
        return [spec.name for spec in specs if differing & set(spec.needs)] if differing else []

    def why_not(self, spec: ActionSpec) -> str:
        """Say why an action cannot be done now; "" where it can."""
        met = self._met if self._met is not None else self._now()
        return next((WHY_NOT[need] for need in spec.needs if need not in met), "")
