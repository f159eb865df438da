"""The text as it reads on a bar, in the real interface, against what the command line explains."""

import json

import pytest
from playwright.sync_api import expect

from skelb.demo import DEMO_MARKETS, DEMO_SCRIPTS
from skelb.demo.world import make_bars
from tests.browser.test_journey import command_line, settled, write_script
from tests.conftest import write_csv

pytestmark = pytest.mark.xdist_group("browser")

PLACE = "/?script=Low%20water&market=FERY&timeframe=15m"


def readings(page):
    """What stands at the ends of lines, by what is written there."""
    found = {}
    for line in page.locator(".cm-line", has=page.locator(".reading")).all():
        value = line.locator(".reading").inner_text()
        found[line.evaluate("node => node.textContent").removesuffix(value).strip()] = value
    return found


def hold_a_bar(page, back=0):
    page.get_by_test_id("chart").focus()
    page.keyboard.press("h")
    note = page.get_by_test_id("bar-note")
    expect(note).to_be_visible()
    for _ in range(back):
        before = note.locator("p").first.inner_text()
        page.keyboard.press(",")
        expect(note.locator("p").first).not_to_have_text(before)
    return note


def test_a_held_bar_reads_as_the_command_line_explains_it(page, tmp_path):
    page.goto(PLACE)
    settled(page)
    note = hold_a_bar(page, back=3)
    account = page.evaluate("() => fetch('/api/accounts').then(a => a.json()).then(all => all[0].settings)")
    demo = next(item for item in DEMO_MARKETS if item.settings["symbol"] == "FERY")
    bars = make_bars(demo)[0]
    write_csv(tmp_path / "fery.csv", bars)
    (tmp_path / "market.json").write_text(json.dumps(demo.settings))
    (tmp_path / "account.json").write_text(json.dumps(account))
    (tmp_path / "low.skelb").write_text(next(item.text for item in DEMO_SCRIPTS if item.title == "Low water"))
    asked = page.evaluate("() => document.querySelector('[data-testid=bar-note]').dataset.time")
    options = ("--bars", "fery.csv", "--market", "market.json", "--account", "account.json", "--timeframe", "15m")
    found = command_line(tmp_path, "explain", "low.skelb", *options, "--at", asked)
    for rule in found["rules"]:
        if rule["kind"] == "enter" and rule["did"]:
            expect(note).to_contain_text(rule["did"])
        elif rule["kind"] == "enter":
            expect(note).to_contain_text(f"“{rule['name']}” was no")
    still = next(rule for rule in found["rules"] if rule["kind"] == "enter")["condition"]["parts"][0]
    assert still["text"] == "still"
    shown = readings(page)
    assert shown["still = efficiency(close, span) < 0.3"] == ("yes" if still["value"] else "no")
    marked = page.locator(".part", has_text="close < band.mid").first
    below = next(rule for rule in found["rules"] if rule["kind"] == "enter")["condition"]["parts"][1]
    assert f"part-{'yes' if below['value'] else 'no'}" in marked.get_attribute("class")
    note.get_by_text("Where the signals of the whole run went").click()
    expect(note).to_contain_text(f"long: {found['signals']['long']}")


def test_readings_follow_the_pointer_and_leave_with_a_change_of_the_text(page):
    page.goto(PLACE)
    settled(page)
    box = page.get_by_test_id("chart").bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.3, box["y"] + 200)
    note = page.get_by_test_id("bar-note")
    expect(note).to_be_visible()
    first = note.get_attribute("data-time")
    page.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + 200)
    expect(note).not_to_have_attribute("data-time", first)
    page.mouse.click(box["x"] + box["width"] * 0.6, box["y"] + 200)  # held: the pointer may go
    held = note.get_attribute("data-time")
    page.mouse.move(box["x"] + box["width"] * 0.2, box["y"] + 250)
    page.wait_for_timeout(300)
    assert note.get_attribute("data-time") == held
    page.get_by_test_id("chart").focus()
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    expect(note).to_be_hidden()
    assert page.locator(".reading").count() == 0
    page.keyboard.press("h")
    expect(page.locator(".reading").first).to_be_visible()
    write_script(page, "x = close + 1\ny = x - close\ndraw y\n")
    expect(page.locator(".reading")).to_have_count(2)  # of the new text, on the bar that is held
    assert readings(page)["y = x - close"] == "1.00"
    write_script(page, "x = close +\n")
    expect(page.locator(".reading")).to_have_count(0)
