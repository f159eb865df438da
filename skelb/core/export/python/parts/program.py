# ruff: noqa: F821
# mypy: ignore-errors
"""The file as a program: bars from a CSV, or as a feed says them, and the trades that come of them.

What it speaks of besides (`Strategy`, `Inputs`, `MARKET`, `SETTINGS`) stands in the file that is written. Of a line
that ends in `# if guessed` see `account`.
"""

import argparse
import base64
import json
import os
import socket
import ssl
import struct
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import asdict
from pathlib import Path
from urllib.parse import urlsplit

from skelb.core.export.python.parts.account import Account, Trade, time_text
from skelb.core.export.python.parts.market import Calendar, Row, read_bars


def words_of(address: str) -> Iterator[dict]:
    """The words of a feed, one JSON object a line: a file that grows, or a WebSocket that is sought again when lost."""
    if not address.startswith(("ws://", "wss://")):
        yield from words_of_file(Path(address))
        return
    pause = 0.5
    while True:
        try:
            for text in messages_of(address):
                pause = 0.5
                yield from (word for line in text.splitlines() if (word := read_word(line)))
        except (OSError, ValueError) as exc:
            print(f"the feed at {address} is lost ({exc}); sought again in {pause:g} s", file=sys.stderr)
        time.sleep(pause)
        pause = min(2 * pause, 30.0)


def words_of_file(path: Path) -> Iterator[dict]:
    """The words in a file, and whatever is written to it later."""
    with path.open(encoding="utf-8") as file:
        line = ""
        while True:
            line += file.readline()
            if not line.endswith("\n"):
                time.sleep(0.5)
                continue
            if word := read_word(line):
                yield word
            line = ""


def read_word(line: str) -> dict:
    """A closed bar that a line says; nothing for other words, and for what cannot be read, which is told."""
    try:
        word = json.loads(line) if line.strip() else {}
        if word.get("say") != "bar" or not word["closed"]:
            return {}
        names = ("open", "high", "low", "close", "volume")
        values = {name: float(word[name]) for name in names}
        return {"market": word["market"], "minutes": minutes_of(word["timeframe"]), "time": int(word["time"]), **values}
    except (ValueError, KeyError, TypeError, AttributeError) as exc:
        print(f"a line of the feed cannot be read ({exc!r}): {line[:60]}", file=sys.stderr)
        return {}


def minutes_of(timeframe: str) -> int:
    """The minutes of a timeframe such as 15m, 4h, 1d or 1w."""
    return int(timeframe[:-1]) * {"m": 1, "h": 60, "d": 1440, "w": 10_080}[timeframe[-1]]


def messages_of(address: str) -> Iterator[str]:
    """The text messages of a WebSocket (RFC 6455) until it closes."""
    place = urlsplit(address)
    is_safe = place.scheme == "wss"
    link = socket.create_connection((place.hostname or "", place.port or (443 if is_safe else 80)), timeout=60)
    if is_safe:
        link = ssl.create_default_context().wrap_socket(link, server_hostname=place.hostname)
    with link, link.makefile("rb") as coming:
        key = base64.b64encode(os.urandom(16)).decode()
        path = (place.path or "/") + (f"?{place.query}" if place.query else "")
        link.sendall(
            f"GET {path} HTTP/1.1\r\nHost: {place.netloc}\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n"
            f"Sec-WebSocket-Key: {key}\r\nSec-WebSocket-Version: 13\r\n\r\n".encode()
        )
        if b" 101 " not in coming.readline():
            raise OSError("no WebSocket answers there")
        while coming.readline().strip():
            pass
        text = b""
        while True:
            head = coming.read(2)
            if len(head) < 2:
                raise OSError("it ended")
            first, length = head[0], head[1] & 0x7F
            if length >= 126:
                length = int.from_bytes(coming.read(2 if length == 126 else 8), "big")
            data, kind = coming.read(length), first & 0x0F
            if kind == 8:
                raise OSError("it was closed")
            if kind == 9:  # asked whether this end is there: the same back, masked
                mask = os.urandom(4)
                answer = bytes(byte ^ mask[place % 4] for place, byte in enumerate(data))
                link.sendall(struct.pack("!BB", 0x8A, 0x80 | len(data)) + mask + answer)
            if kind in (0, 1):
                text += data
                if first & 0x80:
                    yield text.decode()
                    text = b""


def read_others(account: Account, given: list[str], minutes: int, is_live: bool) -> dict[str, Calendar]:
    """Read the bars of the markets that the rules look at; where each one's bars go on. A feed may say all of them."""
    files = {symbol: path for symbol, _, path in (item.partition("=") for item in given)}
    for symbol in files:
        if symbol not in OTHERS:
            raise ValueError(f"the rules read no market {symbol}, but {', '.join(OTHERS)}")
    calendars = {}
    for symbol, market in OTHERS.items():
        if symbol not in files and not is_live:
            raise ValueError(f"the rules read {symbol}: give its bars as --from {symbol}=FILE.csv")
        rows, own = read_bars(Path(files[symbol])) if symbol in files else ([], minutes)
        calendars[symbol] = Calendar(market, own)
        account.strategy.others[symbol] += [bar for row in rows for bar in [calendars[symbol].next(row)] if bar]
    return calendars


