"""Nothing stands in the way: what is shown is true, one's place is kept, a save covers nothing unseen, every hand reaches all."""

import json
import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import SIZES, backtest, command_line, start
from tests.browser.test_journey import settled, shown, write_script
from tests.browser.test_workbench import the_text
from tests.conftest import wave_bars, write_csv

pytestmark = pytest.mark.xdist_group("browser")

# A thousand averages, each at every close of forming bars: minutes of work, unless it is stopped.
SLOW = (
    'title "Slow"\nx = total(k from 0 to 999: rsi(close, k + 2) on 4h forming)\nenter long when x > 1\nsize 1 units\n'
)


def standing(page):
    return page.get_by_test_id("standing")


def state_of(page):
    """The address as the page has it: a place and what it shows."""
    return dict(re.findall(r"[?&]([a-z]+)=([^&]*)", page.url))


def tool_bar(page, name):
    page.get_by_role("navigation", name="Places").get_by_role("link", name=name).click()


# --- the truth on the screen -------------------------------------------------------------------------------------


def test_what_is_shown_of_another_text_says_so_until_it_is_stopped_or_overtaken(page):
    page.goto("/")
    settled(page)
    expect(standing(page)).to_have_text(re.compile(r"^answered in \d+ ms$"))
    before = shown(page, "net_profit")
    write_script(page, SLOW)
    expect(standing(page)).to_contain_text(re.compile(r"of the text as it was \d+ s ago · computing, \d+ % · stop"))
    expect(page.get_by_test_id("soundings")).to_have_attribute("aria-busy", "true")
    expect(page.get_by_text("✓ checks clean")).to_be_visible()
    expect(page.get_by_text("answered in")).to_have_count(0)
    assert shown(page, "net_profit") == before  # kept, and said to be old
    page.get_by_role("button", name="stop", exact=True).click()
    expect(standing(page)).to_contain_text("stopped at")
    expect(page.get_by_test_id("soundings")).to_have_attribute("aria-busy", "true")
    page.get_by_role("button", name="compute", exact=True).click()
    expect(standing(page)).to_contain_text("computing")
    page.locator(".cm-content").click()
    page.keyboard.press("Control+z")  # back at the text that was run: a newer question ends the older one's work
    settled(page)
    assert shown(page, "net_profit") == before
    expect(standing(page)).to_contain_text("answered in")


def test_after_a_mistake_everything_is_of_the_last_sound_text(page):
    page.goto("/")
    settled(page)
    trades = shown(page, "trades")
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.type("\nenter long when clos", delay=60)
    expect(standing(page)).to_contain_text(re.compile("of the last sound text, [0-9]+ s ago"))
    assert shown(page, "trades") == trades
    page.keyboard.type("e > open", delay=60)
    settled(page)
    expect(standing(page)).to_contain_text("answered in")
    assert shown(page, "trades") != trades


def test_what_cannot_be_run_says_why_where_the_answer_would_stand(page):
    page.goto("/?market=QUAY12&timeframe=1d&script=Barometer")
    settled(page)
    page.get_by_label("Timeframe", exact=True).select_option("1w")
    settled(page)
    page.goto("/?market=FERY&timeframe=1d&from=2030-01-01&script=Harbour+swell")
    expect(page.get_by_role("alert")).to_contain_text("has no bars from 2030-01-01")
    expect(standing(page)).to_contain_text("this could not be run")
    expect(page.get_by_test_id("soundings")).to_have_attribute("aria-busy", "true")


