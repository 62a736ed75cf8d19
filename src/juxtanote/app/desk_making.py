"""Building each desk when it is first shown, and tying it to the window's work and actions."""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

if TYPE_CHECKING:
    from juxtanote.app.main_window import MainWindow


def make_hear(window: "MainWindow") -> QWidget:
    """Build the Hear desk."""
    from juxtanote.app.hear.desk import HearDesk

    desk = HearDesk(window.document, window.transport, window.runner)
    desk.told.connect(window.tell)
    desk.measure_wanted.connect(window.measure_anew)
    desk.focus_wanted.connect(window.tasks.propose_focus)
    desk.chords_wanted.connect(window.tasks.suggest_chords)
    desk.audition_wanted.connect(window.tasks.audition)
    desk.guitar_wanted.connect(window.tasks.long_edits.change_guitar)
    desk.time.beats_wanted.connect(window.tasks.long_edits.change_beats)
    desk.time.readings_changed.connect(window.update_actions)
    window.tasks.measured.connect(desk.show_measured)
    window.tasks.whole.found.connect(desk.show_whole)
    window.bind(desk.propose, "propose")
    window.bind(desk.refuse, "refuse")
    window.bind(desk.listen, "listen_to_all")
    window.bind(desk.open_offer, "open_recording")
    window.bind(desk.lesson_offer, "open_lesson")
    return desk


def make_place(window: "MainWindow") -> QWidget:
    """Build the Place desk."""
    from juxtanote.app.place.desk import PlaceDesk

    desk = PlaceDesk(window.document, window.transport, window.runner, window.tasks)
    desk.told.connect(window.tell)
    window.bind(desk.listen, "listen")
    window.bind(desk.offer, "listen")
    return desk


def make_check(window: "MainWindow") -> QWidget:
    """Build the Check desk."""
    from juxtanote.app.check.desk import CheckDesk

    desk = CheckDesk(window.document, window.transport, window.findings)
    desk.told.connect(window.tell)
    desk.finding_chosen.connect(window.update_actions)
    window.rendering.rendered_anew.connect(desk.show_tab)
    desk.show_tab(window.rendering.rendered)
    window.bind(desk.waive_button, "waive")
    window.bind(desk.mend_button, "mend")
    window.bind(desk.strict_button, "limits")
    window.bind(desk.write_button, "save_findings")
    return desk


def make_teach(window: "MainWindow") -> QWidget:
    """Build the Teach desk."""
    from juxtanote.app.teach.desk import TeachDesk

    desk = TeachDesk(window.document, window.runner)
    desk.share_changed.connect(window.set_share)
    window.outputs.serve(desk)
    return desk


def make_practise(window: "MainWindow") -> QWidget:
    """Build the Practise desk."""
    from juxtanote.app.practise.desk import PractiseDesk

    desk = PractiseDesk(window.document, window.transport, window.runner)
    desk.told.connect(window.tell)
    desk.take.wanted.connect(window.asking.compare_take)
    desk.write_log.clicked.connect(window.asking.save_log)
    desk.recorder.recorded.connect(window.tasks.compare_take)
    window.tasks.compared.connect(desk.show_compared)
    desk.joined.connect(window.rendering.join)
    return desk


MAKERS = (make_hear, make_place, make_check, make_teach, make_practise)
"""In the order of the desks."""
