"""Which market a file's name speaks of."""

import re
from collections.abc import Iterable
from pathlib import PurePath

_ENDINGS = re.compile(r"(\.(csv|txt|tsv|gz|zip|parquet|feather|arrow|xlsx|xlsm|ods))+$", re.IGNORECASE)
_SEPARATORS = re.compile(r"[\s_.,;()\[\]-]+")
_TIMEFRAME = re.compile(r"\d+\s*(m|min|mins|minutes?|h|hours?|d|days?|w|weeks?)|[mhdw]\d+|minutes?|hourly|daily|weekly")
_DATE = re.compile(r"\d{4,}")
_NOISE = {"bars", "candles", "data", "export", "history", "ohlc", "ohlcv", "prices", "quotes", "from", "to", "utc"}
_LONGEST = 20


def symbol_of(file_name: str, known: Iterable[str] = ()) -> str:
    """The symbol that a file's name seems to mean: what is left of it without timeframe, dates and words for bars.

    A stored market that is called the same, other signs than letters and digits aside, goes before: `osc-vel_5m.csv`
    is OSC/VEL where there is one. Empty when nothing is left.
    """
    stem = _ENDINGS.sub("", PurePath(file_name).name)
    words = [word for word in _SEPARATORS.split(stem) if word]
    kept = [word for word in words if not _says_no_market(word.lower())]
    found = "_".join(kept).upper()[:_LONGEST]
    return next((symbol for symbol in known if _bare(symbol) == _bare(found)), found)


def _says_no_market(word: str) -> bool:
    return word in _NOISE or bool(_TIMEFRAME.fullmatch(word) or _DATE.fullmatch(word))


def _bare(symbol: str) -> str:
    return "".join(sign for sign in symbol.upper() if sign.isalnum())