# --- one's place ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("page", SIZES, indirect=True)
def test_a_visit_elsewhere_and_a_reload_lose_nothing_of_ones_place(page):
    page.goto("/")
    settled(page)
    page.get_by_label("Market", exact=True).select_option("LAMP")
    page.get_by_label("Timeframe", exact=True).select_option("1h")
    page.get_by_label("Sides", exact=True).select_option("long")
    page.get_by_role("tab", name="Inputs").click()
    page.get_by_label("fast, typed").fill("16")
    settled(page)
    page.get_by_test_id("chart").focus()
    page.keyboard.press("Home")
    for _ in range(6):
        page.keyboard.press("+")
    page.keyboard.press("h")
    note = page.get_by_test_id("bar-note")
    page.get_by_role("tab", name="Text", exact=True).click()
    expect(note).to_be_visible()
    held = note.get_attribute("data-time")
    page.get_by_role("tab", name="Inputs").click()
    left, net = state_of(page), shown(page, "net_profit")
    assert left["market"] == "LAMP" and left["face"] == "Inputs" and left["version"] == "1"
    for there in ("Guide", "Trials", "Markets"):
        tool_bar(page, there)
        expect(page).to_have_title(re.compile(f"{there}.* · Skelb"))
        tool_bar(page, "Workbench")
        settled(page)
        assert state_of(page) == left and shown(page, "net_profit") == net
    page.reload()
    settled(page)
    assert state_of(page) == left and shown(page, "net_profit") == net
    page.get_by_role("tab", name="Text", exact=True).click()
    expect(note).to_have_attribute("data-time", held)  # the same bar is held
    page.goto("/")  # and the bare address means the last setup of this browser
    settled(page)
    assert state_of(page) == {key: value for key, value in left.items() if key != "face"}


def test_another_script_or_market_keeps_the_rest_and_back_and_forward_go_through_the_steps(page):
    page.goto("/?script=Harbour+swell&market=FERY&timeframe=1h&from=2023-03-01")
    settled(page)
    page.get_by_label("Script", exact=True).select_option("Rope ladder")
    settled(page)
    found = state_of(page)
    assert (found["market"], found["timeframe"], found["from"]) == ("FERY", "1h", "2023-03-01")
    home = page.get_by_role("button", name="home: LAMP 1h")
    expect(home).to_be_visible()
    home.click()
    settled(page)
    assert state_of(page)["market"] == "LAMP" and "from" not in state_of(page)
    page.get_by_label("Sides", exact=True).select_option("short")
    settled(page)
    page.go_back()
    expect(page.get_by_label("Sides", exact=True)).to_have_value("both")
    page.go_back()
    expect(page.get_by_label("Market", exact=True)).to_have_value("FERY")
    page.go_back()
    expect(page.get_by_label("Script", exact=True)).to_have_value("Harbour swell")
    page.go_forward()
    expect(page.get_by_label("Script", exact=True)).to_have_value("Rope ladder")
    expect(page).to_have_title("Rope ladder on FERY 1h · Workbench · Skelb")
    settled(page)

    # A market opened from its place keeps the script; a timeframe finer than its bars is mended by a press.
    page.get_by_label("Timeframe", exact=True).select_option("5m")
    write_csv_market(page, "COARSE", minutes=60)
    tool_bar(page, "Markets")
    page.get_by_role("button", name="COARSE", exact=True).click()
    expect(page.get_by_label("Script", exact=True)).to_have_value("Rope ladder")
    expect(page.get_by_text("5m bars of COARSE cannot be built from what is stored: 1h.")).to_be_visible()
    page.get_by_role("button", name="Use 1h").click()
    settled(page)
    assert state_of(page)["timeframe"] == "1h"


def write_csv_market(page, symbol, minutes):
    """A market of its own, stored over the interface's own address."""
    bars = wave_bars(800, minutes=minutes)
    rows = "".join(f"{t},{o},{h},{low},{c},{v}\n" for t, o, h, low, c, v in zip(bars.time, bars.open, bars.high, bars.low, bars.close, bars.volume, strict=True))  # fmt: skip
    page.evaluate(
        """async ([symbol, text]) => {
            const read = await (await fetch(`/api/imports?name=${symbol}.csv`, { method: "POST", body: text })).json();
            await fetch("/api/imports/store", { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify({ token: read.token, symbol, settings: { tick: 0.25 } }) });
        }""",
        [symbol, "time,open,high,low,close,volume\n" + rows],
    )


