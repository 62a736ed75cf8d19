"""A student's copy of a lesson, and what comes back of it."""

from collections.abc import Sequence
from dataclasses import replace

from juxtanote.core.score.kept import Assigned, Kept, StudentLog
from juxtanote.core.score.lesson import Lesson


def student_copy(lesson: Lesson, assigned: Sequence[Assigned]) -> Lesson:
    """Give a lesson with only the phrases that are assigned, which opens on the Practise desk.

    Logs and takes of others are not in it; the plan is the teacher's.

    Raises
    ------
    ValueError
        If nothing is assigned, or a phrase that is not there.
    """
    wanted = [a.phrase for a in assigned]
    if not wanted:
        raise ValueError("choose at least one phrase")
    phrases = tuple(p for p in lesson.phrases if p.ident in set(wanted))
    if {p.ident for p in phrases} != set(wanted):
        raise ValueError("a phrase that is assigned is not in the lesson")
    plan = lesson.kept.plan
    kept = Kept(plan=plan, desk="practise", phrase=wanted[0], assigned=tuple(assigned))
    return replace(lesson, phrases=phrases, kept=kept)


def report_of(lesson: Lesson, name: str) -> StudentLog:
    """Give what was practised, to be sent back: no sound, and no places of files.

    Parameters
    ----------
    lesson : Lesson
    name : str
        Of the student.
    """
    takes = tuple(replace(take, file="") for take in lesson.kept.takes)
    return StudentLog(name.strip() or "A student", lesson.kept.log, takes)


def with_report(lesson: Lesson, report: StudentLog) -> Kept:
    """Give what is kept with a report in it; one of the same name before is replaced.

    Entries of phrases that the lesson does not have stay, under the names that they had.
    """
    others = tuple(s for s in lesson.kept.students if s.name != report.name)
    return replace(lesson.kept, students=(*others, report))
