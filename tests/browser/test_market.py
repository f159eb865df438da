"""A market's own page: described in sentences, tried before it is saved, kept runs as they were."""

import json
from dataclasses import replace

import numpy as np
import pytest
from playwright.sync_api import expect

from skelb.demo import DEMO_SCRIPTS
from tests.browser.conftest import command_line
from tests.browser.test_journey import settled
from tests.conftest import wave_bars, write_csv

pytestmark = pytest.mark.xdist_group("browser")


def market(page, symbol="KELP"):
    return page.evaluate(
        "symbol => fetch('/api/markets').then(a => a.json()).then(all => all.find(m => m.symbol === symbol).settings)",
        symbol,
    )


def net_of(*arguments):
    return figures_of(*arguments)["net_profit"]


def figures_of(world, account, settings, bars="KELP=kelp.csv", title="Harbour swell"):
    """The command line's figures of a script on a market as it is described."""
    for name, value in (("own.json", account), ("described.json", settings)):
        (world / name).write_text(json.dumps(value))
    (world / "own.skelb").write_text(next(item.text for item in DEMO_SCRIPTS if item.title == title))
    given = ("--bars", bars, "--market", "described.json", "--account", "own.json", "--timeframe", "15m")
    return command_line(world, "backtest", "own.skelb", *given)["figures"]["all"]


def told(net):
    return f"{net:+,.0f}".replace("-", "−")


def test_a_spread_drawn_by_hour_is_tried_saved_and_leaves_kept_runs_alone(page, world):
    page.goto("/?script=Harbour%20swell&market=KELP&timeframe=15m")
    settled(page)
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("against run")).to_be_visible()
    account = page.evaluate("() => fetch('/api/accounts').then(a => a.json()).then(all => all[0].settings)")
    stored = market(page)
    page.get_by_role("link", name="Markets").click()
    page.get_by_role("button", name="describe it: KELP").click()
    effect = page.get_by_test_id("market-effect")
    expect(effect).to_contain_text(told(net_of(world, account, stored)))
    page.wait_for_url("**/markets?symbol=KELP")

    # Columns are drawn by the pointer, and by arrows; what that makes of a run is seen before anything is stored.
    page.get_by_label("Spread at different hours").select_option("hours")
    columns = page.get_by_test_id("hour-columns")
    columns.scroll_into_view_if_needed()
    box = columns.bounding_box()
    page.mouse.move(box["x"] + box["width"] * 9.5 / 24, box["y"] + box["height"] * 0.5)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 9.5 / 24, box["y"] + box["height"] * 0.15, steps=4)
    page.mouse.up()
    column = page.get_by_label("Spread at 17:00")
    column.press("PageUp")
    column.press("ArrowUp")
    drawn = [float(page.get_by_label(f"Spread at {hour:02d}:00").get_attribute("aria-valuenow")) for hour in range(24)]
    assert (
        drawn[9] > stored["spread"]
        and drawn[17] == pytest.approx(1.6 * stored["spread"])
        and drawn[12] == stored["spread"]
    )
    expect(page.get_by_test_id("market-changes")).to_contain_text("not saved")
    tried = net_of(world, account, {**stored, "spread_by_hour": drawn})
    expect(effect).to_contain_text(f"{told(net_of(world, account, stored))} → {told(tried)}")
    assert market(page) == stored

    # It stays for this tab until it is taken back or saved.
    page.reload()
    expect(effect).to_contain_text(f"→ {told(tried)}")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_test_id("market-changes")).to_have_text("")
    assert market(page) == {**stored, "spread_by_hour": drawn}

    # What it was is a version of it, and can be taken up again.
    page.get_by_label("Take up an earlier description").select_option("1, as it was")
    expect(page.get_by_test_id("market-changes")).to_contain_text("not saved")
    expect(effect).to_contain_text(f"{told(tried)} → {told(net_of(world, account, stored))}")
    page.get_by_role("button", name="Take back").click()
    page.get_by_role("link", name="Workbench").click()
    settled(page)
    expect(page.locator("[data-figure=net_profit]")).to_contain_text(told(tried))
    expect(page.locator("[data-figure=net_profit]")).to_contain_text("(−")  # the pinned run is as it was
    page.evaluate(
        """settings => fetch('/api/markets', {method: 'PUT', headers: {'content-type': 'application/json'},
            body: JSON.stringify({symbol: 'KELP', title: 'Kelp futures', settings})})""",
        stored,
    )


