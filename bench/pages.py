"""The lesson page of fifty random lessons in a real browser: loads, plays, lights what sounds, shows all.

python -m bench pages [LESSONS]

The lessons are those of tests/reference (invented, seeded); what judges them is Debian's chromium.
"""

import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np

LISTENED = 12  # looks at each page while it plays
EDGE_S = 0.04  # so near to the next note either may be lit


def _problems(browser: Any, lesson: Any, path: Path) -> list[str]:
    """Load, play and look at one page; give what is wrong."""
    from tests.page.test_lesson_page import RATE, STATE

    found = []
    browser.get(path.as_uri())
    browser.execute_script("localStorage.clear()")
    browser.get(path.as_uri())
    shown = browser.find_element("tag name", "h1").text
    if shown != lesson.title:
        found.append(f"the title is {shown!r}")
    sections = browser.find_elements("css selector", "section[id^=phrase]")
    if len(sections) != len(lesson.phrases):
        found.append(f"{len(sections)} of {len(lesson.phrases)} phrases")
    for number, phrase in enumerate(lesson.phrases):
        spots = browser.execute_script(
            "return new Set([...document.querySelectorAll(`#phrase-${arguments[0]} .wide .spot`)]"
            ".map(s => s.dataset.k)).size",
            number,
        )
        onsets = {n.written.onset_beats for n in phrase.notes if n.written.onset_beats is not None}
        if not spots or spots > len(onsets):
            found.append(f"{spots} places for {len(onsets)} moments in {phrase.name}")
    browser.find_element("id", "count").click()  # without a count-in
    browser.find_element("id", "play").click()
    until = time.monotonic() + 20.0
    while (state := browser.execute_script(STATE))["at"] <= 0:
        if time.monotonic() > until:
            return [*found, "it does not play"]
        time.sleep(0.01)
    moments, begun = np.array(state["moments"]), state
    for _ in range(LISTENED):
        time.sleep(0.05)
        state = browser.execute_script(STATE)
        near = np.abs(moments - state["at"]).min() < EDGE_S * RATE
        lit = int(np.searchsorted(moments, state["at"], "right")) - 1
        if not near and not state["waiting"] and state["lit"] != lit:
            found.append(f"{state['lit']} is lit where {lit} sounds")
    if state["at"] == begun["at"]:
        found.append("it stands still")
    found += [row["message"] for row in browser.get_log("browser")]
    return found


def main(arguments: list[str] | None = None) -> None:
    """Print how many pages were in order, and what was not."""
    from juxtanote.core.handing_out import Wish, hand_out
    from tests.page.test_lesson_page import a_browser
    from tests.reference.test_random_exports import LESSONS, a_lesson

    count = int(arguments[0]) if arguments else LESSONS
    browser, seconds, in_order = a_browser(), [], 0
    try:
        with tempfile.TemporaryDirectory() as held:
            for seed in range(count):
                lesson, path = a_lesson(seed), Path(held, f"{seed}.html")
                began = time.perf_counter()
                hand_out(lesson, path, Wish())
                seconds.append(time.perf_counter() - began)
                problems = _problems(browser, lesson, path)
                in_order += not problems
                for problem in problems:
                    print(f"lesson {seed}: {problem}", flush=True)
    finally:
        browser.quit()
    print(
        f"{in_order} of {count} pages in order; written in {statistics.median(seconds):.1f} s each"
    )
