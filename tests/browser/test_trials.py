"""The Trials place journey by journey; every number shown is the command line's."""

import csv
import re
import sqlite3
from contextlib import closing

import pytest
from playwright.sync_api import expect

from skelb.core.figures import FIGURE_KEYS
from skelb.core.trials import Cell, Results
from skelb.service.application import Application
from skelb.service.setup import Setup
from skelb.service.trials.orders import TrialOrder
from skelb.store import FILE_NAME
from tests.browser.conftest import all_ran, command_line, done_beyond, on_kelp, start, trial_of
from tests.browser.test_journey import settled, shown
from tests.conftest import DEMO_TEXTS, Server

pytestmark = pytest.mark.xdist_group("browser")
SWELL = "/trials?script=Harbour%20swell"
TEXT = DEMO_TEXTS["Harbour swell"]


def view(page, name):
    page.get_by_role("group", name="View of the runs").get_by_role("button", name=name).click()


def figure(value, digits=2):
    """A number as the page writes it."""
    return f"{value:,.{digits}f}".replace("-", "−")


def test_three_axes_are_swept_sliced_sorted_and_taken_away(page, world, tmp_path):
    page.goto(SWELL)
    page.get_by_label("fast step").fill("12")
    page.get_by_label("slow step").fill("25")
    page.get_by_label("vary sides").check()
    page.get_by_label("sides both").click()
    start(page, "40")
    vary = ("--vary", "fast=4..40:12", "--vary", "slow=20..120:25", "--vary", "sides=long,short", "--min-trades", "5")
    runs = on_kelp(page, world, TEXT, "sweep", *vary)["runs"]
    page.get_by_label("Least number of trades").fill("5")

    # A slice holds one value of the third axis; every sounding is a run of the command line.
    page.get_by_label("Slice of sides").select_option(label="short")
    short = [run for run in runs if run["inputs"]["sides"] == "short"]
    expect(page.locator("[data-cell]")).to_have_count(20)
    numbers = [runs.index(run) for run in short]
    page.locator(f"[data-cell='{numbers[7]}']").click()
    card = page.locator("[data-card=Chosen]")
    expect(card).to_contain_text(f"return / drawdown{figure(short[7]['figures']['return_over_drawdown'])}")
    expect(card).to_contain_text(f"its neighbours{figure(short[7]['neighbourhood'])}")

    # By keyboard along the chart from the chosen run, and through it along every axis.
    page.get_by_test_id("depth-chart").focus()
    page.keyboard.press("ArrowRight")
    expect(card).to_contain_text(f"fast{short[7]['inputs']['fast'] + 12:g}")
    view(page, "Curves")
    along = [run for run in short if run["inputs"]["slow"] == short[7]["inputs"]["slow"]]
    fast = page.get_by_role("application", name=re.compile("over fast"))
    expect(fast.locator("[data-cell]")).to_have_count(4)
    fast.locator(f"[data-cell='{runs.index(along[3])}']").click()
    expect(card).to_contain_text("fast40")
    fast.focus()
    page.keyboard.press("ArrowLeft")
    expect(card).to_contain_text("fast28")
    page.keyboard.press("ArrowLeft")  # the hand stays on the curve while the next ones are read
    expect(card).to_contain_text("fast16")
    expect(fast).to_be_focused()

    # The table: a limit, a sort, the whole as a file.
    view(page, "Table")
    page.get_by_label("Limit", exact=True).fill("30")
    page.get_by_role("button", name="add", exact=True).click()
    kept = [run for run in runs if run["figures"]["trades"] >= 30]
    expect(page.get_by_test_id("matching")).to_have_text(f"{len(kept)} of 40 runs with")
    page.get_by_role("button", name="Net", exact=True).click()
    best = max(kept, key=lambda run: run["figures"]["net_profit"])
    first = page.locator("[data-run]").first
    expect(first).to_have_attribute("data-run", str(runs.index(best)))
    with page.expect_download() as waiting:
        page.get_by_role("link", name="CSV", exact=True).click()
    waiting.value.save_as(tmp_path / "runs.csv")
    with open(tmp_path / "runs.csv") as file:
        rows = list(csv.DictReader(file))
    assert [float(row["net_profit"]) for row in rows] == [run["figures"]["net_profit"] for run in runs]

    # Two objectives, and the front between them.
    view(page, "Front")
    found = on_kelp(page, world, TEXT, "sweep", *vary, "--objective", "return_over_drawdown,max_drawdown")
    expect(page.get_by_test_id("front-count")).to_have_text(f"{len(found['front'])} runs")
    page.get_by_label("Third objective").focus()
    page.get_by_label("Third objective").select_option("win_rate")
    three = on_kelp(page, world, TEXT, "sweep", *vary, "--objective", "return_over_drawdown,max_drawdown,win_rate")
    expect(page.get_by_test_id("front-count")).to_have_text(f"{len(three['front'])} runs")
    expect(page.get_by_label("Third objective")).to_be_focused()
    expect(page.locator("circle[fill='var(--short)']")).to_have_count(len(three["front"]))

    # A run opens as it was: with its sides, and the same net.
    view(page, "Table")
    page.locator("[data-run]").first.click()
    card.get_by_role("button", name="Open as run").click()
    settled(page)
    expect(page.get_by_label("Sides")).to_have_value(best["inputs"]["sides"])
    assert shown(page, "net_profit") == pytest.approx(best["figures"]["net_profit"], abs=0.51)


