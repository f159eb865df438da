"""Debian's Chromium on the running application; a page that reports an error fails its test."""

import pytest
from playwright.sync_api import expect, sync_playwright

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync"]  # fmt: skip


@pytest.fixture(scope="session")
def browser():
    expect.set_options(timeout=10_000)  # a busy machine is slow, not wrong
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield found
        found.close()


@pytest.fixture
def page(browser, server):
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.url)
    found = context.new_page()
    errors = []
    found.on("pageerror", lambda error: errors.append(str(error)))
    found.set_default_timeout(15_000)
    yield found
    context.close()
    assert errors == []
