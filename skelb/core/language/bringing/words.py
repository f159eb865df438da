"""What words mean in any notation: the parts that a name is put together from, and the trade's words for them.

No program's list of names stands here. A name is split where its parts meet (`expMean`, `moving_average`, `calc.rsi`),
and what it means is told by the parts that the trade shares.
"""

import re
from collections.abc import Iterable

_PARTS = """
exponential expo exp simple weighted smoothed moving average mean avg median relative strength index true range
standard deviation stddev stdev std dev highest lowest greatest least rolling maximum minimum max min high low
cross crosses crossed crossing crossover crossunder over under above below up down upward downward passes through
momentum change difference diff rate bollinger stochastic stoch directional direction channel cumulative cum sum
abs absolute sqrt round floor ceil log pow power vwap obv macd rsi atr ema sma wma hma dema tema kama adx cci roc
zscore score percentile wilder running rising falling climbs sinks sign vwma volume
bars since count prior previous shift lag highs lows
""".split()
_LONGEST_WORD = 40
_BY_LENGTH = sorted(set(_PARTS), key=len, reverse=True)

_SERIES = """
open: open, o, opens
high: high, h
low: low, l
close: close, c, price, last, closes
volume: volume, v, vol
mid: hl2, median
typical: hlc3, typical
weekday: weekday, dayofweek, day_of_week
time: time
hour: hour
minute: minute
month: month
tick: tick
spread: spread
"""
_FUNCTIONS = """
ema: ema, exponential average, exp average, exp mean, expo average, exponential mean
sma: sma, simple average, average, mean
wma: wma, weighted average, weighted mean
hma: hma
dema: dema
tema: tema
kama: kama
rsi: rsi, relative strength, relative strength index
atr: atr, average true range, mean true range
true_range: true range
stdev: stdev, standard deviation, std dev, std, deviation
highest: highest, highest high, greatest, rolling max
lowest: lowest, lowest low, least, rolling min
macd: macd
bollinger: bollinger
stoch: stoch
adx: adx, directional index, direction, directional, average directional index
cci: cci
roc: roc, rate change
gain: change, momentum, diff, difference
vwap: vwap
obv: obv
sum: sum, rolling sum
cumulate: cum, cumulative sum
median: median
abs: abs, absolute
max: max, maximum
min: min, minimum
sqrt: sqrt
round: round
floor: floor
ceil: ceil
log: log
exp: exp
bars_since: bars since
prior: prior, previous, shift, lag
climbs: rising, climbs
sinks: falling, sinks
count: count
sign: sign
percentile: percentile
zscore: zscore, standard score
wilder: wilder, wilder average, running average
vwma: vwma, volume weighted average
"""


def _table(text: str) -> list[tuple[str, str]]:
    """The lines of a table, `meant: word, word`, as pairs of a word and what it means."""
    rows = (line.partition(": ") for line in text.strip().splitlines())
    return [(word, meant) for meant, _, words in rows for word in words.split(", ")]


SOURCES = dict(_table(_SERIES))
"""Words for the bar's own series, as the last part of a dotted name or alone."""

_ALIKE = dict(_table("""
average: avg
exp: expo, exponential, smoothed
max: maximum
min: minimum
stoch: stochastic
stdev: stddev
cum: cumulative
std: standard
"""))  # fmt: skip
_POSITIONS = dict(_table("""
position: position, position size, pos, market position
position is not flat: in position, has position, is in market, in market, is invested, in trade
position is flat: is flat, flat, no position, out of market
position is long: is long, in long, has long
position is short: is short, in short, has short
entry_price: entry price, average entry price, avg entry price, position price
bars_held: bars held, bars since entry, bars in position, bars in trade
"""))  # fmt: skip
_POSITIONS_TOGETHER = {word.replace(" ", ""): meant for word, meant in _POSITIONS.items()}
NOTHINGS = ("na", "nan", "null", "none", "nil")
"""Words for a value that is not there."""
UNKNOWN = "0 / 0"
"""A number that is not there, in Skelb."""
_ABOVE, _BELOW = {"over", "above", "up", "upward", "crossover"}, {"under", "below", "down", "downward", "crossunder"}
_CROSS = {"cross", "crosses", "crossed", "crossing", "crossover", "crossunder", "passes"}


def parts_of(name: str) -> list[str]:
    """The parts of a name's last member, lower case: `calc.expMean` has exp and mean."""
    return _parts(name.rpartition(".")[2])


def _parts(name: str) -> list[str]:
    found: list[str] = []
    for word in re.findall(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+", name):
        found += _split(word.lower())
    return found


def _split(word: str) -> list[str]:
    """A word that is written together, split where known parts meet; whole where it does not come out even."""
    if not word or word in _BY_LENGTH or len(word) > _LONGEST_WORD:
        return [word] if word else []
    for part in _BY_LENGTH:
        if word.startswith(part):
            rest = _split(word[len(part) :])
            if rest and all(item in _BY_LENGTH for item in rest):
                return [part, *rest]
    return [word]


def function_of(name: str) -> str | None:
    """The function that a name means by its parts; None where the trade has no such word."""
    return _BY_PARTS.get(_meant(parts_of(name)))


def _meant(parts: Iterable[str]) -> frozenset[str]:
    """Parts with those that mean the same as one, and without those that say nothing more."""
    return frozenset(_ALIKE.get(part, part) for part in parts) - {"moving", "index"}


_BY_PARTS = {_meant(words.split()): function for words, function in _table(_FUNCTIONS)}


def crossing_of(name: str) -> str | None:
    """`above`, `below` or `meets` where a name speaks of crossing."""
    parts = set(_parts(name))
    if not parts & _CROSS:
        return None
    if parts & _ABOVE:
        return "above"
    return "below" if parts & _BELOW else "meets"


def source_of(name: str) -> str | None:
    """The bar's series that a name stands for."""
    return SOURCES.get(name.rpartition(".")[2].lower())


def position_of(name: str) -> str | None:
    """What a name asks of the position: a value, or a question after its side."""
    return _POSITIONS_TOGETHER.get(re.sub(r"[^a-z]", "", name.rpartition(".")[2].lower()))


def says(name: str, *words: str) -> bool:
    """Whether one of some words stands in a name, written in any way."""
    flat = re.sub(r"[^a-z]", "", name.lower())
    return any(word in flat for word in words)
