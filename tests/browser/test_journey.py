"""The whole way in the real interface: bars in, a script mended, trades judged, two inputs swept."""

import json
import re
import zipfile

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import SIZES, command_line, done_beyond, start
from tests.conftest import wave_bars, write_csv

pytestmark = pytest.mark.xdist_group("browser")

SCRIPT = """title "Swell test"
input fast = 6 from 4 to 12 step 2
input slow = 20 from 16 to 28 step 4
quick = ema(close, fast)
calm = ema(close, slow)
draw quick, calm
enter long when quick crosses above calm
enter short when quick crosses under calm
stop 2 * atr(14)
target 2 R
size 20% of equity
"""
FIGURES = (
    "net_profit",
    "return",
    "max_drawdown_percent",
    "return_over_drawdown",
    "profit_factor",
    "win_rate",
    "trades",
    "costs_share",
)


def shown(page, key):
    """A sounding as a number, percent signs and separators taken off."""
    text = page.locator(f"[data-figure={key}]").evaluate(
        "node => document.createTreeWalker(node, NodeFilter.SHOW_TEXT).nextNode().textContent"
    )
    return float(text.replace("−", "-").replace(",", "").replace("%", "").replace("+", "").strip())


def settled(page):
    expect(page.get_by_test_id("soundings")).to_have_attribute("aria-busy", "false")


def write_script(page, text):
    """Type a whole script in the place of the one that is open."""
    page.locator(".cm-content").click()
    page.keyboard.press("Control+a")
    page.keyboard.insert_text(text)


@pytest.mark.parametrize("page", SIZES, indirect=True)
def test_from_a_file_of_bars_to_a_judged_sweep(page, tmp_path):
    bars = write_csv(tmp_path / "harbour.csv", wave_bars(3000, seed=12))
    bars.write_text(bars.read_text() + "2025-01-01T00:00:00Z,1,oops,1,1,1\n")

    # Import: look at what was read, say what it is, store it.
    page.goto("/markets")
    page.get_by_role("button", name="Import bars").click()
    page.get_by_label("Files of bars").set_input_files(bars)
    symbol = f"HARBOUR{page.viewport_size['width']}"
    page.get_by_label("Symbol", exact=True).fill(symbol)
    expect(page.get_by_text("1 row refused")).to_be_visible()
    expect(page.get_by_text("line 3002: the high is not a number")).to_be_visible()
    page.get_by_label("Tick", exact=True).fill("0.25")
    page.get_by_label("Spread", exact=True).fill("0.25")
    page.get_by_role("button", name="Store 3,000 bars").click()
    expect(page.get_by_label("Market", exact=True)).to_have_value(symbol)
    expect(page.get_by_label("Timeframe", exact=True)).to_have_value("15m")
    settled(page)

    # Type a new script in; mend the mistake the page points at.
    title = f"Swell test {page.viewport_size['width']}"
    write_script(page, SCRIPT.replace("Swell test", title))
    expect(page.get_by_text("crosses under is written crosses below")).to_be_visible()
    assert page.locator(".cm-lintRange-error").inner_text() == "under"
    page.get_by_role("button", name="Write below").click()
    expect(page.get_by_text("✓ checks clean")).to_be_visible()
    page.keyboard.press("Control+s")
    expect(page.get_by_label("Script", exact=True)).to_have_value(title)
    settled(page)

    # Trades appear, and the figures are those of the command line for the same input.
    script = tmp_path / "swell.skelb"
    script.write_text(
        page.evaluate(
            "title => fetch('/api/scripts').then(a => a.json()).then(all => all.find(s => s.title === title).versions.at(-1).text)",
            title,
        )
    )
    assert "crosses above calm\nenter short when quick crosses below calm" in script.read_text()
    account = page.evaluate("() => fetch('/api/accounts').then(a => a.json()).then(all => all[0].settings)")
    (tmp_path / "account.json").write_text(json.dumps(account))
    (tmp_path / "market.json").write_text(json.dumps({"symbol": symbol, "tick": 0.25, "spread": 0.25}))
    clean = write_csv(tmp_path / "clean.csv", wave_bars(3000, seed=12))
    common = [str(script), "--bars", str(clean), "--market", "market.json", "--account", "account.json"]
    found = command_line(tmp_path, "backtest", *common)["figures"]["all"]
    assert found["trades"] == shown(page, "trades") > 50
    scales = {"return": 100, "win_rate": 100, "costs_share": 100}
    for key in FIGURES:
        if found[key] is not None:
            assert shown(page, key) == pytest.approx(
                found[key] * scales.get(key, 1), abs=0.51 if key == "net_profit" else 0.051
            ), key

    # Sweep two inputs and open the best cell as a run.
    page.get_by_role("button", name="Sweep").click()
    start(page, "20")
    page.get_by_label("Objective").select_option("net_profit")
    swept = command_line(tmp_path, "sweep", *common, "--vary", "fast", "--vary", "slow", "--objective", "net_profit")
    runs = swept["runs"]
    best = max(range(20), key=lambda i: runs[i]["figures"]["net_profit"])
    page.locator(f"[data-cell='{best}']").click()
    card = page.locator("[data-card=Chosen]")
    expect(card).to_contain_text(f"fast{runs[best]['inputs']['fast']:g}")
    card.get_by_role("button", name="Open as run").click()
    settled(page)
    assert shown(page, "net_profit") == pytest.approx(runs[best]["figures"]["net_profit"], abs=0.51)

    # Pin it, change a number, see the differences; the address alone brings it all back.
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text(re.compile("against run"))).to_be_visible()
    expect(page.locator("[data-change=trades]")).to_have_text("(0)")
    page.get_by_role("tab", name="Inputs").click()
    page.get_by_label("slow, typed").fill("28" if runs[best]["inputs"]["slow"] != 28 else "16")
    expect(page.locator("[data-change=trades]")).not_to_have_text("(0)")
    settled(page)
    net = shown(page, "net_profit")
    change = page.locator("[data-change=net_profit]").inner_text()
    page.reload()
    settled(page)
    assert shown(page, "net_profit") == net
    expect(page.locator("[data-change=net_profit]")).to_have_text(change)


