"""Typing, key by key as a hand does it, with the list of proposals open: the text comes out as it was typed."""

import asyncio
import re
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from playwright.async_api import async_playwright
from playwright.async_api import expect as expect_later
from playwright.sync_api import expect

from skelb.demo import DEMO_SCRIPTS
from tests.browser.conftest import AS_MET, CHROMIUM, FLAGS
from tests.browser.test_journey import settled
from tests.browser.test_workbench import THE_TEXT, the_text

pytestmark = pytest.mark.xdist_group("typing")

HOW_TOS = Path(__file__).parent.parent.parent / "docs" / "guide" / "howto"
TYPED = {script.title: script.text for script in DEMO_SCRIPTS} | {
    page.stem: re.findall(r"```skelb\n(.*?)```", page.read_text(), re.DOTALL)[0]
    for page in sorted(HOW_TOS.glob("*.md"))
}
HAND_MS = 110  # between two keys
OPEN_MS = 150  # long enough for the list to open


def first_times(texts):
    """The texts without the lines that an earlier one has: what a line comes out as does not hang on those before it."""
    typed = set()
    for title, text in texts.items():
        lines = [line for line in text.split("\n") if line and line not in typed]
        typed.update(lines)
        yield title, "\n".join(lines)


@pytest.fixture
def editor(page):
    """The editor, emptied, where a run takes no time that the hand would feel: what is tried is the typing."""
    page.goto("/?script=Lantern+band&market=KELP&timeframe=1d")
    settled(page)
    page.locator(".cm-content").click()
    empty(page)
    return page


def empty(page):
    page.keyboard.press("Control+a")
    page.keyboard.press("Delete")


def test_every_script_of_the_demo_and_the_guide_comes_out_to_the_letter(server):
    with ThreadPoolExecutor(1) as aside:  # where another event loop may run
        assert aside.submit(asyncio.run, wrongly_typed(server)).result() == []


async def wrongly_typed(server):
    """Titles of the texts that came out otherwise; each line's keys are given without waiting for the page."""
    wrong = []
    async with async_playwright() as playwright:
        browser = await playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        context = await browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.url)
        await context.add_cookies(server.cookies)
        await context.add_init_script(AS_MET)
        page = await context.new_page()
        await page.goto("/?script=Lantern+band&market=KELP&timeframe=1d")
        await expect_later(page.get_by_test_id("soundings")).to_have_attribute("aria-busy", "false", timeout=60_000)
        keys = await context.new_cdp_session(page)

        async def at_once(line):
            await asyncio.gather(*(keys.send("Input.dispatchKeyEvent", press) for press in presses(line)))

        async def as_a_hand(line):
            # No hand is as quick as that: what comes out at a hand's pace is what counts.
            await page.keyboard.type(line, delay=HAND_MS)

        async def comes_out(text, typed):
            await page.locator(".cm-content").click()
            await page.keyboard.press("Control+a")
            await page.keyboard.press("Delete")
            for line in text.split("\n"):
                await typed(line)
                await page.wait_for_timeout(OPEN_MS)  # Enter comes once the list had time to open over the last word
                await page.keyboard.press("Enter")
            return (await page.evaluate(THE_TEXT)).rstrip("\n") == text

        for title, text in first_times(TYPED):
            if not await comes_out(text, at_once) and not await comes_out(text, as_a_hand):
                wrong.append(title)
        await browser.close()
    return wrong


def presses(line):
    """What a keyboard sends for the signs of a line."""
    for sign in line:
        yield {"type": "keyDown", "key": sign, "text": sign}
        yield {"type": "keyUp", "key": sign}


@pytest.mark.parametrize("lines", [
    ('title "Twenty"', "n = close", "q = 2"),
    ("m = sma(close, 9)", "draw m", "up = close > m", "enter long when up", "opposite ignore", "x = 1"),
    ('note "say (so) [or] {not}"  # don\'t (count "this', 'mark close > open below "at {close}"', "level 3"),
])  # fmt: skip
def test_enter_ends_the_line_at_a_hands_pace(editor, lines):
    for line in lines:
        editor.keyboard.type(line, delay=HAND_MS)
        editor.wait_for_timeout(500)
        editor.keyboard.press("Enter")
    assert the_text(editor).rstrip("\n") == "\n".join(lines)