def test_a_latin_hypercube_leaves_the_rest_unsounded_and_names_what_varies_beyond_inputs(page, world):
    page.goto(SWELL)
    page.get_by_label("vary gate").check()
    page.get_by_label("Which points").select_option(label="a Latin hypercube")
    page.get_by_label("How many points").fill("60")
    start(page, "60")
    vary = ("--vary", "fast", "--vary", "slow", "--vary", "gate", "--draw", "latin", "--runs", "60")
    found = on_kelp(page, world, TEXT, "sweep", *vary)
    sounded = {(run["inputs"]["fast"], run["inputs"]["slow"]) for run in found["runs"]}
    expect(page.locator("[data-cell]")).to_have_count(len(sounded))
    expect(page.get_by_text("not yet sounded", exact=True)).to_be_visible()
    page.get_by_label("vary fast").uncheck()
    page.get_by_label("vary slow").uncheck()
    page.get_by_label("vary gate").uncheck()
    expect(page.get_by_role("button", name="Start", exact=True)).to_be_disabled()
    page.get_by_label("Which points").select_option(label="every combination")
    page.get_by_label("vary timeframe").check()
    page.get_by_label("timeframe 4h").click()
    page.get_by_label("vary market").check()
    page.get_by_label("market BRIN").click()
    start(page, "4")
    view(page, "Table")
    expect(page.locator("[data-run]")).to_have_count(4)
    expect(page.locator("[data-run]").filter(has_text="BRIN")).to_have_count(2)
    page.get_by_label("vary fast").check()
    page.get_by_label("fast step").fill("0")
    expect(page.get_by_role("status").filter(has_text="cannot go from")).to_be_visible()