def test_the_demo_opens_computed_and_trades_fly(page):
    page.goto("/")
    settled(page)
    expect(page.get_by_label("Script", exact=True)).to_have_value("Harbour swell")
    assert shown(page, "trades") > 30
    rows = page.get_by_label("List of trades").locator("[role=option]")
    rows.nth(5).click()
    expect(rows.nth(5)).to_have_attribute("aria-selected", "true")
    stamp = rows.nth(5).locator("span").nth(1).inner_text().rsplit(" ", 2)[0]  # day and month
    legend = page.get_by_test_id("chart").locator(".legend").first
    box = page.get_by_test_id("chart").bounding_box()
    page.mouse.move(box["x"] + (box["width"] - 58) / 2, box["y"] + 200)
    expect(legend).to_contain_text(stamp)  # the chart's middle is the day of the trade


@pytest.mark.parametrize("page", SIZES, indirect=True)
def test_keyboard_alone_reaches_trades_and_chart(page):
    page.goto("/")
    settled(page)
    chart = page.get_by_test_id("chart")
    chart.focus()
    page.keyboard.press("p")
    chosen = page.locator("[role=option][aria-selected=true]")
    expect(chosen).to_have_count(1)
    first = chosen.inner_text()
    page.keyboard.press("p")
    expect(chosen).not_to_have_text(first)
    legend = chart.locator(".legend").first
    before = legend.inner_text()
    page.keyboard.press("Home")
    expect(legend).to_contain_text("bars a column")
    assert before != legend.inner_text()
    page.get_by_label("List of trades").focus()
    page.keyboard.press("ArrowDown")
    expect(chosen).to_have_count(1)