def test_what_a_market_cannot_be_is_said_and_nothing_is_stored(page):
    page.goto("/markets?symbol=LAMP")
    expect(page.get_by_test_id("round-trip")).to_contain_text("A round trip costs")
    page.get_by_label("Session", exact=True).fill("9 to 5")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("is not a range such as 09:00-17:30")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("alert").first).to_contain_text("is not a range such as 09:00-17:30")
    page.get_by_role("button", name="Take back").click()
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(page.get_by_test_id("market-changes")).to_have_text("")
    expect(page.get_by_test_id("odd-level")).to_be_visible()
    page.get_by_label("Zone", exact=True).fill("Nowhere/Town")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("Nowhere/Town is not an Area/City name")
    expect(page.get_by_test_id("odd-level")).to_have_count(0)  # nothing is told of a market that cannot be
    page.get_by_role("button", name="Take back").click()
    expect(page.get_by_test_id("odd-level")).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)
    page.goto("/markets?symbol=NOWHERE")
    expect(page.get_by_role("alert")).to_contain_text("There is no market “NOWHERE”")


def test_bars_tell_their_market_and_what_is_odd_about_them_is_shown(page, tmp_path):
    bars = wave_bars(2000, minutes=15)
    minute = bars.time % 86_400 // 60
    bars = bars.take((minute >= 540) & (minute < 1050) & ((bars.time // 86_400 + 3) % 7 < 5))
    spike, gap = 101, 301
    bars.high[spike] = bars.high.max() + 300
    kept = np.ones(len(bars), np.bool_)
    kept[gap : gap + 3] = False
    page.goto("/markets")
    page.get_by_role("button", name="Import bars").click()
    page.get_by_label("Files of bars").set_input_files(write_csv(tmp_path / "wharf.csv", bars.take(kept)))
    panel = page.locator("form")
    expect(panel.get_by_text("prices end in .00 .25 .50 .75")).to_be_visible()
    expect(panel.get_by_text("no bars between 17:30 and 09:00")).to_be_visible()
    expect(panel.get_by_text("no bars, or next to none, on sat, sun")).to_be_visible()
    page.get_by_label("Spread", exact=True).fill("0.5")
    page.get_by_role("button", name=f"Store {len(bars) - 3:,} bars").click()
    settled(page)
    described = market(page, "WHARF")
    assert {key: described[key] for key in ("tick", "session", "days", "lot_step", "spread")} == {
        "tick": 0.25, "session": "09:00-17:30", "days": "mon-fri", "lot_step": 1.0, "spread": 0.5,
    }  # fmt: skip

    # Its page lists what is odd; a press opens the workbench at the place, on the bars that are stored.
    page.goto("/markets?symbol=WHARF")
    expect(page.get_by_role("region", name="What a trade costs here")).to_contain_text("of the last 15;")
    odd = page.get_by_role("region", name="What is odd about the bars")
    expect(odd.get_by_test_id("odd-gap")).to_contain_text("1 gap inside a session, most: 45 minutes are missing")
    expect(odd.get_by_test_id("odd-spike")).to_contain_text("1 spike, most:")
    expect(odd.get_by_test_id("odd-outside")).to_have_count(0)
    odd.get_by_test_id("odd-spike").locator("summary").press("Enter")
    odd.get_by_test_id("odd-spike").get_by_role("button", name="Show").press("Enter")
    settled(page)
    expect(page.get_by_label("Market", exact=True)).to_have_value("WHARF")
    page.wait_for_function(
        """spike => { const sight = JSON.parse(sessionStorage.getItem('skelb-sight WHARF'));
            return sight.held === spike && sight.from < spike && spike < sight.to; }""",
        arg=int(bars.time[spike]),
    )

    # Another session is tried: what lies outside it is seen before anything is saved.
    page.goto("/markets?symbol=WHARF")
    page.get_by_label("Session", exact=True).fill("09:00-17:00")
    page.keyboard.press("Enter")
    expect(odd.get_by_test_id("odd-outside")).to_contain_text("bars outside the session")

    # More bars of it leave its description alone.
    page.goto("/markets")
    page.get_by_role("button", name="Import bars").click()
    page.get_by_label("Files of bars").set_input_files(tmp_path / "wharf.csv")
    expect(page.get_by_text("stays described as it is")).to_be_visible()
    expect(page.locator("form").get_by_label("Tick", exact=True)).to_have_count(0)
    page.get_by_role("button", name=f"Store {len(bars) - 3:,} bars").click()
    settled(page)
    assert market(page, "WHARF") == described


def test_a_spike_left_out_and_back(page, world):
    bars = wave_bars(2000, minutes=15)
    bars.high[601] = bars.high.max() + 300
    sent = page.request.post("/api/imports?name=buoy.csv", data=write_csv(world / "buoy.csv", bars).read_bytes())
    page.request.post("/api/imports/store", data={"token": sent.json()["token"], "symbol": "BUOY"})
    page.goto("/markets?symbol=BUOY")
    effect = page.get_by_test_id("market-effect")
    page.get_by_label("Script to try it with").select_option("Low water")
    expect(effect).to_contain_text("here at 15m: +")
    expect(page.locator("[aria-busy=true]")).to_have_count(0)
    before = effect.text_content()
    odd = page.get_by_role("region", name="What is odd about the bars")
    spike = odd.get_by_test_id("odd-spike")
    spike.locator("summary").press("Enter")
    spike.get_by_role("button", name="Leave out").last.press("Enter")
    expect(spike).to_have_count(0)
    left_out = odd.get_by_test_id("left-out")
    expect(left_out).to_contain_text("1 bar left out of every run")
    expect(page.locator("[aria-busy=true]")).to_have_count(0)

    # What is taken along is without it: the command line makes the same of that file.
    with page.expect_download() as taken:
        page.get_by_role("link", name="CSV").click()
    taken.value.save_as(world / "less.csv")
    assert taken.value.suggested_filename == "BUOY.csv"
    account = page.evaluate("() => fetch('/api/accounts').then(a => a.json()).then(all => all[0].settings)")
    figures = figures_of(world, account, market(page, "BUOY"), "BUOY=less.csv", "Low water")
    expect(effect).to_contain_text(told(figures["net_profit"]))
    mean = figures["total_costs"] / figures["trades"]
    expect(page.get_by_test_id("trade-costs")).to_contain_text(
        f"Each of its {figures['trades']} trades costs {mean:.2f}"
    )

    # A run in the workbench says what it did without.
    page.goto("/?script=Low%20water&market=BUOY&timeframe=15m")
    settled(page)
    page.get_by_role("button", name="finding", exact=False).click()
    expect(page.get_by_label("Findings")).to_contain_text("1 stored bar was left out by hand.")

    page.goto("/markets?symbol=BUOY")
    left_out.locator("summary").click()
    left_out.get_by_role("button", name="Bring back").last.click()
    expect(left_out).to_have_count(0)
    expect(spike).to_be_visible()
    expect(effect).to_have_text(before)


def test_twelve_files_at_once(page, tmp_path):
    symbols = [f"FLEET{number}" for number in range(1, 10)]
    files = [
        write_csv(tmp_path / f"{symbol.lower()}_15m.csv", wave_bars(300, seed=at)) for at, symbol in enumerate(symbols)
    ]
    long = wave_bars(900)
    files.append(write_csv(tmp_path / "armada 15m 2023.csv", long.take(slice(0, 500))))
    files.append(write_csv(tmp_path / "armada 15m 2024.csv", long.take(slice(480, 900))))
    files.append(write_csv(tmp_path / "armada 1h.csv", wave_bars(100, minutes=60)))
    files.append(tmp_path / "readme.csv")
    files[-1].write_text("nothing,of,use\n1,2,3\n")
    page.goto("/markets")
    page.get_by_role("button", name="Import bars").click()
    page.get_by_label("Files of bars").set_input_files(files)
    store = page.get_by_role("button", name="Store 12 files")
    expect(store).to_be_enabled()
    table = page.get_by_test_id("files")
    row = lambda name: table.locator(f"[data-file='{name}']")  # noqa: E731
    expect(row("readme.csv")).to_contain_text("has no column for time")
    expect(row("armada 15m 2024.csv")).to_contain_text("added to the file before it")
    expect(row("armada 1h.csv")).to_contain_text("a new market: tick 0.25")
    assert not page.evaluate(
        "() => fetch('/api/markets').then(a => a.json()).then(all => all.some(m => m.symbol === 'ARMADA'))"
    )

    # A name is put right, a file is left away, a name is missing; all before anything is stored.
    row("fleet9_15m.csv").get_by_label("Market of fleet9_15m.csv").fill("")
    expect(page.get_by_text("fleet9_15m.csv needs a market.")).to_be_visible()
    expect(store).to_be_disabled()
    row("fleet9_15m.csv").get_by_label("Market of fleet9_15m.csv").fill("FLAGSHIP")
    row("fleet8_15m.csv").get_by_role("checkbox").press("Space")
    page.get_by_role("button", name="Store 11 files").press("Enter")
    expect(page.get_by_role("status").filter(has_text="11 of 13 files are stored.")).to_be_visible()
    expect(row("fleet9_15m.csv")).to_contain_text("stored")
    found = page.evaluate("() => fetch('/api/markets').then(a => a.json())")
    rows = {item["symbol"]: [(part["timeframe"], part["rows"]) for part in item["bars"]] for item in found}
    assert rows["ARMADA"] == [("15m", 900), ("1h", 100)] and rows["FLAGSHIP"] == [("15m", 300)]
    assert "FLEET8" not in rows and "FLEET9" not in rows
    assert market(page, "ARMADA")["tick"] == 0.25

    # Again, with prices that have changed: what differs is told, and which of both stays is chosen.
    high = long.high.copy()
    high[700:703] += 25
    newer = write_csv(tmp_path / "armada 15m 2025.csv", replace(long, high=high).take(slice(600, 900)))
    page.get_by_label("Files of bars").set_input_files([newer, files[0]])
    expect(row("armada 15m 2025.csv")).to_contain_text("0 are new, 297 are there already, 3 differ")
    expect(row("fleet1_15m.csv")).to_contain_text("0 are new, 300 are there already")
    page.get_by_label("What becomes of the bars there are: armada 15m 2025.csv").select_option("correct")
    page.get_by_role("button", name="Store 2 files").click()
    expect(page.get_by_role("status").filter(has_text="2 of 2 files are stored.")).to_be_visible()
    data = page.request.get("/api/markets/export?symbol=ARMADA").text().splitlines()
    assert len(data) == 901 and float(data[701].split(",")[2]) == high[700]


def test_columns_are_mapped_by_a_press_on_their_heads(page, tmp_path):
    bars = wave_bars(400)
    lines = (write_csv(tmp_path / "plain.csv", bars)).read_text().splitlines()
    lines[0] = "Wann,Von,Oben,Unten,Bis,Umsatz"
    odd = tmp_path / "tide_15m.csv"
    odd.write_text("\n".join(lines))
    page.goto("/markets")
    page.get_by_role("button", name="Import bars").click()
    page.get_by_label("Files of bars").set_input_files(odd)
    columns = page.get_by_role("region", name="Columns of the file")
    expect(page.get_by_role("alert")).to_contain_text("has no column for time")
    expect(columns).to_contain_text("No column is time, open, high, low, close yet.")
    for name, role in (("Wann", "time"), ("Von", "open"), ("Oben", "high"), ("Unten", "low"), ("Bis", "close")):
        columns.get_by_label(f"What {name} is").select_option(role)
    columns.get_by_label("What Umsatz is").select_option("close")  # the wrong thing: Bis is none any more
    expect(columns).to_contain_text("kept besides")
    columns.get_by_label("What Bis is").select_option("close")
    columns.get_by_label("What Umsatz is").select_option("volume")
    columns.get_by_role("button", name="Read it so").press("Enter")
    expect(page.get_by_text("time from Wann")).to_be_visible()
    expect(columns).to_have_count(0)
    expect(page.get_by_label("Symbol", exact=True)).to_have_value("TIDE")
    page.get_by_role("button", name="They are others").click()
    columns.get_by_label("What Umsatz is").select_option("")
    columns.get_by_role("button", name="Read it so").click()
    expect(page.get_by_text("no volume column: volume is 0")).to_be_visible()
    page.get_by_role("button", name="Store 400 bars").click()
    settled(page)
    data = page.request.get("/api/markets/export?symbol=TIDE").text().splitlines()
    assert data[0] == '"time","open","high","low","close","volume","Umsatz"' and len(data) == 401
