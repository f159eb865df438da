"""Cases to follow with a pencil, one rule of the engine a file, in tests/pencil.

A file holds one case, or several under `== title`. A case has an account and a market where they differ from the
defaults, bars an hour apart from Tuesday 2 Jan 2024 09:00 UTC (several markets' under `bars SYMBOL`), a script, and what
must come of them: all trades in order of exit, all skipped orders, and in some files the equity at each close. `Tue
10:00` is the bar that opens then; `Tue 10:00 to Wed 08:00` are equal bars. `volume == 1` is the signal of a long.
"""

import json
import re
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from skelb.core.bars import Bars, Timeframe
from skelb.core.engine import Skip, run_basket
from skelb.core.language import check
from skelb.core.plan import make_dataset, make_plan
from skelb.service.settings import account_settings, market_settings

FOLDER = Path(__file__).parents[1] / "pencil"
FIRST = datetime(2024, 1, 2, 9, tzinfo=UTC)
LABELS = [(FIRST + timedelta(hours=hour)).strftime("%a %H:%M") for hour in range(24 * 7)]
WORDS = {"market", "side", "entry", "exit", "reason", "ambiguous", "bar"}
NUMBERS = {
    "units": "units", "entry_price": "entry_price", "exit_price": "exit_price",
    "gross": "gross", "commission": "commission", "spread": "spread",
    "slippage": "slippage", "financing": "financing", "net": "net", "r": "r",
    "stop": "stop", "best": "best", "worst": "worst",
}  # fmt: skip


def cases():
    for path in sorted(FOLDER.glob("*.txt")):
        text = "\n".join(line for line in path.read_text().split("\n") if not line.startswith("# "))
        for part in re.split(r"^== ", text, flags=re.M):
            title, _, body = part.partition("\n")
            if body.strip():
                yield pytest.param(body, id=f"{path.stem}: {title}" if title else path.stem)


def sections(text):
    """Each heading of a case with its indented lines; what stands behind a heading's word on its line is kept."""
    found, heading = {}, ""
    for line in text.split("\n"):
        if line.startswith("  "):
            found[heading].append(line[2:])
        elif line.strip():
            heading, _, rest = line.partition("  ")
            found[heading] = [rest] if rest else []
    return found


def table(lines):
    """Rows of a table as dicts; its columns are two or more spaces apart."""
    if lines in ([], ["none"]):
        return []
    names, *rows = (re.split(r"\s{2,}", line.rstrip()) for line in lines)
    found = [dict(zip(names, row, strict=True)) for row in rows]
    return [{name: cell if name in WORDS else number(cell) for name, cell in row.items()} for row in found]


def number(cell):
    return None if cell == "-" else pytest.approx(float(cell), rel=1e-9, abs=1e-9)


def bars_of(lines):
    prices = []
    for line in lines[1:]:
        opens, *cells = re.split(r"\s{2,}", line.rstrip())
        begins, _, ends = opens.partition(" to ")
        assert LABELS[len(prices)] == begins, f"the bar after {len(prices)} others opens {LABELS[len(prices)]}"
        count = LABELS.index(ends) - len(prices) + 1 if ends else 1
        prices += [[float(cell) for cell in cells]] * count
    time = int(FIRST.timestamp()) + np.arange(len(prices), dtype=np.int64) * 3600
    return Bars(Timeframe(60), time, *np.array(prices).T)


def trades_of(outcome, symbol):
    trades = outcome.trades
    for row in range(len(trades)):
        words = {
            "market": symbol, "side": "long" if trades.side[row] > 0 else "short", "entry": LABELS[trades.entry_bar[row]],
            "exit": LABELS[trades.exit_bar[row]], "reason": outcome.exit_reason(row), "ambiguous": "yes" if trades.ambiguous[row] else "no",
        }  # fmt: skip
        found = {name: float(trades.rows[column][row]) for name, column in NUMBERS.items()}
        yield words | {name: None if value != value else value for name, value in found.items()}


def skipped_of(outcome, symbol):
    for bar, side, reason, *_ in outcome.skips.tolist():
        yield {"market": symbol, "bar": LABELS[bar], "side": "long" if side > 0 else "short", "reason": Skip(int(reason)).word}  # fmt: skip


def equity_of(outcome, symbol):
    for bar, equity in enumerate(outcome.equity):
        yield {"market": symbol, "bar": LABELS[bar], "equity": equity}


def assert_rows(found, expected):
    """The rows found are those expected, in the columns that are written down."""
    found = list(found)
    assert [{name: row[name] for name in (expected[0] if expected else row)} for row in found] == expected


@pytest.mark.parametrize("text", cases())
def test_pencil_case(text):
    case = sections(text)
    settings = {name: json.loads(case[name][0]) if name in case else {} for name in ("account", "market")}
    checked = check("\n".join(case["script"]))
    assert checked.is_sound, checked.diagnostics
    symbols = [heading[5:] for heading in case if heading.split(" ")[0] == "bars"]
    plans = [
        make_plan(checked, make_dataset(bars_of(case[f"bars {s}".strip()]), market_settings(settings["market"]).market(s or "M")), {})
        for s in symbols
    ]  # fmt: skip
    outcomes = run_basket(plans, account_settings(settings["account"]).account())
    named = list(zip(outcomes, symbols, strict=True))
    assert_rows((row for each in named for row in trades_of(*each)), table(case["trades"]))
    assert_rows((row for each in named for row in skipped_of(*each)), table(case.get("skipped", [])))
    if "equity" in case:
        assert_rows((row for each in named for row in equity_of(*each)), table(case["equity"]))
