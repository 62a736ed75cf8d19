"""The lesson page in a real browser (Debian's chromium, by selenium): it loads, plays, loops, shows."""

import shutil
import tempfile
import time
import unittest
from dataclasses import replace
from importlib import resources
from pathlib import Path

import numpy as np
from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.keys import Keys

from juxtanote.core.audio.stretch import map_pass, stretch_whole
from juxtanote.core.formats.lesson_page import (
    RATE,
    Chapter,
    Sounds,
    write_chapters,
    write_lesson_page,
)
from juxtanote.core.score.lesson import Phrase
from juxtanote.core.synth.render import render_phrase
from tests.lessons import small_lesson

BROWSER, DRIVER = shutil.which("chromium"), shutil.which("chromedriver")
NASTY = "<img src=x onerror=\"document.title='taken'\"></script><b>A & B"
STATE = (
    "const j = window.juxtanote; const n = j.lesson.phrases[j.settings.phrase]; const at = j.heardAt();"
    "return {at, clock: j.context ? j.context.currentTime : 0, lit: j.state.lit,"
    "waiting: j.state.waiting, playing: j.state.playing, passes: j.state.passes, way: j.state.way,"
    "moments: n.moments,"
    "length: n.length, speed: j.settings.speed, phrase: j.settings.phrase, loop: j.settings.loop}"
)


def a_page() -> str:
    lesson = replace(small_lesson(), title=NASTY)
    first = lesson.phrases[0]
    lesson = lesson.with_phrase(replace(first, breakdown=NASTY))
    silence = np.zeros(RATE * 20, dtype=np.float32)

    def tab(phrase: Phrase) -> np.ndarray:
        return render_phrase(phrase, lesson, RATE).audio

    return write_lesson_page(lesson, Sounds(tab, lambda phrase: silence))


def a_browser(**phone: int) -> webdriver.Chrome:
    options = Options()
    options.binary_location = str(BROWSER)
    for word in (
        "--headless=new", "--no-sandbox", "--autoplay-policy=no-user-gesture-required",
        "--disable-dev-shm-usage", "--hide-scrollbars", "--window-size=1280,900",
    ):  # fmt: skip
        options.add_argument(word)
    if phone:
        options.add_experimental_option("mobileEmulation", {"deviceMetrics": phone})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    return webdriver.Chrome(options=options, service=Service(str(DRIVER)))


@unittest.skipUnless(BROWSER and DRIVER, "chromium and chromium-driver are not installed")
class TestSeveralLessons(unittest.TestCase):
    def test_the_list_leads_to_a_phrase_that_plays(self) -> None:
        one = small_lesson()
        two = replace(one, title="Another <evening>", notes="Bring a pick.")

        def tab(phrase: Phrase) -> np.ndarray:
            return render_phrase(phrase, one, RATE).audio

        page = write_chapters([Chapter(one, Sounds(tab)), Chapter(two, Sounds(tab))])
        browser = a_browser()
        self.addCleanup(browser.quit)
        with tempfile.TemporaryDirectory() as held:
            file = Path(held, "several.html")
            file.write_text(page, "utf-8")
            browser.get(file.as_uri())
            titles = [row.text for row in browser.find_elements("css selector", ".chapter h2")]
            self.assertEqual(titles, [one.title, two.title])
            links = browser.find_elements("css selector", "nav a")
            self.assertEqual(len(links), len(browser.find_elements("css selector", "section")))
            links[-1].click()
            self.assertEqual(browser.execute_script(STATE)["phrase"], len(links) - 1)
            browser.find_element("id", "count").click()
            browser.find_element("id", "play").click()
            until = time.monotonic() + 20.0
            while (state := browser.execute_script(STATE))["at"] <= 0 and time.monotonic() < until:
                time.sleep(0.02)
            self.assertGreater(state["at"], 0)
            self.assertEqual([row["message"] for row in browser.get_log("browser")], [])


