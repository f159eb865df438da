"""Side-by-side measurements: `make bench` prints the table and writes docs/benchmarks.md.

Ratios are medians of ratios taken in turn within one process, so that a busy machine slows both sides alike.
"""

import os
import platform
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from statistics import median

import numpy as np
from sqlalchemy import text as sql

from benchmarks.live import Live
from benchmarks.yardstick import ACCOUNT, MARKET, SCRIPT, HandWritten, make_bars, plain_loop
from skelb.core.bars import PRICES, Timeframe, resample
from skelb.core.catalogue import FUNCTIONS
from skelb.core.engine import run, run_basket
from skelb.core.explain import Explainer
from skelb.core.export.python import Instrument, python_of
from skelb.core.figures import figures_of, record_of
from skelb.core.language import check
from skelb.core.language.assist import Surroundings, completions
from skelb.core.plan import Dataset, Expressions, input_values, make_dataset, make_plan
from skelb.core.practice import Following, SoFar, next_steps
from skelb.core.trials import (
    Axis,
    HistoryRules,
    Results,
    Sweep,
    Task,
    grid_size,
    point_at,
    read_axis,
    run_tasks,
    search_script,
)
from skelb.demo import DEMO_BASKETS, DEMO_MARKETS, DEMO_SCRIPTS
from skelb.demo import make_bars as make_demo_bars
from skelb.service.allocation import keep_freed_memory
from skelb.service.backtest import Choices
from skelb.service.histories import MadeHistories
from skelb.service.library import Library
from skelb.service.logbook import Logbook
from skelb.service.prepared import Prepared
from skelb.service.settings import market_settings
from skelb.service.setup import Setup
from skelb.service.tallies import Tallies
from skelb.service.trials.orders import TrialSettings, layout_of
from skelb.service.trials.workers import workers_for
from skelb.service.warm import warm_all
from skelb.store import Database

ROOT = Path(__file__).parent.parent
Row = tuple[str, str, str]


def timed(call: Callable[[], object]) -> float:
    started = time.perf_counter()
    call()
    return time.perf_counter() - started


def ratio(call: Callable[[], object], against: Callable[[], object], rounds: int = 15) -> tuple[float, float]:
    """Median of `call` / `against` taken in turn, and the median of `call` in seconds."""
    call()
    against()
    pairs = [(timed(call), timed(against)) for _ in range(rounds)]
    return median(a / b for a, b in pairs), median(a for a, _ in pairs)


def engine_rows(size: int) -> list[Row]:
    bars = make_bars(size)
    dataset, hand = make_dataset(bars, MARKET), HandWritten(bars)
    rows: list[Row] = []
    for fast, slow, target in ((12, 48, "1.6 (reach 1.2)"), (50, 200, "0.9 (reach 0.7)")):
        checked = check(SCRIPT.format(fast=fast, slow=slow))
        plan = make_plan(checked, dataset, input_values(checked, {}))
        outcome = run(plan, ACCOUNT)
        count = hand.run(fast, slow)
        assert count == len(outcome.trades), (count, len(outcome.trades))
        np.testing.assert_array_equal(hand.entries[:count], outcome.trades.entry_bar)
        np.testing.assert_array_equal(hand.exits[:count], outcome.trades.exit_bar)
        np.testing.assert_allclose(hand.nets[:count], outcome.trades.net, rtol=1e-12, atol=1e-9)
        np.testing.assert_allclose(hand.equity, outcome.equity, rtol=1e-12)
        found, seconds = ratio(lambda plan=plan: run(plan, ACCOUNT), lambda f=fast, s=slow: hand.run(f, s))
        rows.append(
            (
                f"general kernel / C, ema ({fast}, {slow}), {count:,} trades, {seconds * 1000:.1f} ms",
                f"{found:.2f}",
                target,
            )
        )
    checked = check(SCRIPT.format(fast=12, slow=48))

    def all_of_it() -> None:
        plan = make_plan(checked, dataset.apart(), input_values(checked, {}))
        figures_of(record_of(run(plan, ACCOUNT)))

    found, seconds = ratio(all_of_it, lambda: hand.run(12, 48))
    rows.append(
        (f"plan + indicators + kernel + figures / C, {seconds * 1000:.1f} ms", f"{found:.2f}", "3.5 (reach 2.3)")
    )
    plan = make_plan(checked, dataset, input_values(checked, {}))
    expressions = plan.expressions
    a, b = (expressions.of(checked.definitions[name].value) for name in "ab")
    atr = FUNCTIONS["atr"].compute(dataset.frame, 14)
    assert abs(plain_loop(bars, a, b, atr) - len(run(plan, ACCOUNT).trades)) <= 2
    found, _ = ratio(lambda: plain_loop(bars, a, b, atr), lambda: run(plan, ACCOUNT), rounds=3)
    rows.append(("plain Python loop / kernel", f"{found:.0f}", "150 (reach 220)"))
    found, _ = ratio(
        lambda: resample(bars, dataset.calendar, MARKET, Timeframe(60)), lambda: hand.run(12, 48), rounds=7
    )
    seconds = median(timed(lambda: resample(bars, dataset.calendar, MARKET, Timeframe(60))) for _ in range(7))
    rows.append(("resample 1M minutes to hours", f"{seconds * 1000:.0f} ms", "10 ms"))
    return rows


