"""Refreshes docs/screenshots from the demo world: a picture of each main view, or of those named, by day and some by
night."""

import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from skelb.service.folder import access_token
from skelb.web.guard import cookie_name

TARGET = Path(__file__).parent.parent / "docs" / "screenshots"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync"]  # fmt: skip


def settled(page: Page) -> None:
    page.locator("[data-testid=soundings][aria-busy=false]").wait_for()
    page.wait_for_timeout(700)


def workbench(page: Page) -> None:
    page.goto("/")
    settled(page)
    page.locator("[role=option]").nth(9).click()
    page.wait_for_timeout(500)
    page.mouse.move(760, 330)


def report(page: Page) -> None:
    page.goto("/report?script=Harbour%20swell&market=KELP&timeframe=15m")
    page.get_by_test_id("months").wait_for()
    page.wait_for_timeout(700)


def logbook(page: Page) -> None:
    kept_runs(page)
    page.goto("/logbook")
    page.get_by_test_id("log").locator("[data-run]").nth(5).wait_for()
    page.wait_for_timeout(700)


def compare(page: Page) -> None:
    first, *_, last = kept_runs(page)
    page.goto(f"/logbook?compare=[{first},{last}]")
    page.get_by_test_id("every").wait_for()
    page.wait_for_timeout(700)


def kept_runs(page: Page) -> list[int]:
    """A few runs with their descent; their numbers."""
    page.goto("/?script=Harbour%20swell&market=KELP&timeframe=15m")
    settled(page)
    found: list[int] = page.evaluate(
        """async () => {
            const ask = (way, method, body) => fetch(way, {method, headers: {'content-type': 'application/json'},
                body: body && JSON.stringify(body)}).then(answer => answer.json());
            const scripts = await ask('/api/scripts', 'GET');
            const text = scripts.find(item => item.title === 'Harbour swell').versions.at(-1).text;
            const {account} = await ask('/api/start', 'GET');
            const numbers = [];
            const keep = async (inputs, parent, more = {}) => numbers.push((await ask('/api/runs', 'POST', {
                setup: {text, market: 'KELP', timeframe: '15m', account, inputs, ...more},
                parent: parent === undefined ? null : numbers[parent]})).number);
            await keep({}); await keep({fast: 10}); await keep({fast: 10, gate: 22});
            await keep({fast: 10, guard: 2.5}, 1); await keep({fast: 10, guard: 2.5}, 3, {market: 'LAMP'});
            await keep({fast: 10, guard: 3}, 3);
            await keep({fast: 10, guard: 3}, 5, {text: text.replace('target 3 R', 'target 4 R')});
            await fetch(`/api/runs/${numbers[3]}/note`, {method: 'PUT', headers: {'content-type': 'application/json'},
                body: JSON.stringify({star: true, tags: ['stop'], note: 'nights are held from here on'})});
            return numbers; }"""
    )
    return found


def trials(page: Page) -> None:
    page.goto("/trials?script=Harbour%20swell")
    page.get_by_label("Split, typed").fill("60,25,15")
    page.get_by_role("button", name="Start 988 runs").click()
    page.get_by_test_id("tried").wait_for(timeout=60_000)
    page.locator("[data-cell='280']").click()


def walk(page: Page) -> None:
    page.goto("/trials?face=walk&script=Harbour%20swell")
    page.get_by_role("button", name="Start 2,964 runs").click()
    page.locator("[role=progressbar][aria-valuenow='2964']").wait_for(timeout=120_000)
    page.get_by_test_id("windows").locator("tbody tr").nth(5).wait_for()


def study(page: Page) -> None:
    page.goto("/trials?face=study&script=Harbour%20swell")
    page.get_by_role("button", name="down", exact=True).click()
    page.locator("[data-when=Friday]").wait_for()


def basket(page: Page) -> None:
    page.goto("/trials?script=Lantern%20band&market=OSC/VEL&timeframe=1h&face=basket")
    page.get_by_role("button", name="Take Currency pairs for basket").click()
    page.get_by_test_id("basket").wait_for()
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_role("button", name="Against none").wait_for()
    page.get_by_label("Whether dear markets are run").select_option("some")
    page.locator("[data-finding=markets_too_dear]").wait_for()


def doubt(page: Page) -> None:
    page.goto("/trials?face=doubt")
    for part in ("verdict", "resampled", "challenge"):
        page.get_by_test_id(part).wait_for()


def shelf(page: Page) -> None:
    page.goto("/shelf")
    page.get_by_text("Harbour swell").first.wait_for()


def _tool(page: Page, name: str) -> None:
    page.get_by_role("button", name="Tools", exact=True).click()
    page.get_by_role("menuitem", name=name).click()


def guide(page: Page) -> None:
    page.goto("/guide?page=function/keltner")
    page.get_by_role("img").wait_for()


def sheet(page: Page) -> None:
    page.goto("/")
    settled(page)
    page.get_by_role("tab", name="Sheet").click()
    page.get_by_label("Add to Protection").click()
    page.get_by_role("button", name="trail 3 * atr(14)").wait_for()


def follow(page: Page) -> None:
    page.goto("/?script=Rope%20ladder&market=LAMP&timeframe=1h")
    settled(page)
    page.locator("[role=option]").nth(14).click()
    page.get_by_test_id("chart").focus()
    page.keyboard.press("f")
    for _ in range(4):
        page.keyboard.press("e")
        page.wait_for_timeout(400)
    for _ in range(6):
        page.keyboard.press("ArrowRight")
        page.wait_for_timeout(200)
    settled(page)