def test_wheel_zooms_at_the_pointer_and_drag_pans(page):
    page.goto("/")
    settled(page)
    chart = page.get_by_test_id("chart")
    legend = chart.locator(".legend").first
    box = chart.bounding_box()
    x, y = box["x"] + 300, box["y"] + 250
    page.mouse.move(x, y)
    expect(legend).to_contain_text("close")
    stamp = legend.locator("span").nth(1)
    page.mouse.move(x + 200, y)
    expect(stamp).not_to_have_text("")
    far = stamp.inner_text()
    page.mouse.move(x, y)
    expect(stamp).not_to_have_text(far)
    day = re.compile("^" + re.escape(stamp.inner_text()[:11]))
    page.mouse.wheel(0, -400)
    page.mouse.move(x + 200, y)
    expect(stamp).not_to_have_text(far)  # the bars stand further apart now
    page.mouse.move(x, y)
    expect(stamp).to_have_text(day)  # and the one under the pointer stayed there
    page.mouse.down()
    page.mouse.move(x + 250, y, steps=5)
    page.mouse.up()
    expect(stamp).to_have_text(day)  # it moved along with the hand


def test_a_script_that_never_trades_says_why_and_mistakes_keep_the_old_figures(page):
    page.goto("/")
    settled(page)
    before = shown(page, "net_profit")
    write_script(page, 'title "Never"\nenter long when close > 1000000\nstop 1%\n')
    expect(page.get_by_role("complementary", name="Trades")).to_contain_text("was yes on none")
    write_script(page, 'title "Never"\nenter long when clos > 1\n')
    expect(page.get_by_text("✕ 1 error")).to_be_visible()
    expect(page.get_by_test_id("soundings")).to_have_attribute("aria-busy", "true")
    for _ in range(2):
        page.keyboard.press("Control+z")
    expect(page.get_by_text("✓ checks clean")).to_be_visible()
    settled(page)
    assert shown(page, "net_profit") == before


def test_typed_text_survives_a_reload_until_it_is_saved(page):
    page.goto("/?script=Breakwater")
    settled(page)
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.type("# a thought")
    expect(page.get_by_role("button", name="Save version")).to_be_visible()
    page.reload()
    expect(page.locator(".cm-content")).to_contain_text("# a thought")
    expect(page.get_by_role("button", name="Save version")).to_be_visible()


def test_completion_offers_names_and_fields(page):
    page.goto("/")
    settled(page)
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.type("\nwide = boll", delay=30)
    page.locator(".cm-tooltip-autocomplete li", has_text="bollinger").first.click()
    expect(page.locator(".cm-content")).to_contain_text("bollinger(x, n, f)")
    page.keyboard.press("End")
    page.keyboard.type(".up", delay=30)
    expect(page.locator(".cm-tooltip-autocomplete")).to_contain_text("upper")


def test_pointing_at_a_function_says_what_it_means(page):
    page.goto("/")
    settled(page)
    page.locator(".cm-line", has_text="adx(14)").first.get_by_text("adx", exact=True).first.hover()
    expect(page.locator(".cm-tooltip-hover")).to_contain_text("Wilder")
    expect(page.locator(".cm-tooltip-hover")).to_contain_text("First known bar")


def test_the_shelf_says_who_uses_whom(page):
    page.goto("/shelf")
    using = page.get_by_role("button", name=re.compile("^Open .+, which uses it$")).first
    row = page.get_by_role("row").filter(has=using).first
    used = row.get_by_role("rowheader").get_by_role("button").first.inner_text()
    title = using.inner_text()
    using.press("Enter")
    settled(page)
    expect(page.get_by_label("Script", exact=True)).to_have_value(title)
    expect(page.locator(".cm-content")).to_contain_text(f'use "{used}"')


def test_the_shelf_opens_versions_and_keeps_status(page):
    page.goto("/shelf")
    page.get_by_role("button", name="New script").click()
    settled(page)
    script = page.get_by_label("Script", exact=True)
    expect(script).to_have_value(re.compile("New idea"))
    title = script.input_value()
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("saved · v1")).to_be_visible()
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.type("# second")
    page.get_by_role("button", name="Save version").click()
    expect(page.get_by_label("Version", exact=True)).to_have_value("2")
    page.goto("/shelf")
    page.get_by_label(f"Status of {title}", exact=True).select_option("trusted")
    page.get_by_role("button", name=f"Open v1 of {title}", exact=True).click()
    expect(page.locator(".cm-content")).not_to_contain_text("# second")
    page.goto("/shelf")
    expect(page.get_by_label(f"Status of {title}", exact=True)).to_have_value("trusted")


