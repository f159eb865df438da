"""The Workbench point by point: trades, sheet, plan builder; what it shows against the command line's numbers."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from skelb.core.bars import Bars, Timeframe
from skelb.service.application import Application
from tests.browser.conftest import KELP, backtest, command_line, start
from tests.browser.test_journey import settled, shown, write_script

pytestmark = pytest.mark.xdist_group("browser")

INDICATOR = """title "Plain signals"
quick = ema(close, 10)
calm = ema(close, 40)
up = quick crosses above calm
down = quick crosses below calm
busy = volume > sma(volume, 20)
draw quick
draw calm
mark close > prior(highest(high, 20)) below "out"
"""


THE_TEXT = "() => [...document.querySelectorAll('.cm-line')].map(line => [...line.childNodes].filter(node => !node.classList?.contains('reading')).map(node => node.textContent).join('')).join('\\n')"


def the_text(page):
    """The text of the editor, without the readings at the ends of its lines."""
    return page.evaluate(THE_TEXT)


# --- trades ------------------------------------------------------------------------------------------------------


def test_trades_are_filtered_summed_and_told_as_the_command_line_has_them(page, world):
    page.goto("/")
    settled(page)
    found = backtest(page, world, (world / "Harbour swell.skelb").read_text())["trades"]
    page.get_by_label("Filter the trades").click()
    page.get_by_label("Side of trades").select_option("short")
    page.get_by_label("Result of trades").select_option("won")
    page.get_by_label("Reason of trades").select_option(label="target")
    own = [t for t in found if t["side"] == "short" and t["net"] > 0 and t["exit_reason"] == "target"]
    expect(page.get_by_test_id("trade-count")).to_have_text(f"{len(own)} of {len(found)}")
    assert own
    expect(page.get_by_test_id("trade-sum")).to_contain_text(
        f"+{sum(t['net'] for t in own):,.0f} in all · {len(own)} won"
    )

    # The one in view is told in a sentence; n goes on among those shown.
    page.get_by_label("Order of trades").select_option("earliest")
    page.locator("[role=option]").first.click()
    told = page.get_by_test_id("trade-sentence")
    trade = own[0]
    expect(told).to_contain_text(f"Trade {trade['number']} Short")
    prices = re.findall(r" at ([\d,.]+) on", told.inner_text())
    assert [float(price.replace(",", "")) for price in prices] == pytest.approx(
        [trade["entry_price"], trade["exit_price"]], abs=0.006
    )
    for part in ( "by target", f"after {trade['bars_held']} bars",
                 f": +{trade['net']:,.0f}", f"best +{trade['best']:,.0f}"):  # fmt: skip
        expect(told).to_contain_text(part)
    if len(own) > 1:
        page.get_by_test_id("chart").focus()
        page.keyboard.press("n")
        expect(told).to_contain_text(f"Trade {own[1]['number']} ")
        page.locator("[role=option]").first.click(modifiers=["Control"])
        expect(page.get_by_test_id("trade-sum")).to_contain_text("2 chosen")
    page.get_by_role("button", name="show all").click()
    expect(page.get_by_test_id("trade-count")).to_have_text(f"{len(found)}")


# --- sheet -------------------------------------------------------------------------------------------------------


def test_rows_of_the_sheet_are_lines_of_the_text(page, world):
    page.goto("/")
    settled(page)
    original = (world / "Harbour swell.skelb").read_text()
    page.get_by_role("tab", name="Sheet").click()
    row = page.get_by_test_id("sheet-row").filter(has=page.get_by_role("textbox", name="Rule target 3 R"))
    before = shown(page, "trades"), shown(page, "net_profit")

    # Switched off it is a comment and the run is without it; switched on everything is as before.
    row.get_by_role("checkbox").click()
    expect(page.locator("[data-figure=net_profit]")).not_to_have_text(f"+{before[1]:,.0f}")
    settled(page)
    off = original.replace("target 3 R", "# off: target 3 R")
    figures = backtest(page, world, off)["figures"]["all"]
    assert shown(page, "net_profit") == pytest.approx(figures["net_profit"], abs=0.5)
    page.get_by_test_id("sheet-row").filter(has=page.get_by_role("textbox", name="Rule target 3 R")).get_by_role(
        "checkbox"
    ).check()
    expect(page.locator("[data-figure=net_profit]")).to_have_text(f"+{before[1]:,.0f}")

    # Edited by keyboard alone, and one added from the worked examples.
    field = page.get_by_role("textbox", name="Rule target 3 R")
    field.focus()
    page.keyboard.press("Control+a")
    page.keyboard.type("target 2 R")
    page.keyboard.press("Enter")
    expect(page.get_by_role("textbox", name="Rule target 2 R")).to_be_enabled()
    page.get_by_label("Add to Protection").click()
    page.get_by_role("button", name="trail 3 * atr(14)").click()
    expect(page.get_by_role("textbox", name="Rule trail 3 * atr(14)")).to_be_enabled()
    settled(page)
    changed = original.replace("target 3 R", "target 2 R\ntrail 3 * atr(14)")
    figures = backtest(page, world, changed)["figures"]["all"]
    assert (shown(page, "trades"), shown(page, "net_profit")) == pytest.approx(
        (figures["trades"], figures["net_profit"]), abs=0.5
    )
    page.get_by_role("tab", name="Text").click()
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    assert "target 2 R" in the_text(page) and "trail 3 * atr(14)" in the_text(page)
    page.keyboard.press("Control+z")
    expect(page.locator(".cm-content")).not_to_contain_text("trail 3 * atr(14)")


def test_a_row_is_mirrored_to_the_other_side(page):
    page.goto("/")
    settled(page)
    write_script(page, INDICATOR + "enter long when close crosses above calm\nsize 1 units\n")
    settled(page)
    page.get_by_role("tab", name="Sheet").click()
    page.get_by_role("button", name="Mirror for the short side").click()
    expect(page.get_by_role("textbox", name="Rule enter short when close crosses below calm")).to_be_visible()
    page.get_by_test_id("sheet-row").nth(1).get_by_role("button", name="Take it out").click()
    expect(page.get_by_test_id("sheet-row")).to_have_count(2)


# --- plan builder ------------------------------------------------------------------------------------------------


def condition(page, text):
    return page.get_by_test_id("condition").filter(has=page.get_by_text(text, exact=True))


def test_from_an_indicator_to_a_strategy_by_mouse(page, world):
    page.goto("/")
    settled(page)
    write_script(page, INDICATOR)
    page.keyboard.press("Control+s")
    expect(page.get_by_label("Script", exact=True)).to_have_value("Plain signals")
    page.get_by_role("button", name="Make rules").click()
    condition(page, "up").get_by_role("button", name="go long").click()
    condition(page, "down").get_by_role("button", name="leave long").click()
    condition(page, "busy").drag_to(page.get_by_role("region", name="Never enter when"))
    page.get_by_role("button", name="Mirror the long side").click()
    for rule in ("stop 2 * atr(14)", "target 3 R", "size 1 units"):
        page.get_by_role("button", name=rule).click()
    rules = page.get_by_test_id("built-rules")
    for line in (
        "enter long when up\n    and not busy",
        "exit long when down",
        "stop 2 * atr(14)",
        "target 3 R",
        "size 1 units",
    ):
        expect(rules).to_contain_text(line)
    expect(rules).to_contain_text("enter short when down")
    expect(page.get_by_test_id("built-figures")).to_have_attribute("aria-busy", "false")
    built = page.get_by_test_id("built-text").inner_text()
    page.get_by_role("button", name="Make the strategy").click()
    expect(page.get_by_label("Script", exact=True)).to_have_value("Plain signals rules")
    settled(page)
    found = backtest(page, world, built)
    assert shown(page, "trades") == found["figures"]["all"]["trades"] > 20
    assert {trade["side"] for trade in found["trades"]} == {"long", "short"}


def test_rules_from_two_scripts_by_keyboard_alone(page):
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="Make rules").press("Enter")
    page.get_by_label("Add another script").select_option("Low water")
    page.get_by_label("Add another script").select_option("Tide table")  # stands on pips, which KELP does not state
    expect(page.get_by_label("Conditions of Tide table").get_by_role("button").first).to_be_visible()
    condition(page, "quick crosses above calm").get_by_role("button", name="go long").press("Enter")
    condition(page, "still").get_by_role("button", name="not when").press(" ")
    page.get_by_role("button", name="exit after 40 bars").press("Enter")
    expect(page.get_by_test_id("built-rules")).to_contain_text("and not low_2.still")
    expect(page.get_by_test_id("built-text")).to_contain_text('use "Low water" as low_2')
    expect(page.get_by_test_id("built-figures")).to_have_attribute("aria-busy", "false")
    assert shown(page, "trades") > 0
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("built-rules")).to_be_visible()  # a plan that was begun is not thrown away by a key
    page.get_by_role("button", name="Cancel").press("Enter")
    settled(page)
    expect(page.get_by_label("Script", exact=True)).to_have_value("Harbour swell")


# --- inputs ------------------------------------------------------------------------------------------------------


def test_curves_under_the_inputs_are_runs_with_other_values(page, world):
    page.goto("/")
    settled(page)
    page.get_by_role("tab", name="Inputs").click()
    page.get_by_label("Figure of the curves").select_option("net_profit")
    curve = page.get_by_test_id("curve-fast")
    point = curve.locator("circle[data-value='20']")
    point.wait_for()
    original = (world / "Harbour swell.skelb").read_text()
    found = backtest(page, world, original.replace("input fast  = 12", "input fast  = 20"))["figures"]["all"]
    assert float(point.get_attribute("data-y")) == pytest.approx(found["net_profit"])
    point.click()
    expect(page.get_by_label("fast, typed")).to_have_value("20")
    settled(page)
    assert shown(page, "net_profit") == pytest.approx(found["net_profit"], abs=0.5)
    page.locator("#input-fast").press("ArrowRight")
    expect(page.get_by_label("fast, typed")).to_have_value("22")
    page.get_by_label("fast, typed").dblclick()
    expect(page.get_by_label("fast, typed")).to_have_value("12")
    page.get_by_test_id("curve-guard").get_by_role("button", name="sweep guard").click()
    expect(page).to_have_url(re.compile(r"/trials\?.*x=guard"))
    start(page, "19")
    expect(page.locator("[data-cell] circle:not([fill=none])")).to_have_count(
        16
    )  # three have too few trades to be ranked


# --- lanes, levels, lens -----------------------------------------------------------------------------------------


def test_lanes_are_chosen_ordered_and_jumped_along(page, world):
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="Lanes 2 of").click()
    lanes = page.get_by_role("list", name="Lanes")
    lanes.get_by_role("listitem").filter(has_text="strong > gate").get_by_role("checkbox").check()
    lanes.get_by_role("button", name="down: higher").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Lanes 3 of")).to_be_visible()
    names = page.locator("[data-testid=chart] button").all_inner_texts()
    assert names == ["down", "up", "strong > gate"]
    page.reload()
    settled(page)
    assert page.locator("[data-testid=chart] button").all_inner_texts() == names

    # A press on a lane's name holds the next bar on which it turns yes; the text shows it as yes.
    page.get_by_test_id("chart").focus()
    page.keyboard.press("Home")
    page.locator("[role=option]").last.click()
    page.locator("[data-testid=chart] button", has_text=re.compile("^up$")).click()
    note = page.get_by_test_id("bar-note")
    expect(note).to_be_visible()
    asked = note.get_attribute("data-time")
    options = ("--bars", "kelp.csv", "--market", "market.json", "--timeframe", "15m")
    series = command_line(world, "series", "Harbour swell.skelb", *options)
    place = series["time"].index(asked)
    assert series["series"]["up"][place] is True and series["series"]["up"][place - 1] is not True


def test_the_lens_shows_the_finer_bars_and_the_fill_inside(page, world):
    page.goto("/")
    settled(page)
    trades = backtest(page, world, (world / "Harbour swell.skelb").read_text())["trades"]
    page.locator("[role=option]").nth(15).click()
    page.get_by_test_id("chart").focus()
    page.keyboard.press("h")
    note = page.get_by_test_id("bar-note")
    for _ in range(20):  # not every time that `up` turned yes led to an entry
        before = note.get_attribute("data-time")
        page.locator("[data-testid=chart] button", has_text=re.compile("^up$")).click()
        expect(note).not_to_have_attribute("data-time", before)
        if "enters long at the next open" in note.inner_text():
            break
    signal = note.get_attribute("data-time")
    entry = next(trade for trade in trades if trade["entry_time"] > signal)
    page.get_by_test_id("chart").focus()
    page.keyboard.press("l")
    lens = page.get_by_test_id("lens")
    expect(lens).to_contain_text("in 15 bars of 1m")
    expect(lens).to_contain_text("Nothing filled in this bar")
    lens.get_by_role("button", name="Lens on the bar after").click()
    expect(lens).to_contain_text(f"long in at {entry['entry_price']:,.2f} at its open, by up")
    page.get_by_test_id("chart").focus()
    page.keyboard.press("Escape")
    expect(lens).to_have_count(0)


# --- follow ------------------------------------------------------------------------------------------------------


def test_following_hides_the_future_and_ends_at_the_backtest(page, world):
    page.goto("/")
    settled(page)
    whole = shown(page, "trades"), shown(page, "net_profit")
    page.locator("[role=option]").nth(20).click()
    page.get_by_test_id("chart").focus()
    page.keyboard.press("f")
    left = page.get_by_test_id("follow-left")
    expect(left).to_be_visible()
    expect(page.get_by_text("up to this bar")).to_be_visible()
    expect(page.get_by_role("button", name="why so few?")).to_have_count(0)
    settled(page)
    assert shown(page, "trades") < whole[0]
    bar = int(left.get_attribute("data-bar"))
    page.keyboard.press("ArrowRight")
    expect(left).to_have_attribute("data-bar", str(bar + 1))

    # To the next event: what ended there is the newest trade, and the figures are the command line's up to that day.
    before = page.get_by_test_id("trade-count").inner_text()
    for _ in range(3):
        page.keyboard.press("e")
        page.wait_for_timeout(150)
    expect(page.get_by_test_id("trade-count")).not_to_have_text(before)
    page.keyboard.press(" ")
    at = int(left.get_attribute("data-bar"))
    page.wait_for_function(
        "at => Number(document.querySelector('[data-testid=follow-left]').dataset.bar) > at + 2", arg=at
    )
    page.keyboard.press(" ")
    page.keyboard.press("End")
    expect(left).to_have_text("the end")
    settled(page)
    assert (shown(page, "trades"), shown(page, "net_profit")) == whole
    page.keyboard.press("Escape")
    expect(left).to_have_count(0)
    expect(page.get_by_text("finding", exact=False).first).to_be_visible()


# --- compare, steps, why so few ----------------------------------------------------------------------------------


def test_steps_of_the_strategy_are_undone_and_redone(page):
    page.goto("/")
    settled(page)
    first = shown(page, "net_profit")
    page.get_by_role("tab", name="Inputs").click()
    page.get_by_label("slow, typed").fill("60")
    expect(page.locator("[data-figure=net_profit]")).not_to_have_text(f"+{first:,.0f}")
    settled(page)
    second = shown(page, "net_profit")
    page.wait_for_timeout(1600)  # a step of its own, not one movement with the next
    page.get_by_role("tab", name="Sheet").click()
    page.get_by_test_id("sheet-row").filter(has=page.get_by_role("textbox", name="Rule target 3 R")).get_by_role(
        "checkbox"
    ).click()
    expect(page.locator("[data-figure=net_profit]")).not_to_have_text(f"+{second:,.0f}")
    settled(page)
    page.get_by_role("button", name="Steps", exact=True).click()
    steps = page.get_by_role("list", name="Steps").get_by_role("button")
    expect(steps).to_have_count(3)
    expect(steps.nth(0)).to_contain_text("as it was opened")
    expect(steps.nth(1)).to_contain_text("slow to 60")
    expect(steps.nth(2)).to_contain_text("# off: target 3 R")
    page.keyboard.press("Escape")
    page.keyboard.press("Alt+z")
    expect(page.get_by_role("textbox", name="Rule target 3 R")).to_be_enabled()
    settled(page)
    assert shown(page, "net_profit") == second
    page.get_by_role("button", name="Undo a step").click()
    expect(page.locator("[data-figure=net_profit]")).to_have_text(f"+{first:,.0f}")
    assert "inputs" not in page.url
    page.keyboard.press("Alt+Shift+z")
    page.keyboard.press("Alt+Shift+z")
    expect(page.get_by_role("checkbox", name="target 3 R: on")).not_to_be_checked()
    # At any pace each press is a step: an answer for the step that was left does not lead back to it.
    for pause in (0, 30, 80, 150, 250, 400):
        for press in ("Alt+z", "Alt+z", "Alt+Shift+z", "Alt+Shift+z"):
            page.keyboard.press(press)
            page.wait_for_timeout(pause)
        expect(page.get_by_role("checkbox", name="target 3 R: on")).not_to_be_checked()
        expect(page).to_have_url(re.compile("inputs"))


def test_a_pinned_run_is_seen_against_the_one_of_now(page, world):
    page.goto("/")
    settled(page)
    original = (world / "Harbour swell.skelb").read_text()
    before = backtest(page, world, original)
    after = backtest(page, world, original.replace("input slow  = 48", "input slow  = 60"))
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_test_id("trades-against")).to_contain_text("0 not in the kept run, 0 of its are gone")
    page.get_by_role("tab", name="Inputs").click()
    page.get_by_label("slow, typed").fill("60")
    keys = [{(t["side"], t["entry_time"]) for t in run["trades"]} for run in (before, after)]
    added, gone = len(keys[1] - keys[0]), len(keys[0] - keys[1])
    against = page.get_by_test_id("trades-against")
    expect(against).to_contain_text(f"{added} not in the kept run, {gone} of its are gone")
    change = after["figures"]["all"]["net_profit"] - before["figures"]["all"]["net_profit"]
    expect(page.locator("[data-change=net_profit]")).to_have_text(f"({change:+,.0f})".replace("-", "−"))
    against.get_by_role("button").click()
    expect(page.get_by_test_id("trade-count")).to_have_text(f"{added} of {len(after['trades'])}")
    expect(page.locator(".legend", has_text="pinned")).to_be_visible()
    page.keyboard.press("Control+k")
    page.keyboard.type("what changed")
    page.keyboard.press("Enter")
    every = page.get_by_test_id("every-figure")
    expect(every.locator("[data-difference]")).to_have_count(len(after["figures"]["all"]))
    longest = [run["figures"]["all"]["longest_losing_run"] for run in (before, after)]
    wanted = f"({longest[1] - longest[0]:+,.0f})".replace("-", "−").replace("(+0)", "(0)")
    expect(every.locator("[data-difference=longest_losing_run]")).to_have_text(wanted)


def test_why_so_few_shows_what_each_part_lets_through(page, world):
    page.goto("/")
    settled(page)
    options = ("--bars", "kelp.csv", "--market", "market.json", "--timeframe", "15m")
    series = command_line(world, "series", "Harbour swell.skelb", *options)["series"]
    signals = sum(value is True for value in series["up"])
    page.get_by_role("button", name="why so few?").click()
    long = page.get_by_role("region", name="long")
    expect(long).to_contain_text(f"{signals} signals")
    rows = long.locator(".num").all_inner_texts()
    assert rows[rows.index("and close > swell") + 1] == str(signals)
    page.keyboard.press("Escape")
    expect(long).to_have_count(0)


# --- sentence, marks, palette, keys ------------------------------------------------------------------------------


def test_a_drag_over_the_strip_chooses_the_days_and_the_address_holds_them(page, world):
    page.goto("/")
    settled(page)
    page.get_by_title("From the first day to the last").click()
    strip = page.get_by_test_id("span-strip")
    box = strip.bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.25, box["y"] + 30)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + 30, steps=4)
    page.mouse.up()
    expect(page).to_have_url(re.compile(r"from=2023-07-0\d.*to=2024-03-1\d"))
    settled(page)
    begins, ends = (re.search(rf"{name}=(\d{{4}}-\d\d-\d\d)", page.url)[1] for name in ("from", "to"))
    (world / "tried.skelb").write_text((world / "Harbour swell.skelb").read_text())
    options = ("--bars", "kelp.csv", "--market", "market.json", "--account", "account.json", "--timeframe", "15m")
    backtest(page, world, (world / "Harbour swell.skelb").read_text())  # writes the account
    found = command_line(world, "backtest", "tried.skelb", *options, "--from", begins, "--to", ends)["figures"]["all"]
    assert (shown(page, "trades"), shown(page, "net_profit")) == pytest.approx(
        (found["trades"], found["net_profit"]), abs=0.5
    )
    page.get_by_role("button", name="All of it").click()
    expect(page).not_to_have_url(re.compile("from="))


def test_pass_marks_stand_beside_their_figures(page):
    page.goto("/")
    settled(page)
    for name, mark, key, passed in (
        ("Trades", "1000", "trades", "✕"),
        ("Max drawdown", "50", "max_drawdown_percent", "✓"),
    ):
        page.get_by_role("button", name=name, exact=True).click()
        page.get_by_label(f"Pass mark of {name}").fill(mark)
        page.keyboard.press("Enter")
        expect(page.locator(f"[data-mark={key}]")).to_contain_text(passed)
    page.get_by_role("button", name="Win rate", exact=True).click()
    page.keyboard.type("55", delay=60)
    page.keyboard.press("Enter")
    page.reload()
    page.get_by_role("button", name="Win rate", exact=True).click()
    expect(page.get_by_label("Pass mark of Win rate")).to_have_value("55")
    page.keyboard.press("Escape")
    expect(page.locator("[data-mark=trades]")).to_have_text("✕≥1,000")
    page.get_by_role("button", name="Trades", exact=True).click()
    page.get_by_role("button", name="None").click()
    expect(page.locator("[data-mark=trades]")).to_have_count(0)


def test_every_command_by_name_and_every_key_on_a_card(page):
    page.goto("/")
    settled(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("glow")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Script", exact=True)).to_have_value("Glow worm")
    expect(page.get_by_label("Market", exact=True)).to_have_value("KELP")  # another script keeps the market
    settled(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("follow")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("follow-left")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("?")
    card = page.get_by_role("dialog", name="Keyboard card")
    for keys in ("Alt Z", "n p", "Ctrl K"):
        expect(card).to_contain_text(keys)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+k")
    page.keyboard.type("markets go")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/markets"))


# --- doubt -------------------------------------------------------------------------------------------------------


def test_a_run_is_doubted_with_the_command_lines_figures(page, world):
    page.goto("/")
    settled(page)
    backtest(page, world, (world / "Harbour swell.skelb").read_text())  # writes the account
    page.get_by_role("button", name="Doubt").click()
    verdict = page.get_by_test_id("verdict")
    verdict.wait_for()
    options = KELP
    found = command_line(world, "stress", "tried.skelb", *options)
    assert verdict.locator("li").all_inner_texts() == found["verdict"]
    for row in found["rows"]:
        expect(page.locator(f"[data-stress='{row['name']} trades']")).to_have_text(f"{row['figures']['trades']}")
    drawn = command_line(world, "resample", "tried.skelb", *options)
    row = page.locator("[data-measure=drawdown]")
    expect(row).to_contain_text(f"{drawn['measures']['drawdown']['p95']:,.0f}")
    expect(row).to_contain_text(f"{drawn['places']['drawdown'] * 100:.0f} %")
    assert row.locator("rect").count() == len(drawn["measures"]["drawdown"]["counts"])
    page.get_by_label("How the trades are drawn").select_option("skip")
    page.get_by_label("Share left out").fill("40")
    skipped = command_line(world, "resample", "tried.skelb", *options, "--kind", "skip", "--share", "0.4")
    expect(row).to_contain_text(f"{skipped['measures']['drawdown']['p50']:,.0f}")
    over = skipped["measures"]["over_drawdown"]["p50"]
    expect(page.locator("[data-measure=over_drawdown]")).to_contain_text(f"{over:,.2f}".replace("-", "−"))
    page.get_by_label("Samples", exact=True).press("Control+a")
    page.keyboard.type("300", delay=80)
    page.get_by_label("Seed", exact=True).fill("7")
    asked = ("--kind", "skip", "--share", "0.4", "--samples", "300", "--seed", "7")
    fewer = command_line(world, "resample", "tried.skelb", *options, *asked)["measures"]["drawdown"]
    low, high = fewer["sure"]["p95"]
    expect(row).to_contain_text(f"{fewer['p95']:,.0f}{low:,.0f} … {high:,.0f}")
    page.get_by_label("Another timeframe").select_option("1h")
    expect(page.get_by_role("rowheader", name="KELP 1h")).to_be_visible()
    page.get_by_label("Histories", exact=True).press("Control+a")
    page.keyboard.type("12", delay=80)
    page.get_by_role("button", name="Make them").click()
    made = command_line(world, "histories", "tried.skelb", *options, "--histories", "12")
    expect(page.get_by_test_id("histories-verdict")).to_have_text(made["verdict"])
    histories = page.get_by_label("Made histories").locator("[data-measure=drawdown]")
    expect(histories).to_contain_text(f"{made['measures']['drawdown']['p95']:,.0f}")
    page.get_by_label("When wild and calm days come").select_option("loose")
    expect(page.get_by_test_id("histories-verdict")).to_be_hidden()  # it is of what is set no more
    page.get_by_role("button", name="Make them").click()
    page.get_by_test_id("histories-verdict").wait_for()
    page.get_by_label("reach").fill("2")
    rules = ("--target", "2", "--daily-loss", "5", "--total-loss", "10")
    begun = command_line(world, "challenge", "tried.skelb", *options, *rules)
    low, high = begun["bands"]["passed"]
    told = f"{begun['shares']['passed'] * 100:.1f} %{low * 100:.1f} … {high * 100:.1f} %"
    expect(page.get_by_test_id("challenge")).to_contain_text(told)
    page.get_by_label("reach").fill("0")
    expect(page.get_by_role("alert")).to_contain_text("above 0 percent")


# --- a million bars ----------------------------------------------------------------------------------------------


HOLD_THE_STRESS = """
window.held = true;
const ask = window.fetch;
const hold = () => new TransformStream({
  async transform(piece, out) {
    out.enqueue(piece);
    if (window.held) await new Promise(() => {});
  },
});
window.fetch = async (...asked) => {
  const answer = await ask(...asked);
  return answer.url.endsWith("/stress") ? new Response(answer.body.pipeThrough(hold()), answer) : answer;
};
"""


def test_a_stress_says_how_far_it_is_and_keeps_its_rows_when_stopped(page):
    page.add_init_script(HOLD_THE_STRESS)
    page.goto("/trials?script=Harbour%20swell&face=doubt")
    stress = page.get_by_role("region", name="Stress")
    expect(stress.get_by_role("status")).to_contain_text(" of 1,008 runs")
    expect(stress.get_by_role("rowheader", name="as it is")).to_be_visible()
    stress.get_by_role("button", name="Stop").click()
    expect(stress.get_by_role("status")).to_contain_text("there is no verdict")
    expect(stress.get_by_role("rowheader", name="as it is")).to_be_visible()
    page.evaluate("window.held = false")
    stress.get_by_role("button", name="Run it again").click()
    expect(page.get_by_test_id("verdict")).to_contain_text("at other times")
    expect(stress.get_by_role("status")).to_have_count(0)


def test_a_million_bars_are_shown_in_windows_and_memory_stays_flat(page, server):
    size = 1_000_000
    rng = np.random.default_rng(5)
    close = 1_000 + np.round(np.cumsum(rng.normal(0, 0.05, size)), 2)
    opens = np.concatenate(([1_000.0], close[:-1]))
    high, low = np.maximum(opens, close) + 0.02, np.minimum(opens, close) - 0.02
    time = 1_577_836_800 + np.arange(size, dtype=np.int64) * 60
    application = Application(server.home)
    application.library.save_market(
        "MILLION", "", {"tick": 0.01}, [Bars(Timeframe(1), time, opens, high, low, close, np.ones(size))]
    )
    application.close()
    asked = []
    page.on("websocket", lambda socket: socket.on("framereceived", lambda frame: asked.append(len(frame))))
    page.goto("/?script=Harbour%20swell&market=MILLION&timeframe=1m")
    settled(page)
    chart = page.get_by_test_id("chart")
    chart.focus()
    page.keyboard.press("Home")
    expect(chart).to_contain_text("bars a column")
    heap = "() => { window.gc?.(); return performance.memory.usedJSHeapSize / 1e6 }"
    before = page.evaluate(heap)
    for key in ("+", "+", "+", "PageUp", "-", "PageDown", "+", "+", "PageUp", "ArrowLeft", "-", "-") * 4:
        page.keyboard.press(key)
        page.wait_for_timeout(40)
    for _ in range(36):
        page.keyboard.press("+")
    expect(chart).not_to_contain_text("bars a column")
    page.keyboard.press("h")
    expect(page.get_by_test_id("bar-note")).to_be_visible()
    assert page.evaluate(heap) < before + 60
    windows = asked[asked.index(max(asked)) + 1 :]
    assert windows and max(windows) < 3_000_000  # no window carries more than the screen can show