def market(page: Page) -> None:
    page.goto("/markets?symbol=KELP")
    page.get_by_test_id("round-trip").wait_for()
    page.get_by_label("Spread at different hours").select_option("hours")
    for hour, presses in ((9, 6), (10, 3), (17, 8)):
        for _ in range(presses):
            page.get_by_label(f"Spread at {hour:02d}:00").press("ArrowUp")
    page.locator("[aria-busy=false] [data-testid=round-trip]").wait_for()
    page.get_by_role("heading", name="Costs", exact=True).scroll_into_view_if_needed()
    page.wait_for_timeout(900)


def account(page: Page) -> None:
    workbench(page)
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_text("against run").wait_for()
    page.get_by_role("button", name="Account: Dockside account").click()
    page.get_by_label("Slippage").fill("2")
    settled(page)


def plan_builder(page: Page) -> None:
    page.goto("/")
    settled(page)
    page.get_by_role("button", name="Make rules").click()
    conditions = page.get_by_test_id("condition")
    conditions.nth(2).get_by_role("button", name="go long").click()
    conditions.nth(4).get_by_role("button", name="go long").click()
    conditions.nth(5).get_by_role("button", name="leave long").click()
    page.get_by_role("button", name="Mirror the long side").click()
    for rule in ("stop 2 * atr(14)", "target 3 R", "size risk 1%"):
        page.get_by_role("button", name=rule).click()
    page.locator("[data-testid=built-figures][aria-busy=false]").wait_for()
    page.get_by_role("region", name="Go long").scroll_into_view_if_needed()


PASTED = """// swing with a floor
var fastLen = param(12, "Fast length", min: 4, max: 40)
var slowLen = param(48, "Slow length", min: 16, max: 160)
quick = calc.expMean(bars.close, fastLen)
calm = calc.expMean(bars.close, slowLen)
span = calc.atr(14)
floor = calc.least(bars.low, 20)
push = floor[1] < floor
room = span > 6 ? 3 : 2
draw.line(quick, "quick", blue)
draw.line(calm, "calm", brown)

if (passes.over(quick, calm) && push) {
    trade.buy(units = 2)
    trade.guard(room * span)
    trade.lapse(90, seconds)
}
if (passes.under(quick, calm)) { trade.sell() }
"""


def bring_over(page: Page) -> None:
    page.goto("/?script=Harbour%20swell&market=KELP&timeframe=15m")
    settled(page)
    _tool(page, "Bring over")
    page.get_by_label("Paste a script in another notation").fill(PASTED)
    page.get_by_role("button", name="Read it").click()
    page.get_by_text("It already runs").wait_for()
    page.wait_for_timeout(2_000)  # what each choice comes to


def practice(page: Page) -> None:
    page.goto("/practice?begin=true&script=Harbour%20swell&market=KELP&timeframe=5m")
    page.get_by_label("First day of the replay").fill("2024-03-11")
    page.get_by_label("First day of the replay").press("Enter")
    page.get_by_label("Pace").select_option("36000")
    page.get_by_role("button", name="Begin the practice").click()
    page.get_by_test_id("drift").wait_for()
    page.wait_for_timeout(17_000)
    page.get_by_role("button", name="Pause").click()
    page.get_by_role("button", name="Go on").wait_for()


VIEWS = {
    "plan-builder": (plan_builder, "daychart"),
    "workbench-sheet": (sheet, "daychart"),
    "workbench-follow": (follow, "nightchart"),
    "guide": (guide, "daychart"),
    "workbench-day": (workbench, "daychart"),
    "workbench-night": (workbench, "nightchart"),
    "report": (report, "daychart"),
    "logbook": (logbook, "daychart"),
    "compare": (compare, "nightchart"),
    "trials-day": (trials, "daychart"),
    "account": (account, "daychart"),
    "trials-walk": (walk, "daychart"),
    "bring-over": (bring_over, "daychart"),
    "trials-study": (study, "nightchart"),
    "trials-basket": (basket, "daychart"),
    "trials-doubt": (doubt, "daychart"),
    "market": (market, "daychart"),
    "shelf": (shelf, "daychart"),
    "practice": (practice, "daychart"),
}


def main() -> None:
    """Serve a fresh demo world and take the pictures named on the command line, or all."""
    wanted = sys.argv[1:] or list(VIEWS)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    with tempfile.TemporaryDirectory() as home, sync_playwright() as playwright:
        token = access_token(Path(home))
        command = [sys.executable, "-m", "skelb.program", "serve", "--port", str(port)]
        server = subprocess.Popen(command, env={**os.environ, "SKELB_HOME": home}, stdout=subprocess.DEVNULL)
        url = f"http://127.0.0.1:{port}"
        while True:
            try:
                asked = urllib.request.Request(f"{url}/api/start", headers={"x-skelb-token": token})
                urllib.request.urlopen(asked, timeout=1)
                break
            except OSError:
                time.sleep(0.2)
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        for name in wanted:
            arrange, theme = VIEWS[name]
            context = browser.new_context(
                viewport={"width": 1280, "height": 800}, base_url=url, reduced_motion="reduce"
            )
            context.add_cookies([{"name": cookie_name(f"127.0.0.1:{port}"), "value": token, "url": url}])
            page = context.new_page()
            page.add_init_script(f"localStorage.setItem('skelb-theme', '{theme}')")
            page.add_init_script('localStorage.setItem(\'skelb-voyage\', \'{"step": 0, "done": [], "isMet": true}\')')
            arrange(page)
            page.wait_for_timeout(600)
            page.screenshot(path=TARGET / f"{name}.png")
            context.close()
        browser.close()
        server.terminate()
        server.wait()


if __name__ == "__main__":
    main()
