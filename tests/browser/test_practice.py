"""Practice, driven by hand: begun, looked at, paused, gone on with, through a restart, on feeds that misbehave."""

import re
from dataclasses import replace
from threading import Thread

import pytest
from playwright.sync_api import expect

from skelb.core.bars import Timeframe
from skelb.core.plan import make_dataset
from skelb.demo import DEMO_MARKETS
from skelb.demo.world import make_bars
from skelb.service.practice.listening import Listener
from skelb.service.practice.stand_in import StandIn
from skelb.service.settings import MarketSettings
from tests.browser.test_journey import settled

pytestmark = pytest.mark.xdist_group("browser")


def trades_of(page):
    """How many trades practice has, as the drift counts them."""
    return int(re.search(r"(\d+) of 30", page.get_by_test_id("drift").inner_text())[1])


def begin(page, **choices):
    for label, value in choices.items():
        page.get_by_label(label.replace("_", " "), exact=True).select_option(value)
    page.get_by_role("button", name="Begin the practice").press("Enter")
    expect(page.get_by_test_id("drift")).to_be_visible()


def test_a_strategy_is_practised_on_a_replay_paused_and_found_again(page, server):
    page.goto("/")
    settled(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("practise", delay=40)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=re.compile("^Practise Harbour swell"))).to_be_visible()
    begin(page, Pace="36000", Timeframe="5m")
    expect(page.get_by_test_id("clock")).to_contain_text("by the feed")
    # It goes on by itself, and says what it would do next in units and prices.
    before = page.get_by_test_id("clock").inner_text()
    expect(page.get_by_test_id("clock")).not_to_have_text(before)
    first = page.get_by_test_id("next").first
    expect(first).to_contain_text(re.compile(r"at \d\d:\d\d, if up is yes: (buy \d+|nothing)"))
    page.get_by_role("button", name="Pause").click()
    expect(page.get_by_role("button", name="Go on")).to_be_visible()
    expect(page.get_by_test_id("clock")).to_contain_text("paused")

    page.get_by_label("Pace", exact=True).select_option("0")
    page.get_by_role("button", name="Go on").press("Enter")
    expect(page.get_by_test_id("clock")).to_contain_text("the feed has come to its end")
    expect(page.get_by_test_id("events").get_by_role("listitem")).not_to_have_count(0)
    expect(page.get_by_test_id("picture").get_by_role("img")).to_be_visible()
    count = trades_of(page)
    page.reload()
    expect(page.get_by_test_id("drift")).to_be_visible()
    assert trades_of(page) == count > 0
    page.get_by_role("button", name=re.compile("older$")).click()
    expect(page.get_by_test_id("events").get_by_role("listitem")).not_to_have_count(12)

    # The backtest that it comes from is in the logbook.
    page.get_by_role("button", name=re.compile("^kept run")).click()
    expect(page).to_have_url(re.compile("/report"))
    page.go_back()
    expect(page.get_by_test_id("drift")).to_be_visible()

    page.get_by_role("button", name="All practices").click()
    line = page.get_by_test_id("practices").get_by_role("row").nth(1)
    expect(line).to_contain_text("Harbour swell")
    expect(line).to_contain_text("a replay of stored bars")
    line.get_by_role("button", name=re.compile("^Delete")).click()
    page.get_by_role("button", name="Delete it").click()
    expect(page.get_by_test_id("taken-away")).to_contain_text("Harbour swell was deleted")
    page.get_by_role("button", name="Bring Harbour swell back").press("Enter")
    expect(page.get_by_test_id("practices").get_by_role("row").nth(1)).to_contain_text("Harbour swell")


def test_a_practice_goes_on_through_a_kill_of_the_server(page, server):
    page.goto("/practice?begin=true&script=Harbour%20swell&market=KELP&timeframe=15m")
    begin(page, Pace="36000")
    url = page.url
    expect(page.get_by_test_id("clock")).to_contain_text("since")
    server.kill()
    server.start()
    page.goto(url)
    expect(page.get_by_test_id("clock")).to_contain_text("by the feed")
    before = page.get_by_test_id("clock").inner_text()
    expect(page.get_by_test_id("clock")).not_to_have_text(before)
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_role("button", name="Go on")).to_be_visible()


def test_a_feed_at_an_address_that_misbehaves_is_followed_and_its_faults_are_shown(page):
    demo = next(item for item in DEMO_MARKETS if item.settings["symbol"] == "KELP")
    market = MarketSettings(**demo.settings).market("KELP")
    dataset = make_dataset(make_bars(demo)[0], market, Timeframe(15))
    # The bars of after those that are stored: the last ones said again, on later days.
    bars = dataset.bars.take(slice(len(dataset) - 400, None))
    later = make_dataset(replace(bars, time=bars.time + 371 * 86_400), market)
    stand_in = StandIn([later], 0, 0, frozenset({"doubled", "corrected", "late"}))
    server = stand_in.listen(0)
    Thread(target=server.serve_forever, daemon=True).start()
    port = server.socket.getsockname()[1]
    try:
        page.goto("/practice?begin=true&script=Harbour%20swell&market=KELP&timeframe=15m")
        page.get_by_label("Feed", exact=True).select_option("address")
        field = page.get_by_label("Address of the feed")
        expect(page.get_by_role("button", name="Begin the practice")).to_be_disabled()
        field.click()
        page.keyboard.type(f"http://127.0.0.1:{port}", delay=20)
        page.get_by_role("button", name="Begin the practice").click()
        expect(page.get_by_role("alert")).to_contain_text("begins with ws://")
        field.fill(f"ws://127.0.0.1:{port}")
        page.get_by_role("button", name="Begin the practice").click()
        expect(page.get_by_test_id("drift")).to_be_visible()
        Thread(target=stand_in.play, daemon=True).start()
        expect(page.get_by_test_id("troubles")).to_contain_text("corrected")
        expect(page.get_by_test_id("troubles")).to_contain_text("late")
        expect(page.get_by_test_id("events")).to_contain_text("what was decided")
        page.get_by_role("button", name="Stop").click()
    finally:
        stand_in.until.set()
        server.shutdown()


