"""The editor that teaches, driven in the real interface: completion, documentation, tools, differences, the guide."""

import re
import subprocess
import sys

import pytest
from playwright.sync_api import expect

from tests.browser.test_journey import settled, shown, write_script

pytestmark = pytest.mark.xdist_group("browser")

FOREIGN = """// my idea
float quick = ema(close, 12);
slow := sma(close, 26)
up = quick > slow && close > open
x = close[1] - close
if (up) {
"""


@pytest.fixture
def clipboard(page):
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    return lambda: page.evaluate("() => navigator.clipboard.readText()")


def text_of(page):
    return "\n".join(page.locator(".cm-content .cm-line").all_inner_texts())


def tool(page, name):
    page.get_by_role("button", name="Tools", exact=True).click()
    page.get_by_role("menuitem", name=name).click()


def open_script(page, text):
    page.goto("/")
    settled(page)
    write_script(page, text)


def test_completion_writes_whole_forms_with_fields_to_fill(page):
    open_script(page, 'title "Forms"\nup = close > open\n')
    page.keyboard.type("bre")
    expect(page.locator(".cm-tooltip-autocomplete")).to_contain_text("breakeven once")
    page.keyboard.press("Tab")
    expect(page.locator(".cm-content")).to_contain_text("breakeven once 1 R")
    page.keyboard.type("2 R")  # the field is selected: typing fills it
    expect(page.locator(".cm-content")).to_contain_text("breakeven once 2 R")
    page.keyboard.press("Escape")
    page.keyboard.press("End")
    page.keyboard.type("\nx = bollinger(close, 20, 2).up")
    expect(page.locator(".cm-tooltip-autocomplete")).to_contain_text("upper")


def test_f1_opens_a_words_page_beside_the_text_and_in_the_guide(page):
    open_script(page, 'x = efficiency(close, 20)\ndraw x in "E"')
    page.keyboard.press("Control+Home")
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_text("✓ checks clean")).to_be_visible()
    page.keyboard.press("F1")
    words = page.get_by_label("Documentation of the word")
    expect(words).to_contain_text("First known bar")
    expect(words.get_by_role("img")).to_be_visible()
    words.get_by_role("link", name="Open in the guide").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("efficiency")


def test_a_long_foreign_text_gets_a_list_in_order_and_mends_in_one_press(page):
    open_script(page, FOREIGN)
    to_change = page.get_by_label("What to change")
    expect(to_change).to_contain_text("6 things to change, in order")
    lines = [int(found) for found in re.findall(r"line (\d+)", to_change.inner_text())]
    assert lines == sorted(lines) == [1, 2, 3, 4, 5, 6]
    to_change.get_by_role("button", name="Mend the 5 that are sure").click()
    expect(to_change).to_have_count(0)
    expect(page.get_by_text("quick = ema(close, 12)")).to_be_visible()
    assert "up = quick > slow and close > open" in text_of(page)
    page.keyboard.press("Control+z")
    expect(to_change).to_be_visible()
    assert text_of(page).startswith("// my idea")  # undone as one step


def test_a_number_becomes_an_input_and_a_name_another_by_keyboard(page):
    open_script(
        page,
        'title "Keys"\nquick = ema(close, 12)\nup = close crosses above quick\nenter long when up\nexit after 9 bars\n',
    )
    expect(page.get_by_text("✓ checks clean")).to_be_visible()
    page.keyboard.press("Control+Home")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("End")
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Control+.")
    expect(page.get_by_role("menuitem", name="Make this number an input")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator(".cm-content")).to_contain_text("input ema_n = 12 from 6 to 24 step 1")
    page.get_by_role("tab", name="Inputs").click()
    expect(page.get_by_label("ema_n, typed")).to_have_value("12")
    page.get_by_role("tab", name="Text", exact=True).click()
    tool(page, "Write the short rules that mirror the long ones")
    expect(page.locator(".cm-content")).to_contain_text("enter short when down")
    page.locator(".cm-content").click()
    page.keyboard.press("Control+Home")
    for _ in range(2):
        page.keyboard.press("ArrowDown")
    page.keyboard.press("F2")
    page.locator(".cm-panel input").fill("swift")
    page.keyboard.press("Enter")
    expect(page.locator(".cm-content")).to_contain_text("swift = ema(close, ema_n)")
    assert "quick" not in text_of(page)


