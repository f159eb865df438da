"""One's own account, from the sentence: changed and seen at once, saved, looked at without costs, taken away and back."""

import json

import pytest
from playwright.sync_api import expect

from skelb.demo import DEMO_SCRIPTS
from tests.browser.conftest import command_line
from tests.browser.test_journey import settled, shown

pytestmark = pytest.mark.xdist_group("browser")

TEXT = next(item.text for item in DEMO_SCRIPTS if item.title == "Harbour swell")
AT = "/?script=Harbour%20swell&market=KELP&timeframe=15m"


def net_of(world, account, *options):
    """The command line's net of the first script on KELP with an account's settings."""
    (world / "own.json").write_text(json.dumps(account))
    (world / "own.skelb").write_text(TEXT)
    given = ("--bars", "kelp.csv", "--market", "market.json", "--account", "own.json", "--timeframe", "15m")
    return command_line(world, "backtest", "own.skelb", *given, *options)["figures"]["all"]["net_profit"]


def accounts(page):
    return {
        item["name"]: item["settings"] for item in page.evaluate("() => fetch('/api/accounts').then(a => a.json())")
    }


def type_into(page, label, text):
    """A number typed by hand in the place of what stood there."""
    field = page.get_by_label(label, exact=True)
    field.click()
    page.keyboard.press("Control+a")
    page.keyboard.type(text, delay=80)


def expect_net(page, wanted):
    settled(page)
    expect(page.locator("[data-figure=net_profit]")).to_contain_text(f"{wanted:+,.0f}".replace("-", "−"))


def test_an_own_account_from_nothing_to_a_changed_result(page, world):
    page.goto(AT)
    settled(page)
    dockside = accounts(page)["Dockside account"]
    page.get_by_role("button", name="Account: Dockside account").click()
    sheet = page.get_by_test_id("account-sheet")
    expect(sheet).to_contain_text("KELP charges a commission of its own")

    # Typing is tried at once, is said to be unsaved, and stays when one has been elsewhere.
    type_into(page, "Slippage", "2.5")
    expect(sheet.get_by_test_id("about-field")).to_contain_text("limits and targets do not slip")
    expect(sheet.get_by_test_id("terms")).to_have_text("0.5 → 2.5 ticks of slippage, not saved")
    typed = net_of(world, {**dockside, "slippage_ticks": 2.5})
    expect_net(page, typed)
    assert accounts(page)["Dockside account"] == dockside
    page.keyboard.press("Escape")
    expect(sheet).to_be_hidden()
    page.get_by_role("link", name="Guide").click()
    page.go_back()
    expect_net(page, typed)
    page.reload()
    expect_net(page, typed)
    word = page.get_by_role("button", name="Account: Dockside account, changed and not saved")
    expect(word).to_contain_text("changed")

    # Under a name of its own; the one it came from is as it was.
    word.click()
    type_into(page, "Capital", "20000")
    sheet.get_by_role("button", name="Save as…").click()
    page.keyboard.press("Control+a")
    page.keyboard.type("Small boat account", delay=20)
    expect(sheet).to_contain_text("There is an account of that name already")
    page.keyboard.press("Enter")
    expect(sheet.get_by_role("button", name="Save it")).to_be_visible()
    page.keyboard.press("Control+a")
    page.keyboard.type("My own", delay=20)
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Account: My own", exact=True)).to_be_visible()
    mine = accounts(page)["My own"]
    assert (
        mine == {**dockside, "slippage_ticks": 2.5, "capital": 20_000}
        and accounts(page)["Dockside account"] == dockside
    )
    expect_net(page, net_of(world, mine))

    # Without costs and at twice of them: one press each, and never kept with the account.
    for name, times in (("without costs", "0"), ("costs × 2", "2")):
        sheet.get_by_role("button", name=name).click()
        expect(page.get_by_role("button", name=f"Account: My own, {name}")).to_be_visible()
        expect_net(page, net_of(world, mine, "--costs", times))
    type_into(page, "Leverage", "5")
    sheet.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("button", name="Account: My own, costs × 2")).to_be_visible()
    assert accounts(page)["My own"] == {**mine, "leverage": 5}
    sheet.get_by_role("button", name="costs × 2").click()

    # Taken back, renamed, taken away with what depends on it said, and back.
    type_into(page, "Capital", "1")
    sheet.get_by_role("button", name="Take back").click()
    expect(page.get_by_label("Capital", exact=True)).to_have_value("20000")
    sheet.get_by_role("button", name="rename").click()
    page.keyboard.press("Control+a")
    page.keyboard.type("Mine", delay=20)
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Account: Mine", exact=True)).to_be_visible()
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("against run")).to_be_visible()
    if sheet.is_hidden():
        page.get_by_role("button", name="Account: Mine").click()
    sheet.get_by_role("button", name="delete").click()
    expect(page.get_by_label("What depends on it")).to_contain_text("1 kept run with it keeps the terms it had")
    page.get_by_role("button", name="Delete it").click()
    expect(page.get_by_role("button", name="Account: Dockside account", exact=True)).to_be_visible()
    assert "Mine" not in accounts(page)
    if sheet.is_hidden():
        page.get_by_role("button", name="Account: Dockside account").click()
    sheet.get_by_role("button", name="Bring Mine back").click()
    expect(sheet.get_by_role("button", name="Mine", exact=False).first).to_be_visible()
    page.wait_for_function(
        "() => fetch('/api/accounts').then(a => a.json()).then(all => all.some(a => a.name === 'Mine'))"
    )


def test_a_wrong_number_is_said_beside_it_and_nothing_is_stored(page):
    page.goto(AT)
    settled(page)
    before, accounts_before = shown(page, "net_profit"), accounts(page)
    page.get_by_role("button", name="Account: Dockside account").click()
    for label, text in (("Capital", "-5"), ("Leverage", "0"), ("Slippage", "")):
        type_into(page, label, text)
        if not text:
            page.keyboard.press("Backspace")
        expect(page.get_by_label(label, exact=True)).to_have_attribute("aria-invalid", "true")
        page.keyboard.press("Tab")
        expect(page.get_by_label(label, exact=True)).not_to_have_attribute("aria-invalid", "true")
    expect(page.get_by_test_id("terms")).to_have_text("")
    assert shown(page, "net_profit") == before and accounts(page) == accounts_before
    # What the address says of an account that cannot be is told, not ignored.
    page.goto(f"{AT}&terms=%7B%22leverage%22%3A-2%7D")
    expect(page.get_by_text("account: leverage must be above 0")).to_be_visible()
    page.goto(f"{AT}&account=Nobody")
    expect(page.get_by_role("alert")).to_contain_text("there is no account Nobody")


def test_an_account_is_changed_by_keyboard_alone_and_trials_go_by_it(page):
    page.goto("/trials?script=Harbour%20swell&market=KELP&timeframe=15m")
    word = page.get_by_role("button", name="Account: Dockside account")
    word.focus()
    page.keyboard.press("Enter")
    page.keyboard.press("Tab")
    expect(page.get_by_label("Capital", exact=True)).to_be_focused()
    page.keyboard.press("Control+a")
    page.keyboard.type("7000", delay=60)
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Account: Dockside account, changed and not saved")).to_be_focused()
    page.get_by_role("button", name="Start").click()
    page.wait_for_url(lambda url: "trial=" in url)
    order = page.evaluate(
        "() => fetch(`/api/trials/${new URLSearchParams(location.search).get('trial')}`).then(a => a.json()).then(t => t.order)"
    )
    assert order["setup"]["terms"]["capital"] == 7000 and order["setup"]["account"] == "Dockside account"