def test_what_is_held_back_stays_shut_until_asked_and_every_look_is_counted(page, world):
    page.goto(SWELL)
    page.get_by_label("fast step").fill("6")
    page.get_by_label("slow step").fill("25")
    page.get_by_label("What the choice does not see").select_option("60,25,15")
    region = page.get_by_role("region", name="What is kept back")
    expect(region).to_contain_text("out of sample")
    expect(region).to_contain_text(re.compile("locked, [0-9]+ look"))
    start(page, "70")
    vary = ("--vary", "fast=4..40:6", "--vary", "slow=20..120:25", "--split", "60,25,15")
    found = on_kelp(page, world, TEXT, "sweep", *vary)
    view(page, "In / out")
    expect(page.get_by_test_id("rank-correlation")).to_contain_text(
        f"Rank correlation {figure(found['rank_correlation'])}"
    )
    view(page, "Surface")
    run = next(run for run in found["runs"] if run["ranked"])
    page.locator(f"[data-cell='{found['runs'].index(run)}']").click()
    card = page.locator("[data-card=Chosen]")
    expect(card).to_contain_text(f"out of sample{figure(run['outside']['return_over_drawdown'])}")
    page.get_by_label("Which days").select_option(label="out of sample")
    expect(page.get_by_test_id("depth-chart")).to_be_visible()

    # Shut until asked for; the look is counted, and told when the next sweep is planned.
    locked = card.get_by_test_id("held-back")
    before = int(re.search(r"(\d+) look", locked.inner_text())[1])
    locked.get_by_role("button", name="Look at it, counted").click()
    expect(locked).to_contain_text(f"{before + 1} look")
    held = found["held_back"]
    inputs = [f"--set={name}={value:g}" for name, value in run["inputs"].items()]
    alone = on_kelp(page, world, TEXT, "backtest", *inputs, "--from", held["first"], "--to", held["last"])
    expect(locked).to_contain_text(f"held back{figure(alone['figures']['all']['return_over_drawdown'])}")
    page.goto(SWELL)
    page.get_by_label("What the choice does not see").select_option("50,30,20")
    expect(page.get_by_role("region", name="What is kept back")).to_contain_text(f"{before + 1} look")
    page.get_by_label("What the choice does not see").select_option("")
    page.get_by_label("fast step").fill("36")
    page.get_by_label("slow step").fill("100")
    start(page, "4")  # a later result of the script says so, though it keeps nothing back itself
    expect(page.get_by_test_id("looks-ever")).to_contain_text(f"{before + 1} look")

    # What all the trying costs the best one.
    page.goto(SWELL)
    page.get_by_role("list", name="What varies").wait_for()
    page.get_by_role("button", name=re.compile("fast × slow of Harbour swell")).first.click()
    tried = page.get_by_test_id("tried")
    expect(tried).to_contain_text("histories show one this good by luck alone")
    count = int(re.search(r"Of ([\d,]+) settings looked at", tried.inner_text())[1].replace(",", ""))
    assert count >= 20
    for step, more in (("36", 0), ("35", 2)):  # the same four again; two new ones, since it begins at the same place
        page.goto(SWELL)
        page.get_by_label("fast step").fill(step)
        page.get_by_label("slow step").fill("100")
        start(page, "4")
        expect(page.get_by_test_id("tried")).to_contain_text(f"Of {count + more:,} settings looked at")
    tried.get_by_text("The best of all tries").click()
    best = tried.get_by_role("listitem")
    expect(best).to_have_count(10)
    expect(best.first).to_contain_text(re.compile(r"KELP 15m.* of \d"))