def test_what_an_address_names_and_is_not_there_is_said(page):
    page.goto("/?script=Harbour+swell&version=99&pinned=999&inputs=%7B%22gone%22%3A3%7D")
    settled(page)
    expect(page.get_by_text("There is no version 99 of Harbour swell")).to_be_visible()
    expect(page.get_by_text("there is no kept run 999")).to_be_visible()
    notice = page.get_by_role("note").filter(has_text="This text has no input gone")
    notice.get_by_role("button", name="Leave out").click()
    expect(notice).to_have_count(0)
    page.get_by_role("note").filter(has_text="version 99").get_by_role("button", name="All right").click()
    assert state_of(page)["version"] == "1" and "inputs" not in state_of(page)
    page.goto("/?script=Nowhere")
    expect(page.get_by_text("There is no script “Nowhere”.")).to_be_visible()
    page.goto("/trials?script=Harbour+swell&version=42")
    expect(page.get_by_text("There is no version 42 of Harbour swell")).to_be_visible()


def test_following_keeps_the_moment_when_the_timeframe_changes(page):
    page.goto("/?script=Harbour+swell&market=KELP&timeframe=15m")
    settled(page)
    page.get_by_test_id("chart").focus()
    page.keyboard.press("f")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("follow-left")).to_be_visible()
    note = page.get_by_test_id("bar-note")
    expect(note).to_be_visible()
    before = note.get_attribute("data-time")
    settled(page)
    page.get_by_label("Timeframe", exact=True).select_option("5m")
    settled(page)
    expect(note).to_be_visible()
    expect(note).to_have_attribute("data-time", re.compile(re.escape(before[:10])))
    moved = note.get_attribute("data-time")
    minutes = [int(text[11:13]) * 60 + int(text[14:16]) for text in (before, moved)]
    assert minutes[1] - minutes[0] == 10  # the last 5-minute bar that had closed with the 15-minute one
    page.keyboard.press("Escape")


def test_two_tabs_keep_their_texts_apart_and_a_version_saved_in_one_is_told_in_the_other(page):
    page.goto("/")
    settled(page)
    write_script(page, 'title "Shared"\nx = close\ndraw x\n')
    page.keyboard.press("Control+s")
    expect(page.get_by_text("saved · v1")).to_be_visible()
    address = page.url
    other = page.context.new_page()
    other.goto(address)
    settled(other)
    write_script(other, 'title "Shared"\nx = open\ndraw x\n')
    expect(other.get_by_role("button", name="Save version")).to_be_visible()
    write_script(page, 'title "Shared"\nx = high\ndraw x\n')
    other.reload()
    settled(other)
    assert "x = open" in the_text(other)  # each has its own
    assert "x = high" in the_text(page)
    other.locator(".cm-content").click()
    other.keyboard.press("Control+s")
    expect(other.get_by_text("saved · v2")).to_be_visible()
    told = page.get_by_text("Version 2 of Shared was saved elsewhere")
    expect(told).to_be_visible()
    page.locator(".cm-content").click()
    page.keyboard.press("Control+s")  # on top of what was not looked at: asked first
    asked = page.get_by_role("dialog")
    expect(asked).to_contain_text("got version 2 in another window")
    asked.get_by_role("button", name="Look at the difference").click()
    expect(page.get_by_test_id("differences")).to_contain_text("x = open")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Save as its version 3").click()
    expect(page.get_by_text("saved · v3")).to_be_visible()
    other.close()


# --- saving --------------------------------------------------------------------------------------------------------


def titles(page):
    return page.evaluate("() => fetch('/api/scripts').then(a => a.json()).then(all => all.map(s => s.title))")