RULES = (
    ("trailing stop and break-even", "trail 3 * atr(14) once 1 R\nbreakeven once 1 R"),
    ("resting entries", "enter long when a > b at limit low for 3 bars"),
    ("an exit rule on the position", "exit when open_profit > 0.4 and bars_held > 5"),
    ("five lots, targets in parts", "limit 5 open\ntarget 1 R for 50%"),
)


def rule_rows(size: int) -> list[Row]:
    """What rules beyond the yardstick's cost, against the kernel without them; and a bar explained."""
    bars = make_bars(size)
    dataset = make_dataset(bars, MARKET)
    text = SCRIPT.format(fast=12, slow=48)
    plain_script = check(text)
    plain = make_plan(plain_script, dataset, input_values(plain_script, {}))
    rows: list[Row] = []
    for what, rules in RULES:
        checked = check(f"{text}\n{rules}\n")
        assert checked.is_sound, checked.diagnostics
        plan = make_plan(checked, dataset, input_values(checked, {}))
        found, seconds = ratio(lambda plan=plan: run(plan, ACCOUNT), lambda: run(plain, ACCOUNT), rounds=7)
        rows.append((f"kernel with {what} / without, {seconds * 1000:.0f} ms", f"{found:.1f}", "no target"))
    checked = check(f"{text}\nexit when open_profit > 0.4 and bars_held > 5\n")
    explainer = Explainer(checked, make_plan(checked, dataset, input_values(checked, {})), ACCOUNT)
    first = timed(lambda: explainer.readings(size - 2))
    chosen = np.random.default_rng(1).integers(0, size - 1, 200)
    each = [timed(lambda bar=int(bar): explainer.readings(bar)) for bar in chosen]  # type: ignore[misc]
    rows.append(
        (f"a bar of {size:,} explained and the script read on it: median", f"{median(each) * 1000:.1f} ms", "20 ms")
    )
    rows.append(("the same: slowest of 200", f"{max(each) * 1000:.1f} ms", "20 ms"))
    rows.append(("the same: the first, which runs the whole", f"{first * 1000:.0f} ms", "no target"))
    eight = [
        make_plan(
            plain_script,
            make_dataset(make_bars(size // 8), replace(MARKET, symbol=f"M{k}")),
            input_values(plain_script, {}),
        )
        for k in range(8)
    ]
    found, seconds = ratio(lambda: run_basket(eight, ACCOUNT), lambda: run(plain, ACCOUNT), rounds=7)
    rows.append(
        (
            f"eight markets of an eighth of the bars on one account / one market, {seconds * 1000:.0f} ms",
            f"{found:.1f}",
            "no target",
        )
    )
    return rows


def growth_rows() -> list[Row]:
    seconds = {}
    for size in (100_000, 1_000_000):
        dataset = make_dataset(make_bars(size), MARKET)
        checked = check(SCRIPT.format(fast=12, slow=48))

        def once(dataset: Dataset = dataset, checked: object = checked) -> None:
            figures_of(record_of(run(make_plan(checked, dataset.apart(), input_values(checked, {})), ACCOUNT)))  # type: ignore[arg-type]

        once()
        seconds[size] = median(timed(once) for _ in range(9))
    return [("10 times the bars cost", f"{seconds[1_000_000] / seconds[100_000]:.1f} ×", "11 ×")]


def sweep_rows() -> list[Row]:
    bars = make_bars(100_000)
    dataset, hand = make_dataset(bars, MARKET), HandWritten(bars)
    checked = check(SCRIPT.format(fast=12, slow=48))
    sweep_of = lambda: Sweep(checked, dataset.apart(), ACCOUNT, input_values(checked, {}))  # noqa: E731
    axes = (Axis("fast", tuple(range(5, 25))), Axis("slow", tuple(range(30, 130, 5))))
    tasks = [Task(number, point_at(axes, number)) for number in range(400)]

    def alone() -> None:
        run_tasks(sweep_of(), tasks)

    def together() -> None:
        with workers_for(sweep_of(), axes, threads=2) as workers:
            for _ in workers.cells(tasks):
                pass

    def by_hand() -> None:
        for task in tasks:
            hand.run(int(task.point["fast"]), int(task.point["slow"]))

    one, seconds = ratio(alone, by_hand, rounds=5)
    two, _ = ratio(together, by_hand, rounds=5)
    return [
        (
            f"400-run sweep, one thread / 400 × C ({400 / seconds:,.0f} runs/s, 100,000 bars)",
            f"{one:.2f}",
            "1.3 (reach 1.0)",
        ),
        ("400-run sweep, two threads / 400 × C on one", f"{two:.2f}", "0.8 (reach 0.6)"),
    ]


def demo_sweep_rows() -> list[Row]:
    """A strategy as people write them: windows, a higher timeframe, percent risk; its two lengths varied."""
    script = next(item for item in DEMO_SCRIPTS if item.title == "Harbour swell")
    demo = next(item for item in DEMO_MARKETS if item.settings["symbol"] == script.market)
    dataset = make_dataset(make_demo_bars(demo)[0], market_settings(demo.settings).market(), Timeframe(15))
    checked = check(script.text)
    make_plan(
        checked, dataset, input_values(checked, {})
    )  # as whoever sweeps a strategy has seen it run: its longer bars are made
    axes = tuple(read_axis(name, checked) for name in ("fast", "slow"))
    tasks = [Task(number, point_at(axes, number)) for number in range(grid_size(axes))]

    def sweep_of() -> Sweep:
        return Sweep(checked, dataset.apart(), ACCOUNT, input_values(checked, {}))

    def swept(threads: int) -> None:
        with workers_for(sweep_of(), axes, threads) as workers:
            for _ in workers.cells(tasks):
                pass

    layout = layout_of(
        TrialSettings(vary=["fast", "slow"]),
        Prepared.of(script.text, lambda title: None, dataset, ACCOUNT, Choices({})),
    )
    cells = run_tasks(layout.sweep, tasks)

    def counted() -> None:
        tallies = Tallies(None)
        for begin in range(0, len(cells), 256):
            Results.of(cells[begin : begin + 256], layout.blocks)
            tallies.count("", layout.tries(cells[begin : begin + 256], ""))

    found, one = ratio(lambda: swept(1), lambda: swept(2), rounds=5)
    counting, _ = ratio(counted, lambda: swept(2), rounds=5)
    what = f"{len(tasks)}-run sweep of the demo's first strategy, {len(dataset):,} bars"
    return [
        (f"{what}: one thread", f"{len(tasks) / one:,.0f} runs/s", "4,000"),
        ("the same: two threads / one", f"{found:.2f} ×", "1.8 ×"),
        ("counting its tries / running it with two threads", f"{counting:.2f}", "0.15"),
    ]


def search_rows() -> list[Row]:
    """Every pair of conditions as the entry, both ways, on daily bars."""
    demo = next(item for item in DEMO_MARKETS if item.settings["symbol"] == "QUAY12")
    dataset = make_dataset(make_demo_bars(demo)[0], market_settings(demo.settings).market(), Timeframe.parse("1d"))
    base = check("stop 2 * atr(14)\nexit after 10 bars\n")
    lengths = range(2, 54)
    conditions = [f"rsi(close, {n}) > 60" for n in lengths]
    search = search_script(base, conditions, None, 2)
    checked = check(search.text)
    axes = read_axis(search.vary, checked), read_axis("sides=long,short", checked)
    tasks = [Task(number, point_at(axes, number)) for number in range(grid_size(axes))]
    seconds = median(
        timed(lambda: run_tasks(Sweep(checked, dataset.apart(), ACCOUNT, input_values(checked, {})), tasks))
        for _ in range(3)
    )
    return [(f"signal search, {len(tasks):,} runs on {len(dataset)} daily bars, one thread", f"{seconds:.1f} s", "3 s")]


FORMING = ("ema(close, 20)", "rsi(close, 14)", "atr(14)", "bollinger(close, 20, 2).upper", "stoch(14, 3, 3).k", "psar")


def forming_rows() -> list[Row]:
    """An expression on the higher bar as it stands, against the same on closed bars, each from nothing."""
    bars = make_bars(40_000)
    rows: list[Row] = []
    for text in FORMING:
        took = []
        for tail in (" forming", ""):
            checked = check(f"x = ({text}) on 1h{tail}")
            times = []
            for _ in range(4):
                dataset = make_dataset(bars, MARKET)
                times.append(timed(lambda: Expressions(checked, {}, dataset).whole(checked.definitions["x"].value)))  # noqa: B023
            took.append(min(times))
        rows.append(
            (
                f"`{text} on 1h forming`, 40,000 bars, {took[0] * 1000:.0f} ms / on closed bars",
                f"{took[0] / took[1]:.1f}",
                "5",
            )
        )
    return rows


def history_rows() -> list[Row]:
    """The demo's first strategy on histories made from its market's own bars."""
    script = next(item for item in DEMO_SCRIPTS if item.title == "Harbour swell")
    demo = next(item for item in DEMO_MARKETS if item.settings["symbol"] == script.market)
    dataset = make_dataset(make_demo_bars(demo)[0], market_settings(demo.settings).market(), Timeframe(15))
    prepared = Prepared.of(script.text, lambda title: None, dataset, ACCOUNT, Choices({}))
    took = timed(lambda: list(MadeHistories(prepared, HistoryRules(20)).steps()))
    return [(f"histories made and run, {len(dataset):,} bars", f"{20 / took:.1f} a second", "no target")]


def onward_rows() -> list[Row]:
    """What comes after the backtest: a closed bar taken by a practice, and the strategy as a file of its own."""
    script = next(item for item in DEMO_SCRIPTS if item.title == "Harbour swell")
    whole = _demo_on(script.market, 15)
    checked = check(script.text)
    inputs = input_values(checked, {})

    def taken(markets: list[Dataset], upto: int) -> None:
        cuts = [int(np.searchsorted(one.bars.time, upto, side="right")) for one in markets]
        so_far = [SoFar(one.market, one.bars.take(slice(0, cut))) for one, cut in zip(markets, cuts, strict=True)]
        since = int(so_far[0].bars.time[cuts[0] * 4 // 5])
        found = Following.of(checked, ACCOUNT, so_far, inputs, since)
        found.happenings()
        next_steps(found)

    size = len(whole)
    growth, seconds = ratio(
        lambda: taken([whole], int(whole.bars.time[-2])), lambda: taken([whole], int(whole.bars.time[size // 2]))
    )
    basket = [_demo_on(symbol, 15) for symbol in DEMO_BASKETS["Quay shares"]]
    bars_of_all = sum(map(len, basket))
    together = median(timed(lambda: taken(basket, int(basket[0].bars.time[-2]))) for _ in range(5))
    with tempfile.TemporaryDirectory() as folder:
        written, bars = Path(folder) / "swell.py", Path(folder) / "bars.csv"
        written.write_text(python_of(checked, inputs, Instrument(whole.market, ACCOUNT)), "utf-8")
        stamps = np.datetime_as_string(whole.bars.time.astype("datetime64[s]"))
        rows = zip(stamps, *(getattr(whole.bars, name).tolist() for name in PRICES), strict=True)
        lines = (f"{row[0]}Z," + ",".join(map(str, row[1:])) for row in rows)
        bars.write_text("\n".join(("time," + ",".join(PRICES), *lines)), "utf-8")
        alone = median(
            timed(lambda: subprocess.run([sys.executable, written, bars], check=True, stdout=subprocess.DEVNULL))
            for _ in range(3)
        )
    return [
        (f"a bar taken by a practice after {size:,} bars", f"{seconds * 1e3:.0f} ms", "no target"),
        ("the same / after half as many", f"{growth:.2f}", "2.5"),
        (
            f"a moment of {len(basket)} markets taken by a practice after {bars_of_all:,} bars",
            f"{together * 1e3:.0f} ms",
            "no target",
        ),
        (f"the demo's strategy as a file of its own, {size:,} bars", f"{size / alone:,.0f} bars a second", "no target"),
    ]


def _demo_on(symbol: str, minutes: int) -> Dataset:
    demo = next(item for item in DEMO_MARKETS if item.settings["symbol"] == symbol)
    return make_dataset(make_demo_bars(demo)[0], market_settings(demo.settings).market(), Timeframe(minutes))


COLD_CHECK = """
import sys, time
from skelb.core.language import check
from skelb.service.backtest import Choices
from skelb.service.library import Library
from skelb.service.logbook import Logbook
from skelb.service.allocation import keep_loaded_objects
check("x = close")
keep_loaded_objects()
text = sys.stdin.read()
started = time.perf_counter()
check(text)
print(time.perf_counter() - started)
"""


def _cold_check(text: str) -> float:
    """Seconds of the first check of a text in a program that has just started; the least of three."""
    command = [sys.executable, "-c", COLD_CHECK]
    return min(
        float(subprocess.run(command, input=text, capture_output=True, text=True, check=True).stdout) for _ in range(3)
    )


def language_rows() -> list[Row]:
    lines = [f"a{i} = ema(close, {i % 50 + 2}) + prior(high, {i % 7}) * 2 - stdev(close, 20)" for i in range(2000)]
    text = "\n".join(lines)
    wrong = "\n".join(line if i % 8 else line.replace("ema", "emaa") for i, line in enumerate(lines))
    cold, cold_wrong = (_cold_check(item) for item in (text, wrong))
    checked = check(text)
    edited = [text.replace("a1000 = ema", f"a1000 = {k} + ema") for k in range(9)]
    seconds = median(timed(lambda t=t: check(t)) for t in edited)  # type: ignore[misc]
    complete = [timed(lambda: completions(text + "\nx = ", len(text) + 5, checked, Surroundings())) for _ in range(9)]
    return [
        ("check 2,000 lines after a one-line change", f"{seconds * 1000:.0f} ms", "50 ms"),
        ("check 2,000 lines from nothing, in a fresh program", f"{cold * 1000:.0f} ms", "200 ms"),
        ("the same with 250 mistakes", f"{cold_wrong * 1000:.0f} ms", "200 ms"),
        ("completions at the end of 2,000 lines", f"{median(complete) * 1000:.0f} ms", "50 ms"),
    ]


IMPORT = """
import sys, time
from pathlib import Path
from skelb.service.application import Application
from skelb.service.importing.bars_csv import read_bars_csv
application = Application(Path(sys.argv[2]))
def peak():
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) / 1024 for line in lines if line.startswith("VmHWM"))
before = peak()
started = time.perf_counter()
application.library.save_market("BIG", "", {}, [read_bars_csv(Path(sys.argv[1])).bars])
print(time.perf_counter() - started, peak() - before)
"""


def import_rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "big.csv"
        bars = make_bars(1_000_000)
        stamps = np.datetime_as_string(bars.time.astype("datetime64[s]"))
        with path.open("w") as out:
            out.write("time,open,high,low,close,volume\n")
            for t, o, h, low, c in zip(stamps, bars.open, bars.high, bars.low, bars.close, strict=True):
                out.write(f"{t}Z,{o:.2f},{h:.2f},{low:.2f},{c:.2f},100\n")
        size = path.stat().st_size / 2**20
        done = subprocess.run(
            [sys.executable, "-c", IMPORT, str(path), folder], capture_output=True, text=True, check=True
        )
        seconds, megabytes = map(float, done.stdout.split())
    return [
        (f"import 1,000,000 rows of CSV ({size:.0f} MB), stored and ready", f"{seconds:.1f} s", "5 s"),
        ("its peak memory over the idle program, against the file", f"{megabytes / size:.1f} ×", "6 ×"),
    ]


def logbook_rows(runs: int = 100_000, tries: int = 1_000_000) -> list[Row]:
    """A logbook and a tally as large as they are meant to become."""
    with tempfile.TemporaryDirectory() as folder:
        database = Database(Path(folder))
        book = Logbook(database, Library(database))
        setup = Setup(text=SCRIPT * 4, market="KELP", timeframe="15m", account="Own").model_dump_json()
        figures, curve = "{" + ", ".join(f'"figure {k}": {k}.5' for k in range(100)) + "}", b"\0" * 192
        with database.engine.begin() as connection:
            connection.execute(
                sql("INSERT INTO run (id, setup, figures, data_version, engine_version, created)"
                     " VALUES (:id, :setup, :figures, 1, '0', '2026-01-02 03:04:05.000000')"),
                [{"id": n, "setup": setup, "figures": figures} for n in range(1, runs + 1)],
            )  # fmt: skip
            connection.execute(
                sql("INSERT INTO log_line (id, parent_id, title, place, timeframe, change, star, tags, note, words,"
                     " net_profit, return_over_drawdown, trades, curve, engine_version, created) VALUES (:id, :parent,"
                     " :title, :place, '15m', :change, 0, '[]', :note, :words, 1.5, 2.5, 7, :curve, '0',"
                     " '2026-01-02 03:04:05.000000')"),
                [
                    {"id": n, "parent": n - 1 or None, "title": f"Script {n % 40}", "place": f"MARKET {n % 9}",
                     "change": f"n {n} → {n + 1}", "note": "a note of some words on what it was for", "curve": curve,
                     "words": f"script {n % 40} market {n % 9} 15m n {n} → {n + 1} a note of some words on what it was"}
                    for n in range(1, runs + 1)
                ],
            )  # fmt: skip
            connection.execute(
                sql("INSERT INTO tally (id, title, market, timeframe_minutes, data_version, listed, leader, draws)"
                     " VALUES (1, 'Script 1', 'KELP', 15, 1, '[]', '[]', x'')")
            )  # fmt: skip
            rows = [{"digest": n, "sharpe": n % 997 / 1e4} for n in range(tries)]
            connection.execute(
                sql("INSERT INTO tally_try (tally_id, digest, setting, sharpe) VALUES (1, :digest, :digest, :sharpe)"),
                rows,
            )
            connection.execute(
                sql("INSERT INTO tally_course (title, settings, steps, by, total, squares, begun) VALUES ('Script 1',"
                     f" {tries}, '[[1, 0.01], [9, 0.09]]', '{{}}', 5e4, 3e3, '2026-01-02 03:04:05.000000')")
            )  # fmt: skip
        found = {
            f"the newest of {runs:,} kept runs": lambda: book.page(),
            "the same: found by a word that few have": lambda: book.page(words=f"n {runs // 2} nothing-else"),
            "the same: of one script": lambda: book.page(title="Script 7"),
            f"the tally of a script after {tries:,} tries": lambda: Tallies(database).told("Script 1"),
        }
        rows_found = [
            (what, f"{median(timed(ask) for _ in range(7)) * 1e3:.0f} ms", "200 ms") for what, ask in found.items()
        ]
        database.close()
        return rows_found


def main() -> None:
    keep_freed_memory()  # as the program does
    warm_all()
    rows = (
        engine_rows(1_000_000)
        + rule_rows(1_000_000)
        + growth_rows()
        + sweep_rows()
        + demo_sweep_rows()
        + search_rows()
        + forming_rows()
        + history_rows()
        + onward_rows()
        + language_rows()
        + import_rows()
        + logbook_rows()
    )
    with Live() as live:
        rows += live.rows()
    machine = f"{os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}"
    width = max(len(row[0]) for row in rows)
    print(f"{machine}\n")
    for what, value, target in rows:
        print(
            f"{what:{width}}  {value:>10}  at most {target}"
            if "Python loop" not in what
            else f"{what:{width}}  {value:>10}  at least {target}"
        )
    print(f"\npeak memory of this program: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")
    table = "\n".join(f"| {what} | {value} | {target} |" for what, value, target in rows)
    text = (
        (ROOT / "docs" / "benchmarks.md").read_text("utf-8")
        if (ROOT / "docs" / "benchmarks.md").exists()
        else "# Benchmarks\n"
    )
    head, _, tail = text.partition("<!-- table -->")
    _, _, notes = tail.partition("<!-- end -->")
    stamp = datetime.now(UTC).strftime("%d %B %Y")
    body = f"<!-- table -->\n\nMeasured {stamp} on {machine}.\n\n| measure | found | target |\n|---|---|---|\n{table}\n\n<!-- end -->"  # noqa: E501
    (ROOT / "docs" / "benchmarks.md").write_text(head + body + notes, "utf-8")


if __name__ == "__main__":
    main()
