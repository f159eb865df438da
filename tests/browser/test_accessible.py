"""Every place by the rules of axe-core, by day and by night: no violation of WCAG 2 A and AA, none of its best practices."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.browser.test_journey import settled

pytestmark = pytest.mark.xdist_group("browser")

# By night nothing but the colours is another: the other rules would say the same again.
OF_COLOUR = ["color-contrast", "link-in-text-block"]
AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


def workbench(page):
    page.goto("/")
    settled(page)
    page.locator("[role=option]").nth(4).click()
    page.get_by_test_id("chart").focus()
    page.keyboard.press("h")
    page.get_by_test_id("bar-note").wait_for()
    page.get_by_label("Filter the trades").click()


def sheet(page):
    page.goto("/")
    settled(page)
    page.get_by_role("tab", name="Sheet").click()
    page.get_by_label("Add to Protection").click()


def inputs(page):
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_role("tab", name="Inputs").click()
    page.get_by_test_id("curve-fast").locator("circle").nth(3).wait_for()
    page.get_by_role("button", name="Lanes").click()


def follow_and_lens(page):
    page.goto("/")
    settled(page)
    page.get_by_test_id("chart").focus()
    page.keyboard.press("f")
    page.keyboard.press("l")
    page.get_by_test_id("lens").wait_for()


def builder(page):
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="Make rules").click()
    page.get_by_test_id("condition").first.get_by_role("button", name="go long").click()
    page.get_by_test_id("built-figures").wait_for()


def first_minute(page):
    page.goto("/")
    settled(page)
    page.evaluate("() => localStorage.setItem('skelb-voyage', JSON.stringify({ step: 0, done: [], isMet: false }))")
    page.reload()
    page.get_by_role("region", name="The first minute").wait_for()


def first_voyage(page):
    page.goto("/guide")
    page.get_by_role("button", name="Begin").click()
    page.get_by_role("region", name="First voyage").wait_for()
    settled(page)


def taken_away(page):
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="Tools", exact=True).click()
    page.get_by_role("menuitem", name="Take away as Python").click()
    page.get_by_role("textbox", name="harbour_swell.py").wait_for()


def funnel(page):
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="why so few?").click()
    page.get_by_role("region", name="long").wait_for()


def palette(page):
    page.goto("/")
    settled(page)
    page.keyboard.press("Control+k")


def keyboard_card(page):
    page.goto("/")
    settled(page)
    page.get_by_test_id("chart").focus()
    page.keyboard.press("?")


def mistakes(page):
    page.goto("/")
    settled(page)
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.insert_text("\nenter long when quack\n")
    page.get_by_role("status").filter(has_text="quack").wait_for()


def trials(page):
    page.goto("/trials")
    page.get_by_role("heading").first.wait_for()


def doubt(page):
    page.goto("/trials?face=doubt")
    for part in ("verdict", "resampled", "challenge"):
        page.get_by_test_id(part).wait_for()


def swept(page):
    page.goto("/trials?script=Harbour%20swell")
    page.get_by_label("fast step").fill("12")
    page.get_by_label("slow step").fill("25")
    page.get_by_label("Split, typed").fill("50,30,20")
    page.get_by_role("button", name="Start 40 runs").click()
    page.get_by_test_id("tried").wait_for()
    page.locator("[data-cell]").first.click()


def swept_table(page):
    swept(page)
    page.get_by_role("group", name="View of the runs").get_by_role("button", name="Table").click()
    page.locator("[data-run]").first.wait_for()


def walked(page):
    page.goto("/trials?face=walk&script=Harbour%20swell")
    page.get_by_label("fast step").fill("12")
    page.get_by_label("slow step").fill("50")
    page.get_by_role("button", name="Start 72 runs").click()
    page.get_by_test_id("windows").locator("tbody tr").nth(5).wait_for()


def searched(page):
    page.goto("/trials?face=search&script=Harbour%20swell")
    page.get_by_role("button", name=re.compile("Start [0-9]+ runs")).click()
    page.get_by_test_id("tried").wait_for()


def studied(page):
    page.goto("/trials?face=study&script=Harbour%20swell")
    page.locator("[data-condition]").first.wait_for()
    page.locator("[data-when]").first.wait_for()


def basket(page):
    page.goto('/trials?face=basket&markets=["BRIN","GRIT"]')
    page.get_by_test_id("together").wait_for()


def markets(page):
    page.goto("/markets")
    page.get_by_role("heading").first.wait_for()


def market(page):
    page.goto("/markets?symbol=KELP")
    expect(page.get_by_test_id("round-trip")).to_be_visible()
    page.get_by_label("Spread at different hours").select_option("hours")
    page.get_by_label("Whose commission").select_option("own")
    expect(page.locator("[aria-busy=false] [data-testid=round-trip]")).to_be_visible()


def account(page):
    workbench(page)
    page.get_by_role("button", name="Account: ").click()
    page.get_by_label("Slippage", exact=True).fill("2")
    page.get_by_role("button", name="Save as…").click()


def shelf(page):
    page.goto("/shelf")
    page.get_by_role("heading").first.wait_for()


def guide(page):
    page.goto("/guide")
    page.get_by_role("heading").first.wait_for()


def report(page):
    page.goto("/report?script=Harbour%20swell&market=KELP&timeframe=15m")
    page.get_by_role("button", name="Run it without each line").click()
    page.get_by_test_id("worth").locator("tbody tr").nth(5).wait_for()
    page.get_by_role("button", name="Tables").click()


def logbook(page):
    two_kept(page)
    page.goto("/logbook")
    page.get_by_test_id("log").locator("[data-run]").nth(1).wait_for()
    page.get_by_role("button", name="Tags and note of run", exact=False).first.click()


def compare(page):
    first, second = two_kept(page)
    page.goto(f"/logbook?compare=[{first},{second}]")
    page.get_by_test_id("every").wait_for()


def two_kept(page):
    page.goto("/?script=Harbour%20swell&market=KELP&timeframe=15m")
    settled(page)
    return page.evaluate(
        """async () => {
            const [scripts, start] = await Promise.all(
                ['/api/scripts', '/api/start'].map(way => fetch(way).then(answer => answer.json())));
            const text = scripts.find(item => item.title === 'Harbour swell').versions.at(-1).text;
            const keep = sides => fetch('/api/runs', {method: 'POST', headers: {'content-type': 'application/json'},
                body: JSON.stringify({setup: {text, market: 'KELP', timeframe: '15m', account: start.account, sides}})})
                .then(answer => answer.json()).then(run => run.number);
            return [await keep('both'), await keep('long')]; }"""
    )


def practice(page):
    basket = "&together=true&markets=%5B%22BRIN%22%2C%22COGS%22%5D"
    page.goto(f"/practice?begin=true&script=Harbour%20swell&timeframe=1h{basket}")
    page.get_by_label("Pace", exact=True).select_option("0")
    page.get_by_role("button", name="Begin the practice").click()
    page.get_by_test_id("events").get_by_role("listitem").first.wait_for()


def practices(page):
    practice(page)
    page.get_by_role("button", name="All practices").click()
    page.get_by_test_id("practices").wait_for()


def bringing_over(page):
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="Tools", exact=True).click()
    page.get_by_role("menuitem", name="Bring over").click()
    page.get_by_label("Paste a script in another notation").fill(
        "a = sma(close, 5)\nup = close > a[1]\nif (up) sell(1)\nhedge(2)\n"
    )
    page.get_by_role("button", name="Read it").click()
    page.get_by_text("It already runs").wait_for()


PLACES = (
    workbench,
    practice,
    practices,
    bringing_over,
    logbook,
    compare,
    report,
    sheet,
    inputs,
    follow_and_lens,
    builder,
    first_minute,
    first_voyage,
    taken_away,
    funnel,
    palette,
    keyboard_card,
    mistakes,
    trials,
    doubt,
    swept,
    swept_table,
    walked,
    searched,
    studied,
    basket,
    markets,
    market,
    account,
    shelf,
    guide,
)


@pytest.mark.parametrize("place", PLACES, ids=lambda place: place.__name__)
def test_no_violations(page, place):
    place(page)
    page.evaluate(AXE.read_text())
    for theme, rules in (("daychart", None), ("nightchart", OF_COLOUR)):
        page.evaluate("theme => { document.documentElement.dataset.theme = theme }", theme)
        page.wait_for_timeout(300)
        found = page.evaluate(
            """rules => axe.run({ resultTypes: ['violations'], ...(rules && { runOnly: { type: 'rule', values: rules } }) })""",
            rules,
        )
        told = [
            f"{theme} {item['id']}: {item['help']} at {node['target']}: {node['html'][:160]} {' '.join(check['message'] for check in node['any'])}"
            for item in found["violations"]
            for node in item["nodes"]
        ]
        assert told == []