def test_a_new_script_is_stored_with_its_first_save_and_trades_to_the_end(page):
    page.goto("/shelf")
    before = titles(page)
    page.get_by_role("button", name="New script").click()
    settled(page)
    assert shown(page, "trades") > 30
    last = page.evaluate("() => document.querySelector('[role=option] .num:nth-child(2)').textContent")
    assert last.endswith("24")  # the last trade is of the last year of the data
    assert titles(page) == before
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.type("# mine", delay=60)
    tool_bar(page, "Shelf")
    row = page.get_by_role("row").filter(has_text="never saved, typed")
    title = row.get_by_role("button").inner_text()
    row.get_by_role("button").click()
    settled(page)
    assert the_text(page).endswith("# mine")
    page.keyboard.press("Control+s")
    page.locator(".cm-content").click()
    page.keyboard.press("Control+s")
    expect(page.get_by_text("saved · v1")).to_be_visible()
    assert set(titles(page)) - set(before) == {title}


def test_a_save_under_another_scripts_title_asks_which(page):
    page.goto("/?script=Breakwater")
    settled(page)
    write_script(page, 'title "Barometer"\nx = close\ndraw x\n')
    page.locator(".cm-content").click()
    page.keyboard.press("Control+s")
    asked = page.get_by_role("dialog")
    expect(asked).to_contain_text("This text has the title of another script")
    page.get_by_label("or under the title").fill("Barometer mine")
    page.get_by_role("button", name="Save so").click()
    expect(page.get_by_label("Script", exact=True)).to_have_value("Barometer mine")
    assert 'title "Barometer mine"' in the_text(page)
    found = page.evaluate(
        "() => fetch('/api/scripts').then(a => a.json()).then(all => all.find(s => s.title === 'Barometer').versions.length)"
    )
    assert found == 1


def test_scripts_markets_runs_and_trials_are_renamed_copied_deleted_and_brought_back(page):
    page.goto("/shelf")
    page.get_by_role("button", name="Duplicate Rope ladder").click()
    expect(page.get_by_role("button", name="Rope ladder copy", exact=True)).to_be_visible()
    page.get_by_role("button", name="Rename Rope ladder copy").click()
    page.get_by_label("Its new title").fill("Step ladder")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Step ladder", exact=True)).to_be_visible()
    page.get_by_role("button", name="Delete Harbour swell").click()
    expect(page.get_by_role("dialog")).to_contain_text("Glass and swell uses it")
    page.get_by_role("button", name="Delete it").click()
    expect(page.get_by_role("button", name="Harbour swell", exact=True)).to_have_count(0)
    tool_bar(page, "Guide")
    tool_bar(page, "Shelf")
    page.get_by_role("button", name="Bring Harbour swell back").click()
    expect(page.get_by_role("button", name="Harbour swell", exact=True)).to_be_visible()

    write_csv_market(page, "GOING", minutes=15)
    page.goto("/markets")
    page.get_by_role("button", name="Delete GOING").click()
    page.get_by_role("button", name="Delete it").click()
    expect(page.get_by_role("button", name="GOING", exact=True)).to_have_count(0)
    page.get_by_role("button", name="Bring GOING back").click()
    expect(page.get_by_role("button", name="GOING", exact=True)).to_be_visible()

    page.goto("/?script=Harbour+swell&market=KELP&timeframe=15m")
    settled(page)
    page.get_by_role("button", name="Keep", exact=True).click()
    against = page.get_by_role("button", name=re.compile("^against run"))
    number = against.inner_text().split()[-1]
    against.click()
    page.get_by_role("button", name=f"Delete run {number}", exact=True).click()
    page.get_by_role("button", name="Delete it").click()
    expect(against).to_have_count(0)

    page.goto("/trials?script=Harbour+swell&market=KELP&timeframe=1h&x=kind")
    start(page, "3")
    trial = state_of(page)["trial"]
    page.get_by_role("button", name=f"Delete trial {trial}", exact=True).click()
    expect(page.get_by_role("dialog")).to_contain_text("go on counting as tries")
    page.get_by_role("button", name="Delete it").click()
    expect(page.get_by_text("Nothing is sounded yet")).to_be_visible()
    page.get_by_role("button", name=f"Bring trial {trial} back").click()
    expect(page.get_by_role("button", name=f"Delete trial {trial}", exact=True)).to_be_visible()


