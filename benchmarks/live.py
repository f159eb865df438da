"""Measuring the running application in the browser: start, live edits, panning."""

import json
import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from statistics import median, quantiles
from types import TracebackType

from playwright.sync_api import Page, sync_playwright

from benchmarks.yardstick import make_bars
from skelb.service.application import Application
from skelb.service.folder import access_token

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync"]  # fmt: skip
EDIT = """input => new Promise(done => {
  const started = performance.now();
  const figure = document.querySelector('[data-figure=net_profit]');
  const busy = document.querySelector('[data-testid=soundings]');
  const watch = new MutationObserver(() => {
    if (busy.getAttribute('aria-busy') === 'false') { watch.disconnect(); requestAnimationFrame(() => done(performance.now() - started)); }
  });
  watch.observe(busy, { attributes: true });
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
  const slider = document.querySelector(input.selector);
  set.call(slider, String(input.value));
  slider.dispatchEvent(new Event('input', { bubbles: true }));
})"""
TYPE = """() => new Promise(done => {
  const found = []; let pressed = 0;
  const text = document.querySelector('.cm-content');
  const watch = new MutationObserver(() => { if (pressed) { const at = pressed; pressed = 0; requestAnimationFrame(() => setTimeout(() => found.push(performance.now() - at))); } });
  watch.observe(text, { childList: true, subtree: true, characterData: true });
  text.addEventListener('keydown', () => { pressed = performance.now(); }, true);
  window.keysPainted = () => { watch.disconnect(); return found; };
  done();
})"""
PAN = """() => new Promise(done => {
  const chart = document.querySelector('[data-testid=chart]');
  const frames = []; let last = performance.now(); let count = 0;
  const step = now => {
    frames.push(now - last); last = now;
    chart.dispatchEvent(new WheelEvent('wheel', { deltaX: 12, deltaY: 0, clientX: 700, clientY: 300, bubbles: true, cancelable: true }));
    if (++count < 90) requestAnimationFrame(step); else done(frames.slice(5));
  };
  requestAnimationFrame(step);
})"""

HOVER = """() => new Promise(done => {
  const over = document.querySelectorAll('[data-testid=chart] .u-over')[1]; const box = over.getBoundingClientRect();
  const frames = []; let last = performance.now(); let count = 0;
  const step = now => {
    frames.push(now - last); last = now;
    over.dispatchEvent(new MouseEvent('mousemove', { clientX: box.left + 40 + (count * 3) % 400, clientY: box.top + 60, bubbles: true }));
    if (++count < 120) requestAnimationFrame(step); else done(frames.slice(5));
  };
  requestAnimationFrame(step);
})"""


class Live:
    """A served application with a million bars besides the demo world."""

    def __enter__(self) -> "Live":
        self._folder = tempfile.TemporaryDirectory()
        application = Application(Path(self._folder.name))
        application.install_demo()
        application.library.save_market("MILLION", "", {"tick": 0.01}, [make_bars(1_000_000)])
        application.close()
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self._port = probe.getsockname()[1]
        self._token = access_token(Path(self._folder.name))
        self._started = time.perf_counter()
        environment = {**os.environ, "SKELB_HOME": self._folder.name}
        command = [sys.executable, "-m", "skelb.program", "serve", "--port", str(self._port)]
        self._process = subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL)
        return self

    def __exit__(
        self, kind: type[BaseException] | None, value: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._process.terminate()
        self._process.wait()
        self._folder.cleanup()

    def rows(self) -> list[tuple[str, str, str]]:
        """Start to first picture, edits on 200,000 bars and more, panning over a million, memory."""
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            self._wait()
            self._open(page, f"?token={self._token}")
            first = time.perf_counter() - self._started
            idle = self._memory()
            edits = self._edits(page, "?script=Harbour%20swell&market=KELP&timeframe=1m")
            page.get_by_role("tab", name="Text", exact=True).click()
            hovers = page.evaluate(HOVER)
            million = self._edits(page, "?script=Harbour%20swell&market=MILLION&timeframe=1m")
            frames = page.evaluate(PAN)
            keys = self._typing(page)
            browser.close()
        return [
            ("start, warm, to the demo strategy's first picture", f"{first:.1f} s", "3 s"),
            ("resident memory, idle with the demo world", f"{idle:.0f} MB", "400 MB"),
            ("live edit, browser included, 250,080 bars: median", f"{median(edits):.0f} ms", "150 ms"),
            ("the same, 95th percentile", f"{quantiles(edits, n=20)[-1]:.0f} ms", "300 ms"),
            (
                "key to paint while backtests on 1,000,000 bars run: 95th percentile",
                f"{quantiles(keys, n=20)[-1]:.0f} ms",
                "30 ms",
            ),
            ("live edit, browser included, 1,000,000 bars: median", f"{median(million):.0f} ms", "no target"),
            (
                "pointing along 250,080 bars, every line of the script read: median frame",
                f"{median(hovers):.1f} ms, 95th percentile {quantiles(hovers, n=20)[-1]:.0f}",
                "17 ms (60 Hz)",
            ),
            ("pan over 1,000,000 bars: median frame", f"{median(frames):.1f} ms", "16 ms (17 at 60 Hz)"),
        ]

    def _wait(self) -> None:
        while True:
            try:
                asked = urllib.request.Request(
                    f"http://127.0.0.1:{self._port}/api/start", headers={"x-skelb-token": self._token}
                )
                with urllib.request.urlopen(asked, timeout=1) as answer:
                    json.load(answer)
                return
            except OSError:
                time.sleep(0.02)

    def _open(self, page: Page, query: str) -> None:
        page.goto(f"http://127.0.0.1:{self._port}/{query}")
        page.locator("[data-testid=soundings][aria-busy=false]").wait_for(timeout=60_000)

    def _edits(self, page: Page, query: str) -> list[float]:
        self._open(page, query)
        page.get_by_role("tab", name="Inputs").click()
        found = [page.evaluate(EDIT, {"selector": "#input-fast", "value": 6 + 2 * (k % 12)}) for k in range(26)]
        return found[2:]

    def _typing(self, page: Page) -> list[float]:
        """Milliseconds from each key to the next frame, while every key starts a backtest."""
        page.get_by_role("tab", name="Text", exact=True).click()
        page.locator(".cm-content").click()
        page.keyboard.press("Control+End")
        page.keyboard.type("\nwide = close > open")
        page.evaluate(TYPE)
        page.keyboard.type("  # a thought while it runs, long enough to count: the quick swell and the calm", delay=45)
        found: list[float] = page.evaluate("() => window.keysPainted()")
        return found

    def _memory(self) -> float:
        status = Path(f"/proc/{self._process.pid}/status").read_text()
        return next(int(line.split()[1]) / 1024 for line in status.splitlines() if line.startswith("VmRSS"))
