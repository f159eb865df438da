"""A basket made on Markets, taken up in Trials, pruned by cost before any result is seen."""

import json

import pytest
from playwright.sync_api import expect

from skelb.demo import DEMO_MARKETS, DEMO_SCRIPTS, make_bars
from tests.browser.conftest import command_line, start
from tests.conftest import write_csv

pytestmark = pytest.mark.xdist_group("browser")
MARKETS = ("OSC/BRY", "OSC/GUL", "VEL/DOR")


def told(net):
    return f"{net:+,.0f}".replace("-", "−")


def by_command(world, account, *options):
    """The command line's basket of the same markets, from files."""
    (world / "own.json").write_text(json.dumps(account))
    (world / "band.skelb").write_text(next(item.text for item in DEMO_SCRIPTS if item.title == "Lantern band"))
    bars = []
    for demo in DEMO_MARKETS:
        if (symbol := demo.settings["symbol"]) in MARKETS:
            name = symbol.replace("/", "-")
            write_csv(world / f"{name}.csv", make_bars(demo)[0])
            (world / f"{name}.json").write_text(json.dumps(demo.settings))
            bars += ["--bars", f"{symbol}={name}.csv", "--market", f"{name}.json"]
    run = ("backtest", "band.skelb", *bars, "--account", "own.json", "--timeframe", "1h", "--basket")
    return command_line(world, *run, *options)["figures"]["all"]["net_profit"]


def test_a_basket_is_made_run_and_pruned_by_cost(page, world):
    page.goto("/markets")
    shelf = page.get_by_role("region", name="Baskets")
    expect(shelf.locator("[data-basket='Currency pairs']")).to_contain_text("OSC/VEL, OSC/BRY")
    shelf.get_by_role("button", name="New basket").press("Enter")
    page.keyboard.type("Three pairs", delay=40)  # the name has the focus
    form = shelf.get_by_role("form", name="A new basket")
    page.keyboard.press("Enter")
    expect(form).to_contain_text("It holds no market yet.")
    for symbol in MARKETS:
        form.get_by_role("checkbox", name=symbol).press("Space")
    form.get_by_label("Name of the basket").press("Enter")
    expect(form).to_have_count(0)
    row = shelf.locator("[data-basket='Three pairs']")
    expect(row).to_contain_text("OSC/BRY, OSC/GUL, VEL/DOR")

    page.goto("/trials?script=Lantern%20band&market=OSC/BRY&timeframe=1h&face=basket")
    page.get_by_role("button", name="Take Three pairs for basket").press("Enter")
    table, net = page.get_by_test_id("basket"), page.get_by_test_id("together").locator("[data-figure=net_profit] td")
    expect(table.locator("[data-market]")).to_have_count(3)
    account = page.evaluate("() => fetch('/api/accounts').then(a => a.json()).then(all => all[0].settings)")
    expect(net).to_have_text(told(by_command(world, account)))

    # Its trades with their market, and where those of one lie on its price.
    trades = page.get_by_test_id("basket-trades")
    expect(trades.locator("tbody tr")).to_have_count(50)
    page.get_by_label("Trades of", exact=True).select_option("OSC/GUL")
    expect(page.get_by_role("img", name="OSC/GUL: its price")).to_be_visible()
    expect(trades.locator("tbody tr", has_not_text="OSC/GUL")).to_have_count(0)
    assert trades.locator("tbody tr").count() > 0

    # Judged whole, and back.
    page.get_by_role("button", name="Report", exact=True).press("Enter")
    whole = page.get_by_test_id("sides").locator("[data-figure=net_profit] td").first
    expect(whole).to_have_text(told(by_command(world, account)))
    expect(page.locator("[data-by=market]")).to_contain_text("VEL/DOR")
    page.go_back()
    expect(table.locator("[data-market]")).to_have_count(3)

    # A limit that is set before any result is seen; it is there when one comes back.
    page.get_by_label("Whether dear markets are run").select_option("some")
    expect(table.locator("[data-market='VEL/DOR']")).to_contain_text("not run: a round trip costs")
    expect(page.locator("[data-finding=markets_too_dear]")).to_contain_text("VEL/DOR")
    cheap = by_command(world, account, "--dearest", "10")
    expect(net).to_have_text(told(cheap))
    page.reload()
    expect(table.locator("[data-market='VEL/DOR']")).to_contain_text("not run")
    expect(net).to_have_text(told(cheap))

    # Kept and pinned: another limit is seen against it, after a reload too.
    page.get_by_role("button", name="Keep", exact=True).press("Enter")
    expect(page.get_by_text("on a basket of 3 markets at 1h")).to_be_visible()
    page.get_by_label("Whether dear markets are run").select_option("none")
    expect(net).to_have_text([told(cheap), told(by_command(world, account))])
    page.reload()
    expect(net).to_have_text([told(cheap), told(by_command(world, account))])
    page.get_by_label("Whether dear markets are run").select_option("some")
    page.get_by_role("button", name="Against none").click()
    expect(net).to_have_text([told(cheap)])

    # Doubted as one run, with the same limit; each row is the whole basket.
    page.get_by_role("button", name="Doubt", exact=True).click()
    page.get_by_label("One market or a basket").select_option("the basket Three pairs")
    expect(page.get_by_text("where a trade costs at most 10 % of a day's range")).to_be_visible()
    stress = page.get_by_role("region", name="Stress")
    expect(stress.locator("tr", has_text="as it is")).to_contain_text(told(cheap))
    expect(page.get_by_test_id("verdict")).to_contain_text("ask each alone")
    expect(page.get_by_role("region", name="Resampling")).to_contain_text("Final result")
    expect(stress.get_by_label("Another market")).to_have_count(0)

    # Swept as one run: every run of it is the basket, and opens as one.
    page.get_by_role("button", name="Sweep", exact=True).click()
    expect(page.get_by_label("One market or a basket")).to_have_value(":Three pairs")
    expect(page.get_by_label("vary market")).to_have_count(0)
    for name in page.get_by_role("checkbox", name="vary", exact=False).all():
        name.uncheck()
    page.get_by_label("vary sides").check()
    start(page, 3)
    expect(page.get_by_test_id("tried")).to_contain_text("not counted")
    page.get_by_role("button", name="Table", exact=True).click()
    both = page.get_by_test_id("run-table").locator("tr", has_text="both")
    expect(both).to_contain_text(told(cheap))
    both.dblclick()
    expect(page.get_by_role("button", name="Basket", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(net).to_have_text(told(cheap))
    page.go_back()
    expect(page.get_by_test_id("tried")).to_be_visible()
    page.get_by_label("One market or a basket").select_option("the market")
    expect(page.get_by_label("vary market")).to_be_visible()
    page.get_by_role("button", name="Basket", exact=True).click()
    page.get_by_label("The most a trade may cost, percent of a day's range").fill("0")
    page.keyboard.press("Tab")
    expect(page.get_by_role("alert")).to_contain_text("none is left")

    page.goto("/markets")
    row.get_by_role("button", name="Change Three pairs").click()
    page.get_by_label("Name of the basket").fill("Currency pairs")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("there is a basket Currency pairs already")
    page.get_by_label("Name of the basket").fill(
        "A few pairs, all of them with a rather long name that has to break somewhere"
    )
    page.keyboard.press("Enter")
    named = shelf.locator("[data-basket^='A few pairs']")
    expect(named).to_be_visible()
    named.get_by_role("button", name="Delete").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete").click()
    expect(named).to_have_count(0)
    shelf.get_by_role("button", name="Bring", exact=False).click()
    expect(named).to_contain_text("VEL/DOR")