def test_a_walk_forward_chooses_and_is_judged_like_the_command_lines(page, world):
    page.goto(f"{SWELL}&face=walk")
    page.get_by_label("fast step").fill("12")
    page.get_by_label("slow step").fill("25")
    page.get_by_label("windows", exact=True).fill("4")
    start(page, "80")
    options = ("--vary", "fast=4..40:12", "--vary", "slow=20..120:25", "--windows", "4")
    found = on_kelp(page, world, TEXT, "walk", *options)
    expect(page.get_by_test_id("walk-sentence")).to_have_text(found["sentence"])
    expect(page.get_by_test_id("overfitting")).to_have_text(found["overfitting"]["sentence"])
    rows = page.get_by_test_id("windows").locator("tbody tr")
    expect(rows).to_have_count(4)
    for row, window in zip(rows.all_inner_texts(), found["windows"], strict=True):
        assert f"{window['outside_figures']['net_profit']:+,.0f}".replace("-", "−") in row
        assert f"{window['chosen']['fast']:g} × {window['chosen']['slow']:g}" in row
    page.get_by_label("Chosen by").select_option(label="the best neighbours")
    by_neighbours = on_kelp(page, world, TEXT, "walk", *options, "--choose", "neighbours")
    expect(page.get_by_test_id("walk-sentence")).to_have_text(by_neighbours["sentence"])

    # All of them end to end are judged whole, and one comes back.
    page.get_by_role("button", name="Report", exact=True).click()
    whole = page.get_by_test_id("sides").locator("[data-figure=net_profit] td").first
    net = float(whole.inner_text().replace(",", "").replace("−", "-"))
    assert net == pytest.approx(by_neighbours["stitched"]["net"], abs=0.51)
    page.reload()
    expect(page.get_by_role("region", name="The rules in plain sentences")).to_contain_text("chosen anew for each")
    page.get_by_role("button", name="Tables").click()
    of_trades, of_equity = (
        item.bounding_box() for item in page.get_by_role("button", name="CSV, decimal commas").all()
    )
    assert of_trades["x"] + of_trades["width"] <= of_equity["x"]  # side by side, not over each other
    with page.expect_download() as saved:
        page.get_by_role("button", name="CSV", exact=True).first.click()
    trades = csv.DictReader(saved.value.path().read_text().splitlines())
    assert sum(float(trade["net"]) for trade in trades) == pytest.approx(by_neighbours["stitched"]["net"])
    page.get_by_role("button", name="Back to the trial").click()
    expect(page.get_by_label("Chosen by")).to_have_value("neighbours")

    # A window's days outside open as a run of their own.
    page.locator("rect.cursor-pointer").first.click()
    settled(page)
    window = by_neighbours["windows"][0]
    assert shown(page, "net_profit") == pytest.approx(window["outside_figures"]["net_profit"], abs=0.51)

    # By length, anchored; windows that do not fit are refused in words.
    page.goto(f"{SWELL}&face=walk")
    page.get_by_label("fast step").fill("12")
    page.get_by_label("slow step").fill("100")
    page.get_by_label("Windows by").select_option(label="of so many days")
    page.get_by_label("Where windows begin").select_option(label="all from the first day")
    page.get_by_label("trading days outside").fill("100")
    start(page, "24")
    expect(page.get_by_test_id("windows").locator("tbody tr")).to_have_count(3)
    page.get_by_label("trading days inside").fill("5000")
    expect(page.get_by_role("status").filter(has_text="do not fit")).to_be_visible()


def studied(world, command, *options):
    """A study does not ask for an account."""
    given = ("--bars", "kelp.csv", "--market", "market.json", "--timeframe", "15m")
    return command_line(world, command, "Harbour swell.skelb", *given, *options)


def test_conditions_and_calendar_are_studied_with_the_command_lines_figures(page, world):
    page.goto(f"{SWELL}&face=study")
    page.get_by_test_id("study").wait_for()
    for row in studied(world, "study")["conditions"]:
        line = page.locator(f"[data-condition='{row['text']}']")
        expect(line).to_contain_text(f"{row['count']:,}")
        expect(line).to_contain_text(f"{row['moves'][-1]:+,.2f}".replace("-", "−"))
    page.get_by_role("button", name="up", exact=True).click()
    calendar = studied(world, "calendar", "--condition", "up")["rows"]
    for row in calendar:
        expect(page.locator(f"[data-when='{row['name']}']")).to_contain_text(f"{row['count']:,}×")
    page.get_by_role("button", name="all bars").click()
    every = studied(world, "calendar")["rows"]
    monday = next(row for row in every if row["name"] == "Monday")
    expect(page.locator("[data-when=Monday]")).to_contain_text(f"{monday['within']:+.2f}".replace("-", "−"))

    bold = {row["name"] for row in every if row["stands_out"]}
    assert set(page.locator("[data-when] th.font-semibold").all_inner_texts()) == bold

    # In another unit, with how often luck does as much.
    page.get_by_label("Unit of moves").select_option("percent")
    for row in studied(world, "study", "--unit", "percent")["conditions"]:
        line = page.locator(f"[data-condition='{row['text']}']")
        expect(line).to_contain_text(f"{row['moves'][-1]:+,.2f}".replace("-", "−"))
        expect(line).to_contain_text(f"{row['p'] * 100:.{1 if row['p'] < 0.1 else 0}f} %")
    page.get_by_label("Unit of moves").select_option("points")

    # Any other condition stands beside those of the script; what is none is told, and the rows stay.
    asked = "rsi(close, 2) < 10"
    page.get_by_label("any other condition").fill(asked)
    page.keyboard.press("Enter")
    own = studied(world, "study", "--condition", asked)["conditions"][0]
    line = page.locator(f"[data-condition='{asked}']")
    expect(line).to_contain_text(f"{own['count']:,}")
    expect(line.get_by_role("img").first).to_have_accessible_name(
        ", ".join(f"{year}: {count:,}" for year, count in own["yearly"].items())
    )
    tuesday = next(r for r in studied(world, "calendar", "--condition", asked)["rows"] if r["name"] == "Tuesday")
    expect(page.locator("[data-when=Tuesday]")).to_contain_text(f"{tuesday['count']:,}×")
    page.get_by_label("any other condition").fill("close")
    page.get_by_role("button", name="study it").click()
    expect(page.get_by_role("alert")).to_contain_text("not a condition")
    expect(page.locator("[data-condition='up']")).to_be_visible()