# --- the setup in every sentence -----------------------------------------------------------------------------------


def test_trials_say_and_change_days_account_sides_and_inputs(page):
    page.goto(
        "/?script=Harbour+swell&market=KELP&timeframe=1h&from=2024-01-01&sides=short&inputs=%7B%22guard%22%3A3%7D"
    )
    settled(page)
    page.get_by_role("button", name="Sweep", exact=True).click()
    sentence = page.locator("header").filter(has_text="Sweep")
    for word in ("1 Jan 2024 to 30 Dec 2024", "guard is 3"):
        expect(sentence).to_contain_text(word)
    expect(page.get_by_label("Sides", exact=True)).to_have_value("short")
    expect(page.get_by_role("button", name="Account: Dockside account")).to_be_visible()
    for face in ("Walk-forward", "Signal search", "Study", "Basket", "Doubt"):
        page.get_by_role("button", name=face, exact=True).click()
        expect(page.get_by_label("Sides", exact=True)).to_have_value("short")
        expect(page.locator("header").first).to_contain_text("1 Jan 2024 to 30 Dec 2024")
    page.get_by_label("Sides", exact=True).select_option("inverted")
    page.get_by_role("button", name=re.compile("guard is 3")).click()
    found = state_of(page)
    assert found["inverted"] == "true" and "sides" not in found and "inputs" not in found

    # Any timeframe of the language; spans often asked for; all markets at once; days in the one form there is.
    page.get_by_label("Timeframe", exact=True).select_option("other…")
    page.get_by_label("Timeframe, typed").press_sequentially("600m", delay=80)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Timeframe", exact=True)).to_have_value("10h")
    page.get_by_title("From the first day to the last").click()
    page.get_by_role("button", name="2023", exact=True).click()
    assert state_of(page)["to"] == "2023-12-31"
    day = page.get_by_label("First day")
    expect(day).to_have_value("2 Jan 2023")
    day.fill("5 Feb 2023")
    day.press("Enter")
    assert state_of(page)["from"] == "2023-02-05"
    day.fill("32 Feb 2023")
    day.press("Enter")
    expect(page.get_by_text("a day such as 31 Jan 2024")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_label("Timeframe", exact=True).select_option("4h")
    page.get_by_role("button", name="Basket", exact=True).click()
    page.get_by_role("button", name="Take all for basket").click()
    markets = page.get_by_role("button", name=re.compile("^basket "))
    expect(page.get_by_test_id("basket").get_by_role("row")).to_have_count(markets.count() + 1)


def test_a_desk_keeps_what_was_chosen_while_one_is_away(page):
    page.goto("/trials?script=Harbour+swell&market=KELP&timeframe=1h")
    page.get_by_label("vary slow").uncheck()
    page.get_by_label("vary kind").check()
    page.get_by_label("fast step").fill("12")
    page.get_by_label("Objective").select_option("sharpe")
    expect(page.get_by_role("button", name=re.compile("^Start"))).to_have_text("Start 12 runs")
    tool_bar(page, "Guide")
    tool_bar(page, "Trials")
    expect(page.get_by_label("fast step")).to_have_value("12")
    expect(page.get_by_label("vary slow")).not_to_be_checked()
    expect(page.get_by_label("Objective")).to_have_value("sharpe")
    page.reload()
    expect(page.get_by_label("fast step")).to_have_value("12")


# --- figures and trades --------------------------------------------------------------------------------------------


@pytest.mark.parametrize("page", SIZES, indirect=True)
def test_all_figures_and_the_trades_as_a_table_are_those_of_the_command_line(page, world, tmp_path):
    page.goto("/?script=Harbour+swell&market=KELP&timeframe=15m")
    settled(page)
    text = (world / "Harbour swell.skelb").read_text()
    found = backtest(page, world, text)
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_role("button", name=re.compile("^against run"))).to_be_visible()
    page.get_by_role("button", name="all figures").click()
    sheet = page.get_by_test_id("figures-sheet")
    expect(sheet.get_by_role("row")).to_have_count(len(found["figures"]["all"]) + 1)
    row = sheet.locator("[data-row=trades]").inner_text().split("\t")
    assert [int(row[place]) for place in (1, 3, 5)] == [
        found["figures"][side]["trades"] for side in ("all", "long", "short")
    ]
    sheet.get_by_role("button", name="Largest win").click()
    best = max(found["trades"], key=lambda trade: trade["net"])
    expect(page.get_by_test_id("trade-sentence")).to_contain_text(f"Trade {best['number']} ")
    expect(sheet).to_have_count(0)

    page.keyboard.press("Alt+t")
    table = page.get_by_test_id("trades-table")
    table.get_by_role("button", name="Net", exact=True).click()
    rows = table.locator("tbody tr[data-row]")
    expect(rows.first).to_contain_text(f"+{best['net']:,.0f}")
    sums = [float(cell.replace(",", "").replace("−", "-")) for cell in rows.nth(1).locator("td").all_inner_texts()[-1:]]
    second = sorted(found["trades"], key=lambda trade: -trade["net"])[1]
    assert sums == pytest.approx([best["net"] + second["net"]], abs=0.6)
    with page.expect_download() as saved:
        table.get_by_role("button", name="Save as CSV").click()
    lines = saved.value.path().read_text().splitlines()
    header, first = lines[0].split(","), lines[1].split(",")
    assert len(lines) == len(found["trades"]) + 1
    row = dict(zip(header, first, strict=True))
    for name, key in (("entry_time", "entry_time"), ("exit_time", "exit_time"), ("reason", "exit_reason")):
        assert row[name] == best[key]
    for name, key in (("gross", "gross"), ("commission", "commission"), ("spread", "spread_cost"), ("slippage", "slippage_cost"), ("net", "net"), ("units", "units")):  # fmt: skip
        assert float(row[name]) == pytest.approx(best[key], rel=1e-8)
    table.get_by_role("button", name="by year").click()
    years = {int(trade["exit_time"][:4]) for trade in found["trades"]}
    expect(page.get_by_test_id("trades-by").locator("tbody tr")).to_have_count(len(years))
    page.keyboard.press("Escape")
    expect(table).to_have_count(0)
    expect(page.get_by_test_id("chart")).to_be_focused()

    # A trade's sentence adds up: what lies between the mids, less each cost, is its net.
    said = page.get_by_test_id("trade-sentence").inner_text()
    numbers = re.search(r"between mids ([\d,.]+) and ([\d,.]+): ([+−][\d,]+); (.*?): ([+−][\d,]+)", said)
    gross, net = (float(numbers[at].replace(",", "").replace("−", "-")) for at in (3, 5))
    costs = sum(float(cost.replace(",", "")) for cost in re.findall(r"[a-z]+ ([\d,.]+)", numbers[4]))
    assert gross - costs == pytest.approx(net, abs=2.1)


