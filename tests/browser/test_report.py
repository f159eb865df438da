"""The report: from the workbench by a key, read, brushed, asked what its lines are worth, and saved to open anywhere."""

import csv
import json
import zipfile

import pytest
from playwright.sync_api import expect

from tests.browser.test_journey import settled

pytestmark = pytest.mark.xdist_group("browser")


def figure(page, key):
    return page.get_by_test_id("sides").locator(f"[data-figure={key}] td").first


def opened(page, address="/report?script=Harbour%20swell&market=KELP&timeframe=15m"):
    page.goto(address)
    expect(page.get_by_test_id("months")).to_be_visible()


def test_a_run_is_judged_whole_by_one_key_and_leads_back_to_its_evidence(page):
    page.goto("/?script=Harbour%20swell&market=KELP&timeframe=15m")
    settled(page)
    net = page.locator("[data-figure=net_profit] button").inner_text()
    page.keyboard.press("Alt+r")
    page.wait_for_url("**/report?*")
    expect(figure(page, "net_profit")).to_have_text(net)
    expect(page.get_by_role("region", name="What speaks against it")).to_contain_text("did not happen")
    expect(page.get_by_test_id("weighed")).to_contain_text("looked at")
    expect(page).to_have_title("Harbour swell on KELP 15m · Report · Skelb")

    # A month leads to the bars that it is of.
    months = page.get_by_test_id("months")
    expect(months.locator("tbody tr")).to_have_count(2)
    months.locator("tbody tr").first.get_by_role("button").nth(1).press("Enter")
    page.wait_for_url(lambda address: "/report" not in address)
    settled(page)
    sight = page.evaluate("() => JSON.parse(sessionStorage.getItem('skelb-sight KELP'))")
    assert 1_675_000_000 < sight["from"] < sight["to"] < 1_678_000_000  # February 2023
    page.go_back()
    expect(months).to_be_visible()

    # A span is drawn over, and told alone.
    equity = page.get_by_role("img", name="Equity from")
    box = equity.bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.2, box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + 90, steps=5)
    page.mouse.up()
    expect(page.get_by_test_id("brushed")).to_contain_text("deepest fall")
    page.get_by_role("button", name="all of it").click()
    expect(page.get_by_test_id("brushed")).to_have_count(0)
    page.get_by_role("button", name="log scale").click()
    expect(page.get_by_role("button", name="log scale")).to_have_attribute("aria-pressed", "true")

    # A nearer stop is moved by the arrows, and its sentence with it.
    nearer = page.get_by_test_id("nearer")
    before = nearer.inner_text()
    page.get_by_label("A stop at").press("ArrowRight")
    expect(nearer).not_to_have_text(before)
    page.get_by_role("button", name="Try it").press("Enter")
    expect(page.get_by_test_id("tried-nearer")).to_contain_text("* (guard * atr(14))")
    page.get_by_role("tab", name="ahead").click()
    expect(nearer).to_contain_text("A target at")
    expect(page.get_by_role("button", name="Try it")).to_be_visible()  # that was of a stop


def test_the_report_is_of_what_is_said_at_its_top(page):
    opened(page)
    both = figure(page, "net_profit").inner_text()
    page.get_by_label("Sides", exact=True).select_option("long")
    expect(figure(page, "net_profit")).not_to_have_text(both)
    page.wait_for_url("**sides=long*")
    page.reload()
    expect(page.get_by_label("Sides", exact=True)).to_have_value("long")
    holding = figure(page, "holding_return").inner_text()
    page.get_by_label("Held against").select_option("QUAY12")
    expect(figure(page, "holding_return")).not_to_have_text(holding)
    page.goto("/report?script=Nowhere")
    expect(page.get_by_role("alert")).to_contain_text("no script “Nowhere”")
    page.goto("/report?run=987654")
    expect(page.get_by_role("alert")).to_contain_text("no kept run 987654")


def test_stretches_are_cut_by_what_is_set(page):
    opened(page)
    stretches = page.get_by_role("group", name="Stretches of the market").locator("g")
    count = stretches.count()
    page.get_by_label("A swing in percent of price").fill("40")
    page.get_by_label("A swing in mean true ranges").fill("0")
    expect(stretches).not_to_have_count(count)
    page.get_by_label("A swing in percent of price").fill("-1")  # cannot be: what was shown stays
    expect(page.get_by_label("A swing in percent of price")).to_have_attribute("aria-invalid", "true")
    expect(stretches).not_to_have_count(0)


def test_lines_are_worth_what_the_run_lacks_without_them(page):
    opened(page)
    page.get_by_role("button", name="Run it without each line").press("Enter")
    rows = page.get_by_test_id("worth").locator("tbody tr")
    expect(rows.filter(has_text="enter long when up")).to_have_count(1)
    expect(page.get_by_test_id("worth").locator("[data-says='changes nothing']")).not_to_have_count(0)
    expect(rows.filter(has_text="stop guard * atr(14)")).to_contain_text("no stop")