def test_alerts_of_a_run_are_listed_and_lead_to_their_bars(page):
    swing = "enter long when close crosses above sma(close, 20)\nexit long when close crosses below sma(close, 20)"
    open_script(page, f'{swing}\nalert close crosses above sma(close, 20) "up at {{close}}"\n')
    settled(page)
    tool(page, "Alerts of this run")
    first = page.get_by_label("Alerts", exact=True).get_by_role("button").first
    expect(first).to_contain_text(re.compile(r"up at \d"))
    first.press("Enter")
    expect(page.get_by_role("dialog")).to_be_hidden()
    open_script(page, swing)
    settled(page)
    tool(page, "Alerts of this run")
    expect(page.get_by_role("dialog")).to_contain_text("No alert came up.")
    page.keyboard.press("Escape")


def test_the_strategy_reads_back_and_differences_lead_back(page):
    swing = "enter long when close crosses above sma(close, 20)\nenter short when close crosses below sma(close, 20)"
    open_script(page, f'title "Differences"\n{swing}\n')
    page.keyboard.press("Control+s")
    expect(page.get_by_label("Script", exact=True)).to_have_value("Differences")
    settled(page)
    tool(page, "Read the strategy back")
    sheet = page.get_by_role("dialog")
    expect(sheet).to_contain_text("An opposite entry reverses the position.")
    page.keyboard.press("Escape")
    expect(sheet).to_have_count(0)
    page.get_by_role("button", name="Keep", exact=True).click()
    trades = shown(page, "trades")
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.insert_text("\nmonths jan-jun\n")
    expect(page.locator("[data-change=trades]")).not_to_have_text("(0)")
    tool(page, "What changed since the kept run")
    expect(page.get_by_test_id("differences")).to_contain_text("months jan-jun")
    page.get_by_role("button", name="Go back to its text").click()
    settled(page)
    expect(page.locator("[data-change=trades]")).to_have_text("(0)")
    assert shown(page, "trades") == trades
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.insert_text("\nmonths jan-mar\n")
    page.keyboard.press("Control+s")
    expect(page.get_by_text("saved · v2")).to_be_visible()
    tool(page, "Versions and differences")
    expect(page.get_by_test_id("differences")).to_contain_text("months jan-mar")
    page.get_by_role("button", name="Go back to v1").click()
    expect(page.get_by_role("button", name="Save version")).to_be_visible()
    assert "months" not in text_of(page)


def test_the_strategy_is_taken_away_as_a_file_that_runs(page, tmp_path):
    open_script(
        page, 'title "Taken away"\nup = close > open\nenter long when up\nexit long when not up\nsize 1 units\n'
    )
    settled(page)
    tool(page, "Take away as Python")
    expect(page.get_by_role("textbox", name="taken_away.py")).to_have_value(re.compile("class Strategy:"))
    with page.expect_download() as saved:
        page.get_by_role("button", name="Save taken_away.py").click()
    saved.value.save_as(tmp_path / "taken_away.py")
    rows = ["time,open,high,low,close,volume"]
    rows += [f"2024-01-02T{hour:02}:00:00Z,100,102,99,{101 if hour % 2 else 99.5},5" for hour in range(10, 17)]
    (tmp_path / "bars.csv").write_text("\n".join(rows))
    ended = subprocess.run(
        [sys.executable, "-I", tmp_path / "taken_away.py", tmp_path / "bars.csv"], capture_output=True, text=True
    )
    assert " trades, net " in ended.stdout and ended.returncode == 0
    page.keyboard.press("Escape")
    open_script(page, 'title "Far"\nfar = close from "QUAY12" on 1d\nenter long when close > far\n')
    tool(page, "Take away as Python")
    expect(page.get_by_role("textbox", name="far.py")).to_have_value(re.compile("BARS.csv --from QUAY12=QUAY12.csv"))
    page.keyboard.press("Escape")
    open_script(page, 'title "Summed"\nx = total(k from 1 to 3: (k * close) on 4h)\nenter long when close > x\n')
    tool(page, "Take away as Python")
    expect(page.get_by_role("dialog").get_by_text("line 2")).to_be_visible()