def test_the_list_opens_on_a_word_and_nowhere_else(editor):
    proposals = editor.locator(".cm-tooltip-autocomplete")
    for typed, opens in (
        ('title "ema', False), ('"', False), ("\n", False), ("# ema", False), ("\nx = ", False), ("e", True), ("ma", False),
        ("(clos", True), ("e", False), (", 12", False), (")\ndraw x", False), ("\nab = bollinger(x, 9, 2)", False), (".", False),
        ("u", True), ("pper", False),
    ):  # fmt: skip
        editor.keyboard.type(typed, delay=60)
        if not opens:
            editor.wait_for_timeout(450)
        expect(proposals, f"after {typed!r} in {the_text(editor)!r}").to_have_count(int(opens))
    editor.keyboard.type('\nuse "', delay=60)
    editor.wait_for_timeout(450)
    editor.keyboard.press("Control+Space")  # asked for, texts that can stand in quotes are proposed
    expect(proposals).to_contain_text("Barometer")


def test_what_is_typed_after_tab_goes_to_the_next_field_however_late_the_list_is(page):
    held, holds = [], []

    def between(socket):
        server = socket.connect_to_server()
        server.on_message(lambda told: held.append((socket, told)) if holds else socket.send(told))

    page.route_web_socket(re.compile("/lsp$"), between)
    page.goto("/?script=Lantern+band&market=KELP&timeframe=1d")
    settled(page)
    page.locator(".cm-content").click()
    empty(page)
    page.keyboard.type("e = em", delay=60)
    expect(page.locator(".cm-tooltip-autocomplete")).to_be_visible()
    page.keyboard.press("Tab")
    expect(page.locator(".cm-content")).to_contain_text("ema(")
    holds.append(True)
    page.keyboard.type("open", delay=60)
    page.keyboard.press("Tab")
    page.keyboard.type("21", delay=60)
    assert the_text(page) == "e = ema(open, 21)"
    holds.clear()
    for socket, told in held:
        socket.send(told)
    page.wait_for_timeout(300)
    assert held and the_text(page) == "e = ema(open, 21)"


def test_tab_takes_the_first_and_the_arrows_choose_what_enter_takes(editor):
    proposals = editor.locator(".cm-tooltip-autocomplete")
    editor.keyboard.type("q = clos", delay=60)
    expect(proposals).to_be_visible()
    editor.keyboard.press("Tab")
    expect(editor.locator(".cm-content")).to_have_text("q = close")
    editor.keyboard.press("Enter")
    editor.keyboard.type("z = hi", delay=60)
    expect(proposals).to_contain_text("highest")
    wanted = proposals.locator("li").nth(1).locator(".cm-completionLabel").inner_text()
    editor.keyboard.press("ArrowDown")
    editor.keyboard.press("ArrowDown")
    editor.keyboard.press("Enter")
    assert wanted in the_text(editor).split("\n")[1]

    # A form that is taken keeps its fields: what is typed fills the first, Tab goes to the next.
    editor.keyboard.press("Control+a")
    editor.keyboard.type("e = em", delay=60)
    expect(proposals).to_be_visible()
    editor.keyboard.press("Tab")
    editor.keyboard.type("open", delay=60)
    editor.wait_for_timeout(400)
    editor.keyboard.press("Tab")
    editor.keyboard.type("21", delay=60)
    assert the_text(editor) == "e = ema(open, 21)"

    # So it does where the hand is quicker than the list, which then has nothing to say to a whole word.
    editor.keyboard.press("Control+a")
    editor.keyboard.type("e = em", delay=60)
    expect(proposals).to_be_visible()
    editor.keyboard.press("Tab")
    editor.keyboard.type("open")
    editor.keyboard.press("Tab")
    editor.wait_for_timeout(400)
    editor.keyboard.type("21", delay=60)
    assert the_text(editor) == "e = ema(open, 21)"

    # Pressed before the list is there, Tab takes what it will hold, and the focus stays in the text.
    editor.keyboard.press("Control+a")
    editor.keyboard.type("q = hig")
    editor.keyboard.press("Tab")
    expect(editor.locator(".cm-content")).to_have_text(re.compile(r"^q = high"))
    expect(editor.locator(".cm-content")).to_be_focused()


def test_no_mend_is_called_sure_that_would_not_help(editor):
    editor.keyboard.type('fastLength = int(9, title="Fast")', delay=30)
    expect(editor.get_by_text("arguments are named with")).to_be_visible()
    expect(editor.get_by_role("button", name=re.compile("^Write"))).to_have_count(0)