def test_small_money_shows_its_decimals(page):
    page.goto("/?script=Harbour+swell&market=OSC%2FVEL&timeframe=1h")
    write_script(
        page,
        'title "Small"\nenter long when close > sma(close, 20)\nexit after 5 bars\nsize 1000 units\ndates 2024-03-01 to 2024-03-08\n',
    )
    settled(page)
    assert re.fullmatch(r"[+−]\d\.\d\d", page.locator("[role=option] .num.ml-auto").first.inner_text())


# --- a second chart ------------------------------------------------------------------------------------------------


def test_the_chart_shows_other_bars_with_the_runs_trades_and_the_sentence_stays(page):
    page.goto("/?script=Harbour+swell&market=KELP&timeframe=15m")
    settled(page)
    net = shown(page, "net_profit")
    page.get_by_test_id("chart").focus()
    page.keyboard.press("n")
    page.keyboard.press("h")
    note = page.get_by_test_id("bar-note")
    expect(note).to_be_visible()
    page.keyboard.press("t")
    picker = page.get_by_label("Bars of the chart")
    expect(picker).to_be_focused()
    for timeframe in ("1h", "5m"):
        picker.select_option(timeframe)
        expect(page.locator(".legend").first).to_contain_text("open")
        settled(page)
        assert state_of(page)["chart"] == timeframe and state_of(page)["timeframe"] == "15m"
        expect(page.get_by_label("Timeframe", exact=True)).to_have_value("15m")
        assert shown(page, "net_profit") == net
        page.get_by_test_id("chart").focus()
        page.keyboard.press("n")
        expect(page.get_by_test_id("trade-sentence")).to_be_visible()
    page.go_back()
    expect(picker).to_have_value("1h")
    picker.select_option("")
    expect(picker).to_have_value("")
    assert "chart" not in state_of(page)