@unittest.skipUnless(BROWSER and DRIVER, "chromium and chromium-driver are not installed")
class TestInABrowser(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp())
        cls.file = cls.folder / "lesson.html"
        cls.file.write_text(a_page(), "utf-8")
        cls.browser = a_browser()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.browser.quit()
        shutil.rmtree(cls.folder)

    def setUp(self) -> None:
        self.browser.get(self.file.as_uri())
        self.browser.execute_script("localStorage.clear()")
        self.browser.get(self.file.as_uri())

    def tearDown(self) -> None:
        errors = [row["message"] for row in self.browser.get_log("browser")]
        self.assertEqual(errors, [])

    def state(self) -> dict:
        return self.browser.execute_script(STATE)

    def click(self, name: str) -> None:
        self.browser.find_element("id", name).click()

    def start(self, speed: float, *, loop: bool = True) -> None:
        self.click("count")  # without a count-in
        if not loop:
            self.click("loop")
        self.browser.execute_script(
            "const f = document.getElementById('speed'); f.value = arguments[0];"
            "f.dispatchEvent(new Event('input'))",
            round(100 * speed),
        )
        self.click("play")
        self.wait(lambda s: s["playing"] and s["at"] > 0)

    def wait(self, wanted, seconds: float = 20.0) -> dict:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            state = self.state()
            if wanted(state):
                return state
            time.sleep(0.01)
        self.fail(f"it did not come: {self.state()}")

    def test_titles_and_words_are_text(self) -> None:
        self.assertEqual(self.browser.title, NASTY)
        self.assertEqual(self.browser.find_element("tag name", "h1").text, NASTY)
        self.assertEqual(self.browser.find_elements("css selector", "img, main b"), [])
        self.assertIn(NASTY, self.browser.find_element("id", "phrase-0").text)

    def test_nothing_from_elsewhere_is_let_in(self) -> None:
        blocked = self.browser.execute_async_script(
            "const done = arguments[0]; document.addEventListener('securitypolicyviolation', e => "
            "done(e.effectiveDirective)); const i = new Image(); i.src = 'http://127.0.0.1:9/x.png';"
            "setTimeout(() => done('nothing'), 3000)"
        )
        self.assertEqual(blocked, "img-src")
        self.browser.get_log("browser")  # that it was blocked is said there

    def test_it_advances_as_fast_as_is_asked(self) -> None:
        for speed in (0.5, 1.0, 1.25):
            self.browser.refresh()
            self.browser.execute_script("localStorage.clear()")
            self.browser.refresh()
            self.start(speed)
            self.assertEqual(self.state()["way"], "worklet")
            one = self.state()
            time.sleep(0.6)
            other = self.state()
            moved = (other["at"] - one["at"]) / RATE / (other["clock"] - one["clock"])
            self.assertAlmostEqual(moved, speed, delta=0.12 * speed, msg=f"{one} {other}")

    def test_a_loop_is_as_long_as_the_phrase(self) -> None:
        self.start(1.25)
        state = self.wait(lambda s: len(s["passes"]) >= 3, 40.0)
        gaps = np.diff(state["passes"]) / RATE
        wanted = state["length"] / RATE / 1.25
        self.assertLess(float(np.max(np.abs(gaps - wanted))), 0.005)

    def test_what_is_lit_is_what_sounds(self) -> None:
        self.start(0.5)
        moments = np.array(self.state()["moments"])
        seen = set()
        for _ in range(60):
            state = self.state()
            time.sleep(0.03)
            near = np.abs(moments - state["at"]).min() < 0.04 * RATE * state["speed"]
            if near or state["waiting"]:
                continue  # just now another note begins
            self.assertEqual(state["lit"], int(np.searchsorted(moments, state["at"], "right")) - 1)
            seen.add(state["lit"])
            lit = self.browser.execute_script(
                "return [...document.querySelectorAll('#phrase-0 .wide .spot.on')].map(s => s.dataset.k)"
            )
            self.assertLessEqual(len(lit), 1)
        self.assertGreater(len(seen), 2)

    def test_without_a_loop_it_stops_at_the_end(self) -> None:
        self.start(1.25, loop=False)
        state = self.wait(lambda s: not s["playing"], 30.0)
        self.assertEqual(len(state["passes"]), 1)

    def test_a_count_in_comes_before(self) -> None:
        self.click("play")
        state = self.wait(lambda s: s["playing"] and s["waiting"])
        begun = state["clock"]
        self.wait(lambda s: not s["waiting"])
        meter, beat = self.browser.execute_script(
            "const n = window.juxtanote.lesson.phrases[0]; return [n.meter, n.beat]"
        )
        self.assertLess(abs(self.state()["clock"] - begun - meter * beat / RATE / 0.5), 0.6)

    def test_everything_goes_by_keyboard(self) -> None:
        body = self.browser.find_element("tag name", "body")
        for key, wanted in (
            (Keys.PAGE_DOWN, lambda s: s["phrase"] == 1), (Keys.PAGE_UP, lambda s: s["phrase"] == 0),
            ("l", lambda s: not s["loop"]), ("-", lambda s: s["speed"] == 0.45),
            ("+", lambda s: s["speed"] == 0.5), (" ", lambda s: s["playing"]),
            (" ", lambda s: not s["playing"]),
        ):  # fmt: skip
            body.send_keys(key)
            self.wait(wanted, 5.0)
        reached = set()
        for _ in range(40):
            self.browser.switch_to.active_element.send_keys(Keys.TAB)
            reached.add(self.browser.switch_to.active_element.get_attribute("id"))
        fields = "play previous next loop speed first last step click count balance"
        self.assertLessEqual(set(fields.split()), reached)

    def test_what_was_chosen_is_there_again(self) -> None:
        body = self.browser.find_element("tag name", "body")
        body.send_keys("+", Keys.PAGE_DOWN)
        self.wait(lambda s: s["phrase"] == 1)
        self.browser.refresh()
        state = self.state()
        self.assertEqual((state["phrase"], state["speed"]), (1, 0.55))

    def test_a_click_into_the_tab_plays_from_there(self) -> None:
        self.click("count")
        drawing = self.browser.find_element("css selector", "#phrase-0 .wide svg")
        webdriver.ActionChains(self.browser).move_to_element_with_offset(
            drawing, round(0.2 * drawing.size["width"]), 0
        ).click().perform()
        state = self.wait(lambda s: s["playing"])
        self.assertGreater(state["at"], state["moments"][2])

    def test_it_fits_a_telephone(self) -> None:
        phone = a_browser(width=390, height=844, pixelRatio=2)
        try:
            phone.get(self.file.as_uri())
            wide = phone.execute_script("return document.documentElement.scrollWidth")
            self.assertLessEqual(wide, 390)
            self.assertTrue(
                phone.find_element("css selector", "#phrase-0 .narrow svg").is_displayed()
            )
            self.assertFalse(
                phone.find_element("css selector", "#phrase-0 .wide svg").is_displayed()
            )
            phone.find_element("id", "play").click()
            self.assertEqual(phone.get_log("browser"), [])
        finally:
            phone.quit()

    def test_slowed_attacks_stay_where_they_are_and_sharp(self) -> None:
        """The page's stretching beside the program's own, on clicks over a tone."""
        rng = np.random.default_rng(2)
        attacks = np.array([9000, 22000, 31000])
        audio = 0.1 * np.sin(2 * np.pi * 220 * np.arange(44_100) / RATE)
        for at in attacks:
            audio[at : at + 60] += 0.8 * rng.choice([-1, 1], 60)
        script = (resources.files("juxtanote") / "data/page/stretch.js").read_text("utf-8")
        for speed in (0.5, 0.7, 1.25):
            out = self.browser.execute_script(
                f"{script}\nconst mix = new Mix(); mix.channels[0] = Float32Array.from(arguments[0]);"
                "const pass = new Pass(mix, mapPass(0, arguments[0].length, arguments[1], arguments[2]));"
                "const out = []; while (pass.left > 0) out.push(pass.next()); return out",
                audio.tolist(), speed, attacks.tolist(),
            )  # fmt: skip
            mine = stretch_whole(audio[None].astype(np.float32), speed, attacks)[0]
            self.assertEqual(len(out), len(mine))
            plan = map_pass(0, 44_100, speed, attacks)
            for sound in (np.array(out), mine):
                loud = np.flatnonzero(np.abs(sound) > 0.6)
                groups = np.split(loud, np.flatnonzero(np.diff(loud) > 2000) + 1)
                self.assertEqual(len(groups), len(attacks), "each attack once")
                for group, at in zip(groups, attacks, strict=True):
                    self.assertLess(abs(group[0] - float(plan.to_output(float(at)))), 0.001 * RATE)
                    self.assertLess(group[-1] - group[0], 0.004 * RATE)


class TestTheFile(unittest.TestCase):
    def test_four_minutes_stay_under_six_megabytes(self) -> None:
        lesson = small_lesson()
        phrase = lesson.phrases[0]
        long = replace(phrase, end_s=phrase.start_s + 120.0, variants=())
        other = replace(long, ident=2, start_s=phrase.start_s + 0.01, end_s=phrase.start_s + 120.01)
        rng = np.random.default_rng(1)
        noise = (0.1 * rng.standard_normal(120 * RATE)).astype(np.float32)
        sounds = Sounds(lambda _: noise, lambda _: noise)
        page = write_lesson_page(replace(lesson, phrases=(long, other)), sounds)
        self.assertLess(len(page.encode()), 6_000_000)

    def test_an_empty_lesson_says_so(self) -> None:
        page = write_lesson_page(replace(small_lesson(), phrases=()), Sounds(lambda _: np.zeros(1)))
        self.assertIn("No phrase of this lesson has notes yet", page)