def take_other(account: Account, calendar: Calendar, word: dict) -> None:
    """A bar that a feed says of a market that the rules read, where it goes on from the newest."""
    newest = calendar.last.time if calendar.last else -1
    if word["minutes"] == calendar.minutes and word["time"] > newest:
        row = Row(word["time"], word["open"], word["high"], word["low"], word["close"], word["volume"])
        bar = calendar.next(row)
        account.strategy.others[word["market"]] += [bar] if bar else []


def follow(
    account: Account, calendar: Calendar, words: Iterator[dict], latest: int, told: Callable[[Trade], str],
    others: dict[str, Calendar],  # if elsewhere
) -> None:  # fmt: skip
    """Run on with the closed bars of a feed, and say what happens as it happens."""
    for word in words:
        if word["market"] in others:  # if elsewhere
            take_other(account, others[word["market"]], word)
        is_here = word["market"] == (account.market.symbol or word["market"]) and word["minutes"] == calendar.minutes
        if not is_here or word["time"] <= latest:
            continue
        latest = word["time"]
        bar = calendar.next(Row(latest, word["open"], word["high"], word["low"], word["close"], word["volume"]))
        if bar is None:
            continue
        lots, trades = list(account.lots), len(account.trades)
        account.on_bar(bar)
        for lot in account.lots:
            if lot not in lots:
                side = "long" if account.side > 0 else "short"
                entered = f"{time_text(lot.entered)} {side} {lot.units:g} at {lot.price:g} ({lot.name})"
                print(entered, file=sys.stderr, flush=True)
        for trade in account.trades[trades:]:
            print(told(trade), flush=True)


def sentence(trade: Trade) -> str:
    """A trade in a line."""
    return (
        f"{trade.number:>5}  {trade.side:5}  {trade.entry_time}  {trade.entry_price:>12g}  {trade.exit_time}  "
        f"{trade.exit_price:>12g}  {trade.units:>12g}  {trade.net:>+12.2f}  {trade.exit_reason}"
    )


def in_json(trade: Trade) -> str:
    """A trade as a JSON object in a line."""
    return json.dumps(asdict(trade))


def main() -> int:
    """Read the bars, run the strategy over them, print its trades; then go on with a feed, if there is one."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").partition("\n")[0])
    parser.add_argument("bars", nargs="?", type=Path, help="a CSV file: time,open,high,low,close,volume")
    parser.add_argument(
        "--json",
        action="store_true",
        help='print {"trades": [...]} and nothing else; with a feed, each trade as a line',
    )
    parser.add_argument("--feed", metavar="ADDRESS", help="go on with a feed: ws://… or a file that grows")
    parser.add_argument("--timeframe", metavar="MINUTES", type=int, help="of the feed's bars, where there is no CSV")
    parser.add_argument(  # if elsewhere
        "--from", dest="others", metavar="SYMBOL=CSV", action="append", default=[],
        help="the bars of a market that the rules read",
    )  # fmt: skip
    asked = parser.parse_args()
    if not asked.bars and not (asked.feed and asked.timeframe):
        parser.error("give a CSV file of bars, or --feed ADDRESS with --timeframe MINUTES")
    try:
        run(asked)
    except (OSError, ValueError) as exc:
        print(exc, file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 130
    return 0


def run(asked: argparse.Namespace) -> None:
    """All that was asked for."""
    rows, minutes = read_bars(asked.bars) if asked.bars else ([], asked.timeframe)
    market = MARKET
    market = market_of(rows, asked.bars)  # if guessed
    calendar, account = Calendar(market, minutes), Account(Strategy(Inputs(), market, minutes), market, SETTINGS)
    others = read_others(account, asked.others, minutes, bool(asked.feed))  # if elsewhere
    bars = [bar for row in rows for bar in [calendar.next(row)] if bar]
    for place, bar in enumerate(bars):
        account.on_bar(bar, is_last=place == len(bars) - 1 and not asked.feed)
    told = in_json if asked.json else sentence
    if asked.json and not asked.feed:
        print(json.dumps({"trades": [asdict(trade) for trade in account.trades]}))
        return
    for trade in account.trades:
        print(told(trade), flush=True)
    if not asked.json:
        print(f"{len(account.trades)} trades, net {sum(trade.net for trade in account.trades):+.2f}", flush=True)
    if asked.feed:
        latest = rows[-1].time if rows else -1
        follow(account, calendar, words_of(asked.feed), latest, told)  # if not elsewhere
        follow(account, calendar, words_of(asked.feed), latest, told, others)  # if elsewhere
