"""Debian's Chromium on the running application; a page that reports an error fails its test."""

import json
import os
import re

import pytest
from playwright.sync_api import expect, sync_playwright

from skelb.demo import DEMO_MARKETS, DEMO_SCRIPTS
from skelb.demo.world import make_bars
from tests.cli.forked import forker
from tests.conftest import write_csv

CHROMIUM = "/usr/bin/chromium"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync"]  # fmt: skip


@pytest.fixture(scope="session")
def browser():
    expect.set_options(timeout=60_000)  # a busy machine is slow, not wrong
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield found
        found.close()


MET = {"isOpen": False, "step": 0, "done": [], "isMet": True}
AS_MET = f"localStorage['skelb-voyage'] ??= '{json.dumps(MET)}'"
SIZES = [pytest.param((1280, 800), id="1280x800"), pytest.param((1600, 900), id="1600x900")]


@pytest.fixture
def page(browser, server, request):
    width, height = getattr(request, "param", (1280, 800))
    context = browser.new_context(viewport={"width": width, "height": height}, base_url=server.url)
    context.add_cookies(server.cookies)
    if "newcomer" not in request.keywords:
        # As one who was here before: nothing leads by the hand.
        context.add_init_script(AS_MET)
    found = context.new_page()
    errors = []
    found.on("pageerror", lambda error: errors.append(str(error)))
    found.set_default_timeout(90_000)
    yield found
    context.close()
    assert errors == []


def start(page, runs):
    """Starts a trial and waits for all of its runs; what trials before it say is not taken for its own."""
    before = trial_of(page.url)
    page.get_by_role("button", name=f"Start {runs} runs").click()
    page.wait_for_url(lambda url: trial_of(url) not in (None, before))
    all_ran(page, runs)


def trial_of(url):
    found = re.search(r"[?&]trial=([0-9]+)", url)
    return found and found[1]


def all_ran(page, runs):
    expect(page.get_by_role("status").filter(has_text=f"{runs} of {runs} runs")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("^Start"))).to_be_visible()


def done_beyond(page, count):
    """Waits until more runs than these are done."""
    page.wait_for_function(
        "least => Number(document.querySelector('[role=progressbar]')?.ariaValueNow ?? -1) > least", arg=count
    )


def command_line(folder, *arguments):
    done = forker().run([*arguments, "--json"], folder, {**os.environ, "SKELB_HOME": str(folder / "none")})
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


KELP = ("--bars", "kelp.csv", "--market", "market.json", "--account", "account.json", "--timeframe", "15m")


def on_kelp(page, folder, text, command, *options):
    """A command's document about a text on KELP, 15 minutes, with the page's first account."""
    account = page.evaluate("() => fetch('/api/accounts').then(a => a.json()).then(all => all[0].settings)")
    (folder / "account.json").write_text(json.dumps(account))
    (folder / "tried.skelb").write_text(text)
    return command_line(folder, command, "tried.skelb", *KELP, *options)


@pytest.fixture(scope="session")
def world(tmp_path_factory):
    """Files that the command line needs for KELP and the text of a demo script."""
    folder = tmp_path_factory.mktemp("world")
    demo = next(item for item in DEMO_MARKETS if item.settings["symbol"] == "KELP")
    write_csv(folder / "kelp.csv", make_bars(demo)[0])
    (folder / "market.json").write_text(json.dumps(demo.settings))
    for script in DEMO_SCRIPTS:
        (folder / f"{script.title}.skelb").write_text(script.text)
    return folder


def backtest(page, folder, text):
    """The command line's backtest of a text on KELP, 15 minutes, with the page's first account."""
    return on_kelp(page, folder, text, "backtest")