def test_the_sheet_tells_what_its_rules_are_worth_for_the_text_in_view(page):
    page.goto("/?script=Harbour%20swell&market=KELP&timeframe=15m&face=Sheet")
    settled(page)
    page.get_by_role("button", name="what each rule is worth").press("Enter")
    rows = page.get_by_test_id("sheet-row")
    expect(rows.filter(has_text="without it").first).to_be_visible()
    expect(rows.filter(has=page.locator("[data-says='changes nothing']"))).not_to_have_count(0)
    page.get_by_label("target 3 R: on").click()
    expect(rows.filter(has_text="without it")).to_have_count(0)  # that was of another text
    expect(page.get_by_role("button", name="what each rule is worth")).to_be_visible()


def test_what_is_taken_along_opens_anywhere(page, browser, tmp_path):
    opened(page)
    net = figure(page, "net_profit").inner_text()
    trades = figure(page, "trades").inner_text()
    page.get_by_role("button", name="Tables").press("Enter")
    with page.expect_download() as found:
        page.get_by_role("button", name="CSV", exact=True).first.click()
    assert found.value.suggested_filename == "Harbour swell trades.csv"
    with open(found.value.path(), newline="") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == int(trades) and f"{sum(float(row['net']) for row in rows):+,.0f}" == net.replace("−", "-")

    with page.expect_download() as saved:
        page.get_by_role("button", name="Save page").click()
    place = tmp_path / "report.html"
    saved.value.save_as(place)
    context = browser.new_context(viewport={"width": 1280, "height": 800}, offline=True)
    bare, asked, errors = context.new_page(), [], []
    bare.on("request", lambda request: asked.append(request.url))
    bare.on("pageerror", lambda error: errors.append(str(error)))
    bare.goto(place.as_uri())
    expect(figure(bare, "net_profit")).to_have_text(net)
    bare.get_by_role("button", name="Draw by night").click()
    expect(bare.locator("html")).to_have_attribute("data-theme", "nightchart")
    assert asked == [place.as_uri()] and errors == []
    bare.emulate_media(media="print")
    expect(bare.get_by_role("button", name="log scale")).to_be_hidden()
    context.close()


def test_a_pack_is_made_again_and_a_changed_cent_is_found(page, tmp_path):
    opened(page)
    net = figure(page, "net_profit").inner_text()
    page.get_by_role("button", name="Pack", exact=True).press("Enter")
    with page.expect_download() as found:
        page.get_by_role("button", name="Pack this run").click()
    whole, touched = tmp_path / "P.zip", tmp_path / "Q.zip"
    found.value.save_as(whole)
    with zipfile.ZipFile(whole) as before, zipfile.ZipFile(touched, "w") as after:
        for name in before.namelist():
            data = before.read(name)
            if name == "trades.json":
                rows = json.loads(data)
                rows[3]["net"] += 0.01
                data = json.dumps(rows).encode()
            after.writestr(name, data)
    page.get_by_label("A pack to open").set_input_files(whole)
    expect(page.get_by_test_id("verified")).to_contain_text("The same to the last cent")
    expect(figure(page, "net_profit")).to_have_text(net)
    page.get_by_role("button", name="Close the pack").press("Enter")
    page.get_by_label("A pack to open").set_input_files(touched)
    expect(page.get_by_test_id("verified")).to_contain_text("Not the same: trade 4 net is")
    page.get_by_role("button", name="Close the pack").press("Enter")
    touched.write_bytes(b"PK and nothing more")
    page.get_by_label("A pack to open").set_input_files(touched)
    expect(page.get_by_role("alert")).to_contain_text("Q.zip: it is no pack")
    page.get_by_role("button", name="Back to the report").press("Enter")
    expect(page.get_by_test_id("months")).to_be_visible()


def test_a_script_that_never_trades_has_a_report_of_that(page):
    page.goto("/?script=Harbour%20swell&market=KELP&timeframe=15m")
    settled(page)
    saved = page.evaluate(
        """text => fetch('/api/scripts', {method: 'POST', headers: {'content-type': 'application/json'},
            body: JSON.stringify({text})}).then(answer => answer.status)""",
        'title "Never"\nenter long when close > 1000000\nexit after 3 bars\n',
    )
    assert saved < 300
    opened(page, "/report?script=Never&market=KELP&timeframe=15m")
    expect(page.get_by_role("region", name="What speaks against it")).to_contain_text("No trades")
    expect(page.get_by_role("region", name="Where it earned")).to_have_count(0)
