"""A newcomer's first minute and first voyage, by hand, from bars to a judged strategy and its doubt."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.test_journey import settled

pytestmark = [pytest.mark.xdist_group("typing"), pytest.mark.newcomer]


def lesson(page):
    return page.get_by_role("region", name="First voyage")


def done(page):
    expect(lesson(page).get_by_role("status")).to_have_text("✓ done")
    lesson(page).get_by_role("button", name="Next").click()


def write(page, *lines):
    """At a hand's pace, at the text's end."""
    expect(lesson(page).get_by_role("status")).to_have_text("not yet")
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    for line in lines:
        page.keyboard.type(line, delay=30)
        page.keyboard.press("Escape")  # whatever is proposed
        page.keyboard.press("Enter")


def test_the_first_minute_tells_what_is_in_view_and_three_ways_on(page):
    page.goto("/")
    settled(page)
    card = page.get_by_role("region", name="The first minute")
    expect(card).to_contain_text(
        "This is “Harbour swell”, a strategy of the demo world, on KELP: 74 trades came to +9,968"
    )
    card.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("dialog", name="The strategy, read back")).to_be_visible()
    page.keyboard.press("Escape")
    expect(card).to_have_count(0)
    page.reload()
    settled(page)
    expect(card).to_have_count(0)  # it is met once

    page.evaluate("() => localStorage.removeItem('skelb-voyage')")
    page.goto("/?face=Text")
    page.get_by_role("button", name="Change it").click()
    expect(page.get_by_role("tab", name="Inputs")).to_have_attribute("aria-selected", "true")

    page.evaluate("() => localStorage.removeItem('skelb-voyage')")
    page.reload()
    page.get_by_role("button", name="Bring own bars").click()
    expect(page.get_by_role("button", name="Import bars")).to_be_visible()


def test_the_first_voyage_is_made_step_by_step_left_and_taken_up(page):
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="First voyage").click()
    expect(lesson(page)).to_contain_text("1 of 10")
    expect(lesson(page).get_by_role("status")).to_have_text("not yet")
    page.get_by_label("Market").select_option("BRIN")
    page.get_by_label("Timeframe").select_option("1h")
    done(page)

    expect(lesson(page).get_by_role("status")).to_have_text("not yet")  # the demo's own lines are not one's own
    lesson(page).get_by_role("button", name="Begin a script").click()
    expect(page.locator(".cm-content")).to_contain_text("First voyage")
    write(page, "top = prior(highest(high, 40))", "draw top")
    done(page)
    write(page, "rises = close > top")
    done(page)

    # Left, and taken up again from the guide after a reload.
    lesson(page).get_by_role("button", name="Leave").click()
    expect(lesson(page)).to_have_count(0)
    page.goto("/guide")
    expect(page.get_by_role("heading", name="First voyage")).to_be_visible()
    page.get_by_role("button", name="Go on with step 4").click()
    settled(page)
    expect(lesson(page)).to_contain_text("4 of 10")
    expect(page.locator(".cm-content")).to_contain_text("rises = close > top")
    page.get_by_role("application").focus()
    page.keyboard.press("h")
    done(page)

    write(page, "enter long when rises")
    done(page)
    write(page, "exit long when close < prior(lowest(low, 20))")
    done(page)
    write(page, "stop 3 * atr(20)", "size risk 1% of equity")
    done(page)
    write(page, "enter short when close < prior(lowest(low, 40))", "exit short when close > prior(highest(high, 20))")
    done(page)
    page.get_by_role("button", name="all figures").click()
    done(page)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Doubt", exact=True).click()
    expect(page.get_by_test_id("verdict")).to_contain_text("when it trades is worth something")
    page.get_by_role("link", name="Workbench").click()
    done(page)
    expect(lesson(page)).to_contain_text("That is the whole way")
    lesson(page).get_by_role("button", name="Close").click()
    expect(lesson(page)).to_have_count(0)


def test_what_is_skipped_is_not_called_done(page):
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="First voyage").click()
    page.get_by_label("Market").select_option("BRIN")
    page.get_by_label("Timeframe").select_option("1h")
    done(page)
    for _ in range(9):
        lesson(page).get_by_role("button", name="Skip").press("Enter")
    expect(lesson(page)).to_contain_text("Skipped on the way: 2 A line, 3 A question")
    page.goto("/guide")
    steps = page.get_by_role("main").get_by_role("listitem")
    expect(steps.filter(has_text=re.compile("^1Bars"))).to_contain_text("done")
    expect(steps.filter(has_text="Judge")).to_contain_text("skipped, not done")
    page.get_by_role("button", name="Make it again").click()  # another time it begins with nothing skipped
    expect(lesson(page)).to_contain_text("1 of 10")
    for _ in range(9):
        lesson(page).get_by_role("button").filter(has_text="Skip").or_(
            lesson(page).get_by_role("button", name="Next")
        ).click()
    lesson(page).get_by_role("button", name="Skip").click()
    lesson(page).get_by_role("button", name="9 Judge").click()
    expect(lesson(page)).to_contain_text("9 of 10")
