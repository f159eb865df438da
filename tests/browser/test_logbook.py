"""The logbook: runs kept by a key, what they were changed from, noted, found, gone back to; what was only looked at."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.test_journey import settled

pytestmark = pytest.mark.xdist_group("browser")


def keep(page):
    """Keep the run in view by its key; the number it has."""
    settled(page)
    before = origin(page.url)
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Alt+k")
    page.wait_for_url(lambda address: origin(address) not in (None, before))
    return int(origin(page.url))


def origin(address):
    found = re.search(r"[?&]origin=([0-9]+)", address)
    return found and found[1]


def test_runs_are_kept_found_noted_and_gone_back_to(page):
    page.goto("/?script=Low%20water&market=FERY&timeframe=15m&pinned=")
    first = keep(page)
    page.get_by_role("tab", name="Inputs").click()
    slider = page.get_by_role("spinbutton").first
    name = slider.get_attribute("aria-label")
    slider.press("ArrowUp")
    settled(page)
    second = keep(page)
    page.get_by_role("link", name="Logbook").click()
    page.get_by_label("Script", exact=True).select_option("Low water")
    log = page.get_by_test_id("log")
    expect(log.locator("[data-run]")).to_have_count(2)
    expect(log.locator(f"[data-run='{first}']")).to_contain_text("first kept")
    expect(log.locator(f"[data-run='{second}']")).to_contain_text("→")
    expect(page.get_by_role("region", name="The script's tally")).to_contain_text("settings looked at")

    # Noted by keyboard, starred, found again by what was noted; it is all there after a reload.
    log.locator(f"[data-run='{second}']").get_by_label(f"Tags and note of run {second}").press("Enter")
    page.keyboard.type("wide, to try", delay=40)  # the tags have the focus
    page.keyboard.press("Tab")
    page.keyboard.type("the long one of two", delay=30)
    page.get_by_role("button", name="Keep the note").press("Enter")
    expect(log.locator(f"[data-run='{second}']")).to_contain_text("the long one of two")
    page.get_by_label(f"Star run {second}").press("Space")
    expect(page.get_by_label(f"Star run {second}")).to_have_attribute("aria-pressed", "true")
    page.get_by_placeholder("words to find").press_sequentially("long wide", delay=60)
    expect(log.locator("[data-run]")).to_have_count(1)
    page.reload()
    expect(log.locator("[data-run]")).to_have_count(1)
    expect(log).to_contain_text("wide, to try")
    page.get_by_placeholder("words to find").fill("nothing like it")
    expect(page.get_by_text("No kept run is like that.")).to_be_visible()
    page.get_by_placeholder("words to find").fill("")
    page.get_by_label("Which runs").select_option("starred")
    expect(log.locator("[data-run]")).to_have_count(1)
    page.get_by_label("Which runs").select_option("kept")

    # Gone back to: what is kept next came from there.
    log.locator(f"[data-run='{first}']").get_by_role("button", name="Low water").click()
    page.get_by_role("button", name="Work on it").click()
    page.wait_for_url(lambda address: f"origin={first}" in address)
    settled(page)
    page.get_by_label("Sides", exact=True).select_option("long")
    third = keep(page)
    page.get_by_role("link", name="Logbook").click()
    expect(log.locator(f"[data-run='{third}']")).to_contain_text("sides both → long")
    assert name

    # Its report, and others against it.
    log.locator(f"[data-run='{third}']").get_by_role("button", name="Low water").click()
    page.get_by_role("button", name="Report", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_contain_text(f"Report of run {third}")
    page.go_back()
    log.locator(f"[data-run='{first}']").get_by_role("button", name="Low water").click()
    page.get_by_role("button", name="Compare others with it").click()
    expect(page.get_by_role("button", name=f"against run {first}")).to_be_visible()

    # Taken away, and back.
    page.get_by_role("link", name="Logbook").click()
    log.locator(f"[data-run='{third}']").get_by_role("button", name="Low water").click()
    page.get_by_role("button", name="Delete", exact=True).click()
    page.get_by_role("dialog").get_by_role("button", name="Delete").click()
    expect(log.locator(f"[data-run='{third}']")).to_have_count(0)
    page.get_by_role("button", name="Bring", exact=False).click()
    expect(log.locator(f"[data-run='{third}']")).to_be_visible()


def test_what_was_only_looked_at_can_be_kept_an_hour_later(page):
    page.goto("/?script=Rope%20ladder&market=LAMP&timeframe=1h")
    settled(page)
    page.get_by_label("Sides", exact=True).select_option("short")
    settled(page)
    page.wait_for_timeout(5_000)  # what stays in view for four seconds was looked at
    page.goto("/logbook?looked=true&title=Rope%20ladder")
    looked = page.get_by_test_id("looked")
    expect(looked.locator("tbody tr")).not_to_have_count(0)
    looked.get_by_role("button", name="Keep").first.press("Enter")
    page.get_by_label("Which runs").select_option("kept")
    expect(page.get_by_test_id("log").locator("[data-run]")).to_have_count(1)
    page.get_by_label("Which runs").select_option("looked")
    looked.get_by_role("button", name="Work on it").first.click()
    settled(page)
    expect(page.get_by_label("Sides", exact=True)).to_have_value("short")


def test_two_runs_are_compared_by_what_the_change_did(page):
    page.goto("/?script=First%20watch&market=LAMP&timeframe=5m&pinned=")
    first = keep(page)
    page.get_by_label("Sides", exact=True).select_option("long")
    second = keep(page)
    page.get_by_role("link", name="Logbook").click()
    page.get_by_label("Script", exact=True).select_option("First watch")
    for number in (first, second):
        page.get_by_label(f"Choose run {number} to compare").press("Space")
    page.get_by_role("button", name="Compare 2 runs").press("Enter")
    said = page.get_by_test_id("what-it-did")
    expect(said).to_contain_text("sides both → long. It removed")
    parts = page.get_by_test_id("parts")
    expect(parts).to_contain_text(f"only in {first}")
    every = page.get_by_test_id("every")
    net = every.locator("[data-figure=net_profit] td")
    expect(net).to_have_count(3)
    expect(parts.locator("tr").last).to_contain_text(net.nth(2).inner_text().replace("✓ ", ""))
    expect(page.get_by_test_id("lines")).to_contain_text("the same")
    page.get_by_role("button", name="in percent").press("Enter")
    expect(page.get_by_role("button", name="in percent")).to_have_attribute("aria-pressed", "true")

    # Other days: named as not comparable, and run alike by one press; it is there after a reload.
    page.get_by_role("button", name=f"Work on {second}").click()
    settled(page)
    page.get_by_role("button", name="to ", exact=False).first.wait_for()
    state = page.url.split("?")[1]
    page.goto(f"/?{state}&from=2023-06-01")
    third = keep(page)
    page.goto(f"/logbook?compare=[{first},{third}]")
    expect(page.get_by_test_id("not-alike")).to_contain_text("other days")
    before = said.inner_text()
    page.get_by_role("button", name="Run them alike").press("Enter")
    expect(page.get_by_test_id("not-alike")).to_have_count(0)
    expect(said).not_to_have_text(before)
    page.reload()
    expect(said).to_be_visible()
    expect(page.get_by_role("button", name="Each as it was kept")).to_be_visible()
    page.get_by_label("Add a run").select_option(str(second))
    expect(every.locator("th.num")).to_have_count(3)
    page.get_by_label(f"Leave run {first} out").click()
    expect(every.locator("th.num")).to_have_count(2)
    page.get_by_role("button", name="‹ Logbook").click()
    expect(page.get_by_test_id("log")).to_be_visible()
    page.goto("/logbook?compare=[987654,987655]")
    expect(page.get_by_role("alert")).to_contain_text("no kept run 987655")