def test_a_basket_is_practised_with_one_of_its_markets_in_view(page):
    """From the trial of the basket on, by keyboard: begun, looked at market by market, paused, found again."""
    page.goto(
        "/trials?face=basket&script=Harbour%20swell&timeframe=1h&markets=%5B%22COGS%22%2C%22BRIN%22%2C%22GLIM%22%5D"
    )
    page.get_by_role("button", name="Practise", exact=True).press("Enter")
    expect(page.get_by_label("One market or a basket")).to_have_value("chosen")
    page.get_by_label("Pace", exact=True).select_option("0")
    page.get_by_role("button", name="Begin the practice").press("Enter")
    expect(page.get_by_test_id("clock")).to_contain_text("the feed has come to its end")
    rows = page.get_by_test_id("practised").get_by_role("row")
    expect(rows).to_have_count(5)  # the head, each market, all of them
    trades = [int(rows.nth(place).get_by_role("cell").nth(2).inner_text()) for place in range(1, 5)]
    assert sum(trades[:3]) == trades[3] == trades_of(page) > 10
    expect(page.get_by_label("Market in view")).to_have_value("BRIN")
    expect(page.get_by_text("What it would do next on BRIN")).to_be_visible()
    expect(page.get_by_test_id("events").locator("b").first).to_have_text(re.compile("^(BRIN|COGS|GLIM)$"))

    # Another market: the hand stays where it was, and it is a step back.
    glim = rows.filter(has_text="GLIM").get_by_role("button")
    rows.filter(has_text="BRIN").get_by_role("button").focus()
    page.keyboard.press("ArrowDown", delay=60)
    page.keyboard.press("ArrowDown", delay=60)
    expect(glim).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_text("What it would do next on GLIM")).to_be_visible()
    expect(glim).to_be_focused()
    expect(glim).to_have_attribute("aria-pressed", "true")
    expect(page).to_have_url(re.compile("market=GLIM"))
    page.reload()
    expect(page.get_by_label("Market in view")).to_have_value("GLIM")
    page.get_by_label("Market in view").select_option("COGS")
    expect(page.get_by_text("What it would do next on COGS")).to_be_visible()
    page.go_back()
    expect(page.get_by_text("What it would do next on GLIM")).to_be_visible()

    page.get_by_role("button", name="All practices").click()
    line = page.get_by_test_id("practices").get_by_role("row").filter(has_text="a basket of 3 markets")
    expect(line).to_contain_text(re.compile(r"in [0-3] of 3"))
    line.get_by_role("button", name="Harbour swell v1").click()
    number = re.search("practice=([0-9]+)", page.url)[1]
    page.goto(f"/practice?practice={number}&market=LAMP")
    expect(page.get_by_role("alert").first).to_contain_text("LAMP is not practised here: BRIN, COGS, GLIM")
    page.get_by_role("button", name="All practices").click()

    # A kept basket by its name; what it is fed by says that rows name their market.
    page.get_by_role("button", name="Begin another").click()
    page.get_by_label("One market or a basket").select_option(label="the basket Quay shares")
    page.get_by_label("Feed", exact=True).select_option("file")
    expect(page.get_by_text("rows of market, time, open")).to_be_visible()


def test_an_address_that_names_no_practice_says_so(page):
    page.goto("/practice?practice=9999")
    expect(page.get_by_role("alert").or_(page.get_by_text("there is no practice 9999")).first).to_be_visible()


def test_what_happens_is_sent_to_an_address_that_is_tried_first(page):
    took = []
    listener = Listener(0, took.append, secret="harbour")
    Thread(target=listener.listen, daemon=True).start()
    try:
        page.goto("/practice?begin=true&script=Harbour%20swell&market=KELP&timeframe=5m")
        begin(page, Pace="60")
        field = page.get_by_label("Address of the webhook")
        field.fill("127.0.0.1")
        page.get_by_role("button", name="Send there from now on").click()
        expect(page.get_by_role("alert")).to_contain_text("begins with http://")
        field.fill(listener.url)
        page.get_by_label("Secret of the webhook").fill("another")
        page.get_by_role("button", name="Send there from now on").press("Enter")
        page.get_by_role("button", name="Test", exact=True).click()
        expect(page.get_by_text("✕ the test answered 401")).to_be_visible()
        field.fill(f"{listener.url}here")
        page.get_by_label("Secret of the webhook").fill("harbour")
        page.get_by_role("button", name="Send there from now on").press("Enter")
        page.get_by_role("button", name="Test", exact=True).click()
        expect(page.get_by_text("✓ the test answered 200")).to_be_visible()
        page.get_by_label("Pace", exact=True).select_option("0")
        expect(page.get_by_test_id("clock")).to_contain_text("the feed has come to its end")
        expect(page.get_by_test_id("events").get_by_text("webhook ✓").first).to_be_visible()
        assert took[0]["kind"] == "test" and took[1]["strategy"] == "Harbour swell"
        page.get_by_role("button", name="Send no more").click()
        expect(field).to_have_value("")
    finally:
        listener.close()