# --- for every hand and eye ----------------------------------------------------------------------------------------


def focused(page):
    return page.evaluate("() => document.activeElement === document.body ? 'body' : document.activeElement.textContent.trim().slice(0, 40) || document.activeElement.id")  # fmt: skip


def test_focus_goes_back_to_where_it_was_and_what_is_new_is_told(page):
    page.goto("/?script=Harbour+swell&market=KELP&timeframe=15m")
    settled(page)
    told = page.get_by_test_id("told")
    expect(told).to_contain_text("New results: Net")
    page.get_by_role("button", name="Keep", exact=True).press("Enter")
    expect(told).to_contain_text("is kept")
    assert focused(page) == "Keep"
    findings = page.get_by_role("button", name=re.compile("finding"))
    findings.press("Enter")
    expect(page.get_by_label("Findings")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_label("Findings")).to_have_count(0)
    assert "finding" in focused(page)
    findings.press("Enter")
    page.get_by_test_id("chart").click(position={"x": 200, "y": 200})
    expect(page.get_by_label("Findings")).to_have_count(0)
    page.get_by_role("tab", name="Text", exact=True).focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("tab", name="Sheet")).to_be_focused()
    expect(page.get_by_role("tab", name="Sheet")).to_have_attribute("aria-selected", "true")
    page.get_by_role("listbox", name="List of trades").focus()
    page.keyboard.press("ArrowDown")
    expect(told).to_contain_text("Trade")
    active = page.get_by_role("listbox", name="List of trades").get_attribute("aria-activedescendant")
    expect(page.locator(f"#{active}")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Control+k")
    page.keyboard.type("go to shelf", delay=60)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Shelf")).to_be_visible()
    page.wait_for_function("() => document.activeElement?.id === 'place'")
    page.keyboard.press("Tab")
    assert focused(page) == "New script"


def test_a_skip_link_and_tables_that_are_one_stop(page):
    page.goto("/shelf")
    expect(page.get_by_role("button", name="Barometer", exact=True)).to_be_visible()
    page.keyboard.press("Tab")
    expect(page.get_by_role("link", name="Skip to the place")).to_be_focused()
    page.keyboard.press("Enter")
    page.keyboard.press("Tab")
    assert focused(page) == "New script"
    expect(page.get_by_label("New from an example")).to_be_visible()
    page.keyboard.press("Tab")
    page.keyboard.press("Tab")
    assert focused(page) == "Files"
    page.keyboard.press("Tab")
    first = focused(page)
    page.keyboard.press("ArrowDown")
    assert focused(page) not in (first, "body")
    page.keyboard.press("End")
    page.keyboard.press("Tab")  # one press leaves the whole table
    assert page.evaluate("() => document.activeElement.closest('table') === null")


@pytest.mark.parametrize(("width", "height"), [(640, 400), (1024, 640)])
def test_enlarged_twice_or_on_a_small_screen_columns_stack_and_nothing_is_cut_off(page, width, height):
    page.set_viewport_size({"width": width, "height": height})
    for address in (
        "/?script=Harbour+swell&market=KELP&timeframe=15m",
        "/shelf",
        "/markets",
        "/trials?script=Harbour+swell&market=KELP&timeframe=1h",
    ):
        page.goto(address)
        expect(page.get_by_role("main")).to_be_visible()
        page.wait_for_timeout(600)
        assert page.evaluate("() => document.documentElement.scrollWidth <= window.innerWidth")
        outside = page.evaluate(
            """() => [...document.querySelectorAll('main button, main select')].filter(item => {
                const box = item.getBoundingClientRect();
                if (box.width === 0 || item.closest('.overflow-auto, .overflow-hidden, table')) return false;
                return box.left < 0 || box.right > window.innerWidth + 1;
            }).map(item => item.textContent.slice(0, 30))"""
        )
        assert outside == [], address


def test_a_printed_place_holds_its_whole_chart(page):
    page.goto("/?script=Harbour+swell&market=KELP&timeframe=15m")
    settled(page)
    page.emulate_media(media="print")
    box = page.get_by_test_id("chart").bounding_box()
    inner = page.evaluate("() => Math.max(...[...document.querySelectorAll('[data-testid=chart] canvas')].map(c => c.getBoundingClientRect().bottom))")  # fmt: skip
    assert inner <= box["y"] + box["height"] + 1
    assert page.evaluate("() => getComputedStyle(document.querySelector('nav')).display") == "none"


@pytest.mark.parametrize("page", SIZES, indirect=True)
def test_a_first_time_journey_by_hand(page, tmp_path):
    """An own file, a typed script, a trade verified, saved, changed and compared."""
    write_csv(tmp_path / "quay.csv", wave_bars(2500, seed=21))
    page.goto("/markets")
    page.get_by_role("button", name="Import bars").click()
    page.get_by_label("Files of bars").set_input_files(tmp_path / "quay.csv")
    symbol = f"QUAY{page.viewport_size['width']}"
    page.get_by_label("Symbol", exact=True).fill(symbol)
    page.get_by_label("Tick", exact=True).fill("0.25")
    page.get_by_role("button", name="Store 2,500 bars").click()
    expect(page.get_by_label("Market", exact=True)).to_have_value(symbol)
    tool_bar(page, "Shelf")
    page.get_by_role("button", name="New script").click()
    expect(page.get_by_label("Market", exact=True)).to_have_value(symbol)
    page.locator(".cm-content").click()
    page.keyboard.press("Control+a")
    title = f"First {page.viewport_size['width']}"
    for line in (f'title "{title}"', "input n = 20 from 5 to 60", "up = close crosses above sma(close, n)", "enter long when up", "exit after 6 bars", "size 2 units"):  # fmt: skip
        page.keyboard.type(line, delay=70)
        page.keyboard.press("Enter")
    settled(page)
    trades = shown(page, "trades")
    assert trades > 30
    page.keyboard.press("Control+s")
    expect(page.get_by_label("Script", exact=True)).to_have_value(title)
    (tmp_path / "first.skelb").write_text(the_text(page) + "\n")
    (tmp_path / "market.json").write_text(json.dumps({"symbol": symbol, "tick": 0.25}))
    account = page.evaluate("() => fetch('/api/accounts').then(a => a.text()).then(t => JSON.stringify(JSON.parse(t)[0].settings))")  # fmt: skip
    (tmp_path / "account.json").write_text(account)
    found = command_line(tmp_path, "backtest", "first.skelb", "--bars", "quay.csv", "--market", "market.json", "--account", "account.json")  # fmt: skip
    assert found["figures"]["all"]["trades"] == trades
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_role("tab", name="Inputs").click()
    page.get_by_label("n, typed").fill("30")
    settled(page)
    expect(page.locator("[data-change=trades]")).not_to_have_text("(0)")