def test_a_search_ranks_entries_and_makes_one_a_script(page, world):
    inputs = '{"slow":60}'  # an input that is not the script's own goes along
    page.goto(f"{SWELL}&face=search&inputs={inputs}")
    own = page.get_by_role("list", name="of this script").get_by_role("checkbox")
    own.first.wait_for()
    ready = page.get_by_role("list", name="ready-made").get_by_role("checkbox")
    for box in (*own.all(), *ready.all()):
        box.uncheck()
    expect(page.get_by_role("button", name="Start", exact=True)).to_be_disabled()
    own.first.check()
    ready.first.check()
    page.get_by_label("Another condition").fill("rsi(close, 5) > 55 or gate > 90")
    page.get_by_role("button", name="add", exact=True).click()
    page.get_by_label("Split, typed").fill("")
    page.get_by_label("Least number of trades").fill("10")
    start(page, "12")
    asked = ("up", "close > sma(close, 50)", "rsi(close, 5) > 55 or gate > 90")
    given = [item for text in asked for item in ("--condition", text)]
    runs = on_kelp(page, world, TEXT, "search", *given, "--min-trades", "10", "--set", "slow=60")["runs"]
    best = max((run for run in runs if run["ranked"]), key=lambda run: run["figures"]["sharpe"])
    ranked = page.locator("[data-ranked=true]").first
    expect(ranked).to_contain_text(best["label"])
    expect(ranked).to_contain_text(figure(best["figures"]["sharpe"]))
    expect(page.get_by_test_id("tried")).to_contain_text("histories show one this good by luck alone")
    ranked.click()
    page.get_by_role("button", name="Make it a script").click()
    settled(page)
    expect(page.get_by_label("Script", exact=True)).to_have_value(re.compile("Harbour swell: s"))
    assert shown(page, "net_profit") == pytest.approx(best["figures"]["net_profit"], abs=0.51)
    page.goto(f"{SWELL}&face=search")
    page.get_by_label("Another condition").fill("close >")
    page.get_by_role("button", name="add", exact=True).click()
    expect(page.get_by_role("status").filter(has_text="cannot be searched")).to_be_visible()


def test_a_basket_is_run_again_without_some_and_says_so(page, world):
    page.goto(f"{SWELL}&face=basket")
    for symbol in ("KELP", "BRIN", "GRIT"):
        page.get_by_label(f"basket {symbol}").click()
    table = page.get_by_test_id("basket")
    expect(table.locator("[data-market]")).to_have_count(3)
    answer = page.evaluate(
        """async () => { const scripts = await (await fetch('/api/scripts')).json(); const start = await (await fetch('/api/start')).json();
        const text = scripts.find(item => item.title === 'Harbour swell').versions.at(-1).text;
        const body = JSON.stringify({ setup: { text, market: 'KELP', timeframe: '15m', account: start.account, basket: ['KELP', 'BRIN', 'GRIT'] }, dropped: ['GRIT'] });
        return (await fetch('/api/basket', { method: 'POST', headers: { 'content-type': 'application/json' }, body })).json(); }"""
    )
    page.get_by_label("GRIT in the basket").uncheck()
    page.get_by_role("button", name="Run again without GRIT").click()
    expect(page.locator("[data-finding=markets_dropped]")).to_contain_text("1 of 3 markets")
    expect(table.locator("[data-market=GRIT]")).to_contain_text("left out")
    net = page.get_by_test_id("together").locator("[data-figure=net_profit] td")
    expect(net.nth(1)).to_have_text(f"{answer['figures']['all']['net_profit']:+,.0f}".replace("-", "−"))
    assert net.nth(0).inner_text() != net.nth(1).inner_text()
    page.get_by_label("Beside holding").select_option("QUAY12")
    expect(page.get_by_test_id("held")).to_contain_text("Holding QUAY12")
    page.get_by_label("KELP in the basket").uncheck()
    page.get_by_label("BRIN in the basket").uncheck()
    expect(page.get_by_text("No market would be left.")).to_be_visible()
    page.reload()  # the address holds the basket
    expect(table.locator("[data-market]")).to_have_count(3)
    page.get_by_test_id("basket").get_by_role("button", name="BRIN", exact=True).click()
    settled(page)
    expect(page.get_by_label("Market", exact=True)).to_have_value("BRIN")