def test_a_sweep_is_stopped_and_goes_on(page):
    page.goto("/trials?script=Breakwater")
    page.get_by_label("reach step").fill("1")
    page.get_by_label("room step").fill("0.01")
    page.get_by_role("button", name="Start 28,431 runs").click()
    done_beyond(page, 0)
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_role("button", name="Go on")).to_be_visible()
    bar = page.get_by_role("progressbar", name="Runs done")
    done = int(bar.get_attribute("aria-valuenow"))
    assert 0 < done < 28_431
    page.get_by_role("button", name="Go on").click()
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    done_beyond(page, done)
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_role("button", name="Go on")).to_be_visible()


def test_wrong_files_and_addresses_are_answered_calmly(page, tmp_path):
    page.goto("/markets")
    page.get_by_role("button", name="Import bars").click()
    (tmp_path / "odd.csv").write_text("a,b\n1,2\n")
    page.get_by_label("Files of bars").set_input_files(tmp_path / "odd.csv")
    expect(page.get_by_role("alert")).to_contain_text("has no column for time")
    expect(page.get_by_role("alert")).to_contain_text("Nothing was stored")
    page.goto("/?script=Nothing%20here")
    expect(page.get_by_role("alert")).to_contain_text("There is no script")
    page.get_by_role("button", name="Open Harbour swell").click()
    settled(page)
    page.goto("/?market=NONE")
    expect(page.get_by_role("alert").first).to_contain_text("there is no market")
    page.goto("/some/where/else")
    expect(page.get_by_role("navigation")).to_be_visible()


def test_a_new_script_comes_from_an_example_and_is_stored_with_its_first_save(page):
    page.goto("/shelf")
    page.get_by_label("New from an example").select_option("Wait with orders")
    settled(page)
    first_line = page.locator(".cm-content .cm-line").first
    expect(first_line).to_have_text('title "At the edges"')
    page.get_by_role("link", name="Shelf").click()
    unsaved = page.get_by_role("row").filter(has_text="At the edges").filter(has_text="never saved")
    unsaved.get_by_role("button").click()
    settled(page)
    expect(first_line).to_have_text('title "At the edges"')
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("saved · v1")).to_be_visible()
    page.get_by_role("link", name="Shelf").click()
    expect(page.get_by_role("row").filter(has_text="At the edges")).to_have_count(1)
    expect(unsaved).to_have_count(0)


def test_the_shelf_is_taken_away_as_files_and_what_came_back_changed_is_looked_at_first(page, tmp_path):
    page.goto("/shelf")
    files = page.get_by_role("button", name="Files", exact=True)
    files.press("Enter")
    with page.expect_download() as taken:
        page.get_by_role("button", name="Take all away").click()
    taken.value.save_as(tmp_path / "Shelf.zip")
    with zipfile.ZipFile(tmp_path / "Shelf.zip") as archive:
        archive.extractall(tmp_path / "out")
    swell = next(path for path in (tmp_path / "out").iterdir() if 'title "Glow worm"' in path.read_text())
    swell.write_text(swell.read_text() + "# by another hand\n")
    fresh = tmp_path / "out" / "fresh.skelb"
    fresh.write_text('title "Came as a file"\nx = sma(close, 3)\n')

    files.press("Enter")
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="Bring files…").press("Enter")
    chooser.value.set_files([tmp_path / "Shelf.zip", swell, fresh])
    told = page.get_by_role("dialog", name=re.compile("scripts from files"))
    expect(told.locator(f"[data-file='{fresh.name}']")).to_contain_text("new: stored")
    changed = told.locator(f"[data-file='{swell.name}']").filter(has_text="differs")
    expect(changed).to_contain_text("+# by another hand")
    told.get_by_role("button", name="Store it as a new version").press("Enter")
    expect(changed).to_have_count(0)
    expect(told).to_contain_text("stored as a new version")
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Open v2 of Glow worm")).to_be_visible()
    expect(page.get_by_role("button", name="Came as a file", exact=True)).to_be_visible()

    (tmp_path / "none.skelb").write_text("x = 3\n")
    files.press("Enter")
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="Bring files…").press("Enter")
    chooser.value.set_files([tmp_path / "none.skelb"])
    expect(page.get_by_role("alert")).to_contain_text("none.skelb has no title")