def test_asking_elsewhere_and_back(page, clipboard):
    open_script(page, 'title "Asked"\nup = close > open\nenter long when up\n')
    settled(page)
    tool(page, "Ask elsewhere")
    page.get_by_label("1. What should the script become?").fill("Stop at two percent.")
    page.get_by_role("button", name="Copy the brief").click()
    expect(page.get_by_text(re.compile("^Copied, "))).to_be_visible()
    assert "Stop at two percent." in clipboard() and "crosses above" in clipboard()
    page.get_by_label("The answer").fill(
        'Here it is:\n```\ntitle "Asked"\nup = close > oppen\nenter long when up\nstop 2%\n```\nGood luck.'
    )
    expect(page.get_by_text("✕ 1 error")).to_be_visible()
    page.get_by_role("button", name="Copy what is wrong").click()
    expect(page.get_by_role("button", name="Copied")).to_be_visible()
    assert "Did you mean" in clipboard() and "Good luck" not in clipboard()
    page.get_by_role("button", name="Take it as the new text").click()
    expect(page.get_by_role("button", name="Write open")).to_be_visible()
    page.get_by_role("button", name="Write open").click()
    expect(page.get_by_text("✓ checks clean")).to_be_visible()


def test_a_converted_indicator_is_proven_equal(page):
    page.goto("/?script=Barometer&market=QUAY12&timeframe=1d")
    settled(page)
    tool(page, "Check a conversion")
    expect(page.get_by_role("dialog")).to_contain_text(re.compile(r"✓ equal on all 3,\d+ bars"))
    page.keyboard.press("Escape")
    page.get_by_role("tab", name="Inputs").click()
    page.get_by_label("long_n, typed").fill("35")
    settled(page)
    page.get_by_role("tab", name="Text", exact=True).click()
    tool(page, "Check a conversion")
    expect(page.get_by_role("dialog")).to_contain_text("✕ different on")
    expect(page.get_by_role("dialog").get_by_role("img")).to_be_visible()