def test_a_script_that_cannot_be_tried_and_a_cluster_that_is_not_there_are_told_calmly(page):
    page.goto("/trials?market=NONE")
    expect(page.get_by_role("alert")).to_contain_text("there is no market")
    page.goto("/trials?trial=9999")
    expect(page.get_by_role("alert")).to_contain_text("there is no trial")
    page.goto(f"{SWELL}&face=walk")
    page.get_by_label("fast step").fill("36")
    page.get_by_label("slow step").fill("100")
    start(page, "24")
    page.goto(f"{SWELL}&trial={trial_of(page.url)}")
    expect(page.get_by_role("alert")).to_contain_text("look for it under “Walk-forward”")
    page.goto(SWELL)
    page.get_by_label("fast step").fill("36")
    page.get_by_label("slow step").fill("100")
    page.get_by_label("Cluster address").fill("tcp://127.0.0.1:9")
    page.get_by_role("button", name="use it").click()
    expect(page.get_by_text("The cluster at tcp://127.0.0.1:9")).to_be_visible()
    page.get_by_role("button", name="Start 4 runs").click()
    expect(page.get_by_role("status").filter(has_text="no cluster at")).to_be_visible()
    page.get_by_label("Cluster address").fill("")
    page.get_by_role("button", name="use threads").click()
    expect(page.get_by_text("2 threads here")).to_be_visible()
    page.get_by_role("button", name="Go on").click()
    all_ran(page, "4")


def test_a_killed_server_keeps_what_ran_and_the_page_goes_on(browser, tmp_path):
    server = Server(tmp_path).start()
    page = browser.new_page(base_url=server.url, viewport={"width": 1280, "height": 800})
    page.context.add_cookies(server.cookies)
    try:
        page.goto(SWELL)
        page.get_by_label("vary guard").check()
        page.get_by_label("slow step").fill("1")
        page.get_by_label("fast step").fill("1")
        page.get_by_role("button", name="Start 71,003 runs").click()
        bar = page.get_by_role("progressbar", name="Runs done")
        expect(page.get_by_role("status").filter(has_text=re.compile(r"runs / s, .+ left"))).to_be_visible()
        done_beyond(page, 60)
        seen = int(bar.get_attribute("aria-valuenow"))
        server.kill()
        with closing(sqlite3.connect(tmp_path / FILE_NAME)) as file, file:
            file.execute("UPDATE market SET settings = '{' WHERE symbol = 'LAMP'")
        server.start()
        page.reload()
        expect(page.get_by_role("note").filter(has_text="The market LAMP cannot be read")).to_be_visible()
        expect(page.get_by_role("status").filter(has_text="interrupted when the program ended")).to_be_visible()
        kept = int(bar.get_attribute("aria-valuenow"))
        assert seen <= kept < 71_003
        page.get_by_role("button", name="Go on").click()
        done_beyond(page, kept)
        page.get_by_role("button", name="Stop").click()
        expect(page.get_by_role("button", name="Go on")).to_be_visible()
        expect(page.get_by_test_id("depth-chart")).to_be_visible()
    finally:
        page.close()
        server.kill()


def test_the_commands_of_the_place_are_in_the_palette(page):
    page.goto(SWELL)
    page.get_by_role("list", name="What varies").wait_for()
    page.keyboard.press("Control+k")
    page.keyboard.type("walk-forward")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("face=walk"))


def test_a_hundred_thousand_runs_are_shown_without_strain(page, server):
    """Figures made up, since only showing them is meant."""
    application = Application(server.home)
    setup = Setup(text=TEXT, market="KELP", timeframe="15m", account=next(iter(application.library.accounts())))
    vary = ["fast=2..326:1", "slow=10..318:1"]
    order = TrialOrder(setup=setup, vary=vary, objective="net_profit", min_trades=0)
    layout = application.trials.layout(order)
    number = application.trials.store.add(order, layout)
    figures = dict.fromkeys(FIGURE_KEYS, 1.0)
    for first in range(0, 80_000, 4_000):
        cells = [
            Cell(point, 0, {**figures, "net_profit": float(point % 309 - 100)}) for point in range(first, first + 4_000)
        ]
        application.trials.store.commit(number, first // 4_000, Results.of(cells), lambda session: None)
    application.close()
    page.goto(f"{SWELL}&trial={number}")
    expect(page.get_by_text(f"80,000 of {layout.total:,} runs").first).to_be_visible()
    page.get_by_label("Objective").select_option("net_profit")
    page.get_by_label("Least number of trades").fill("0")
    sea = page.get_by_test_id("sea")
    box = sea.bounding_box()
    page.mouse.click(box["x"] + box["width"] * 100.5 / 325, box["y"] + box["height"] * (1 - 250.5 / 309))
    card = page.locator("[data-card=Chosen]")
    expect(card).to_contain_text("fast102")
    expect(card).to_contain_text("slow260")
    page.mouse.click(box["x"] + box["width"] - 3, box["y"] + 3)  # not yet sounded: nothing is chosen
    expect(card).to_contain_text("fast102")
    page.get_by_test_id("depth-chart").focus()
    page.keyboard.press("ArrowRight")
    expect(card).to_contain_text("fast103")
    assert page.evaluate("() => document.querySelectorAll('*').length") < 4_000
    view(page, "Table")
    expect(page.locator("[data-run]")).to_have_count(100)
    view(page, "Front")
    expect(page.get_by_test_id("front-count")).to_be_visible()
    assert page.evaluate("() => document.querySelectorAll('circle').length") < 8_000


def test_a_run_opens_in_the_version_it_was_made_with(page):
    text = TEXT.replace("Harbour swell", "Two tides")
    page.goto("/trials")
    for version in (text, text.replace("target 3 R", "target 1 R")):
        page.evaluate(
            "text => fetch('/api/scripts', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ text }) })",
            version,
        )
    page.goto("/trials?script=Two%20tides&version=1&market=KELP&timeframe=15m&x=guard")
    start(page, "19")
    number = trial_of(page.url)
    page.get_by_label("Least number of trades").fill("5")
    page.goto(f"/trials?script=Two%20tides&trial={number}&market=KELP&timeframe=15m")
    page.locator("[data-cell='4']").click()
    card = page.locator("[data-card=Chosen]")
    net = card.locator("div").filter(has_text=re.compile("^net")).locator("dd").inner_text()
    card.get_by_role("button", name="Open as run").click()
    settled(page)
    expect(page.get_by_label("Version", exact=True)).to_have_value("1")
    assert f"{shown(page, 'net_profit'):+,.0f}".replace("-", "−") == net


def test_the_depth_chart_begins_at_the_plateau_and_enter_opens_the_run_it_stands_on(page):
    page.goto(SWELL)
    page.get_by_label("fast step").fill("6")
    page.get_by_label("slow step").fill("20")
    start(page, "42")
    plateau = page.locator("[data-card='The plateau']")
    expect(plateau).to_contain_text(re.compile(r"fast\s*\d+"))
    expect(page.locator("[aria-busy=true]")).to_have_count(0)  # of all runs, not of those before the last
    fast = re.search(r"fast\s*(\d+)", plateau.inner_text())[1]
    sea = page.get_by_test_id("depth-chart")
    sea.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_label("Script", exact=True)).to_have_value("Harbour swell")
    page.get_by_role("tab", name="Inputs").click()
    expect(page.get_by_label("fast, typed")).to_have_value(fast)