def test_the_guide_is_searched_and_its_example_opens_in_the_workbench(page):
    page.goto("/guide")
    page.get_by_label("Search the guide").fill("turning point")
    page.get_by_role("button", name="crest", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_have_text("crest")
    expect(page.get_by_role("img")).to_be_visible()
    page.get_by_role("button", name="Open in the Workbench").click()
    expect(page.get_by_label("Script", exact=True)).to_have_value("crest")
    expect(page.get_by_text("✓ checks clean")).to_be_visible()
    # It is nobody's until it is saved; begun again, it is the same one, and the market is the one that was chosen.
    assert "crest" not in [script["title"] for script in page.request.get("/api/scripts").json()]
    page.goto("/guide?page=function/crest")
    page.get_by_role("button", name="Open in the Workbench").click()
    expect(page.get_by_text("✓ checks clean")).to_be_visible()
    page.goto("/shelf")
    expect(page.get_by_role("rowheader", name="crest")).to_have_count(1)
    expect(page.get_by_role("row", name="crest")).to_contain_text("never saved")
    page.goto("/guide?page=code/S0401")
    expect(page.get_by_role("article")).to_contain_text("prior(highest(…))")


def test_a_link_in_the_guide_leads_to_its_page(page):
    page.goto("/guide?page=howto/search-for-entries")
    page.get_by_label("Search the guide").fill("skelb search")
    page.get_by_role("article").get_by_role("link", name="Trials", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Trials: definitions")
    expect(page.get_by_label("Search the guide")).to_have_value("skelb search")  # the page was not left
    page.get_by_role("button", name="skelb search", exact=True).click()
    expect(page.get_by_role("article")).to_contain_text("--condition TEXT")
    page.go_back()
    expect(page.get_by_role("heading", level=1)).to_have_text("Trials: definitions")


def test_a_used_scripts_inputs_move_and_its_text_is_one_press_away(page):
    page.goto("/?script=Glass%20and%20swell&market=KELP&timeframe=15m")
    settled(page)
    before = shown(page, "trades")
    page.get_by_role("tab", name="Inputs").click()
    page.get_by_label("swell.slow, typed").fill("80")
    expect(page.locator("[data-figure=trades]")).not_to_have_text(re.compile(rf"^{before:g}"))
    page.get_by_role("tab", name="Text", exact=True).click()
    page.locator(".cm-line", has_text="draw swell.quick").click(position={"x": 112, "y": 8})
    page.keyboard.press("F12")
    expect(page.get_by_label("Script", exact=True)).to_have_value("Harbour swell")


OTHER_NOTATION = """// two averages
var n = ask.count(12, "Length")
a = calc.expMean(bars.close, n)
b = movingAverage(bars.close, 48)
if (passes.over(a, b)) { trade.buy(share = 0.2) }
if (passes.under(a, b)) { trade.sell() }
trade.lapse(90, seconds)
"""


def test_a_script_in_another_notation_is_brought_over(page, clipboard):
    open_script(page, 'title "Mine"\nup = close > open\nenter long when up\n')
    tool(page, "Bring over")
    place = page.get_by_role("region", name="Bring over")
    expect(place.get_by_role("button", name="Read it")).to_be_disabled()
    page.evaluate("text => navigator.clipboard.writeText(text)", OTHER_NOTATION)
    page.keyboard.press("Control+V")  # the field has the focus, and a text that comes whole is read at once
    counts = place.get_by_test_id("brought-counts")
    expect(counts).to_have_text(re.compile("4 lines sure, 2 asked, 1 left"))
    lines = place.get_by_role("region", name="Line against line")
    expect(lines).to_contain_text("a = ema(close, n)")
    expect(lines).to_contain_text("`trade.lapse` does nothing that is known here")
    expect(place.get_by_test_id("threads").locator("path")).to_have_count(7)
    ran = place.get_by_test_id("brought-run")
    expect(ran).to_contain_text("It already runs")
    sell = place.get_by_role("group", name=re.compile("sell"))
    expect(lines).to_contain_text("enter short when a crosses below b")
    closes = sell.get_by_role("button", name="closes")
    expect(closes).to_contain_text(re.compile(r"\d+ trades?"))
    counted = re.search(r"([\d,]+) trades?", closes.inner_text())[1]
    closes.focus()
    page.keyboard.press("Enter")
    expect(lines).to_contain_text("exit long when a crosses below b")
    expect(lines).not_to_contain_text("enter short")
    expect(ran.locator("dd").first).to_have_text(counted)  # the choice comes to what it said
    place.get_by_role("button", name="ask again").press("Enter")
    expect(sell.get_by_role("button", name="closes")).to_have_attribute("aria-pressed", "true")

    page.reload()  # what was pasted and answered is there again
    expect(page.locator("[data-testid=soundings][aria-busy=false]")).to_be_visible()
    assert "enter long when up" in text_of(page)  # until it is taken, the own text stays
    tool(page, "Bring over")
    expect(lines).to_contain_text("exit long when a crosses below b")
    expect(place.get_by_role("button", name="Prove it")).to_be_disabled()  # these bars have no column
    place.get_by_role("button", name="Copy what is left").click()
    assert page.evaluate("() => navigator.clipboard.readText()").startswith("# left: trade.lapse(90, seconds)\n#   ")

    place.get_by_role("button", name="Change what was pasted").click()
    field = place.get_by_label("Paste a script in another notation.")
    expect(field).to_have_value(OTHER_NOTATION)
    field.press("Control+Home")
    page.keyboard.type("c = movingAverage(bars.close, 9)\n", delay=10)
    expect(field).to_be_focused()
    place.get_by_role("button", name="Read it").click()
    expect(lines).to_contain_text("c = sma(close, 9)")

    place.get_by_role("button", name="Take it").click()
    expect(place).to_be_hidden()
    expect(page.locator(".cm-content")).to_contain_text("enter long when a crosses above b size 20% of equity")
    expect(page.get_by_text("checks clean")).to_be_visible()
    page.locator(".cm-content").click()
    page.keyboard.press("Control+Z")
    expect(page.locator(".cm-content")).to_contain_text("enter long when up")


def test_what_is_brought_over_is_proved_against_the_columns_of_the_bars(page, clipboard):
    open_script(page, 'title "Mine"\nup = close > open\nenter long when up\n')
    tool(page, "Bring over")
    place = page.get_by_role("region", name="Bring over")
    page.evaluate(
        "text => navigator.clipboard.writeText(text)",
        "quick = movingAverage(close, 10)\nslow = movingAverage(close, 30)\nbarometer = quick - slow\nplot(barometer)",
    )
    page.keyboard.press("Control+V")
    expect(place.get_by_test_id("brought-run")).to_contain_text("rules that enter are not in it")
    place.get_by_label("Market", exact=True).select_option("QUAY12")
    place.get_by_label("Timeframe", exact=True).select_option("1d")
    place.get_by_role("button", name="Prove it").click()
    dialog = page.get_by_role("dialog", name="Check a conversion")
    expect(dialog.get_by_label("Name of the script")).to_have_value("barometer")
    expect(dialog.get_by_role("status")).to_be_visible()
    page.keyboard.press("Escape")
    expect(dialog).to_be_hidden()
    page.keyboard.press("Escape")
    expect(place).to_be_hidden()
