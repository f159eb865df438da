"""One text to paste to any assistant, so that the script it writes compiles."""

from textwrap import fill

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, WORDS
from skelb.core.language.check import Checked
from skelb.core.language.diagnostics import Diagnostic, LineMap
from skelb.core.language.reading.show_statements import COLORS

LANGUAGE_PAGE = f"""\
Skelb is a language for indicator and strategy scripts. Everything is a series on the script's bars: a number, a
condition (yes, no, unknown) or a record of numbers (`bands.upper`). One statement a line; `#` starts a comment; a
line goes on after an operator, a comma, `and`, `or`, inside brackets, or when the next line begins with `and`, `or`,
`then`. Names are defined before they are used, each once. Keywords are lower case. No later bar can be named. There
are no blocks, loops, `if` statements, semicolons or declarations; nothing is assigned twice.
Reserved are the names of every bar below and
{fill(" ".join(sorted(WORDS)), 118, initial_indent="  ", subsequent_indent="  ")}
The name of a function that needs arguments may be taken: its call stays the function.

EXPRESSIONS
  a and b, a or b, not a; < <= > >= == != (chains: 30 < x < 70); + - * / ^
  x in 30..70 (ends included), x in (1, 2), time in 09:30..11:00, weekday in mon..wed, month in (jan, may), `not in`
  weekday is fri, kind is ema, fridays is on, month is not prior(month): words by `is` and `in`, never by a sign
  a crosses above b, a crosses below b, a meets b
  (a if c else b)  always in brackets
  prior(x), prior(x, 3)  the value 1 or 3 bars earlier
  a then b no later than 10 bars unless c;  all of (a, b) no later than 5 bars  (first in a sequence, else in brackets)
  x on 4h (a higher timeframe, closed bars; `x on 4h forming` as it stands), x from "KELP", x from "KELP" on 1d
  total(k from 0 to 4: prior(x, k) * (5 - k));  column("ref") an extra column that came with the bars
  f(a, b, name: c), record.field, average(x, n, kind) with kind {", ".join(FUNCTIONS["average"].parameters[2].words)}

STATEMENTS THAT DEFINE
  title "…"   note "…"   zone "Area/City"
  input n = 12 from 4 to 40 step 1 "Label" | input s = on | input k = ema one of sma, ema | input t = 09:30
  input frame = 4h one of 2h, 4h | input other = "KELP" | input src = close one of open, close
  name = expression
  define f(a, b) = expression where t = expression, carry s = expression starting expression
  carry n = expression starting expression   (a running value: inside, n is its own value one bar earlier)
  use "Other script" with fast = 12 as other   (then other.up)

STATEMENTS THAT SHOW
  draw a, b as line|stairs|points|pillars|wash in "Panel" color long when c else short named "…"
  level 30, 70 in "Panel"; shade a to b color brass strength 20% when c
  mark c above|below pointer|ring|pennon|knot color deep "text {{close}}" (a label in double quotes, values in braces)
  tint c color gain; alert c "text {{close}}"     colours: {" ".join(COLORS)}

STATEMENTS THAT RULE
  enter long|short when c [at market|at close|at limit P|at stop P] [for N bars] [size …] [named "…"]
  exit [long|short] when c [at …] [for N bars] [take 50%] [lots "entry name"] [named "…"]
  exit [long|short] after N bars|days [at close]
  stop [long|short] DISTANCE | stop at P; target [long|short] DISTANCE [for 50%] | target at P
  trail [long|short] DISTANCE [once DISTANCE] | trail at P [once DISTANCE]; breakeven once DISTANCE [plus DISTANCE]
    DISTANCE: 2%, 50 pips, 8 ticks, 1.5 points, 1000 cash (per unit), 3 R (multiples of the stop), or a difference of
    prices: 2 * atr(14). A price needs `at`: stop at lowest(low, 5). A sum with a unit stands in brackets: (n + 5) ticks
  window mon-thu 09:30-16:00; months jan-mar; dates 2023-01-01 to 2023-12-31; flat at 16:45|session end|week end
  limit 2 entries per day; limit 3 open; limit 2 losses per day; limit loss 2% per day; pause 5 bars after stop|loss|exit
  opposite reverse|exit|ignore; size 2 units|1000 cash|50% of equity|risk 1% of equity|risk 100 cash [max 5 units]
  any rule may end in `only if` and a condition of inputs

WHEN AND WHAT BY DEFAULT
  Rules are judged at each bar's close and fill at the next open; `at close` fills at that close; orders at a price rest
  for 1 bar. `time`, `hour`, `minute` are the bar's close. An opposite entry reverses the position; entries of the side
  held are ignored without `limit N open`; the size is 100% of equity; stops and targets are fixed when the entry is
  judged; of several the nearest counts. Resting entries of both sides may wait at once. Position names stand in the
  conditions of rules only; open_profit, best_profit and worst_profit are percent of the entry price.
"""

EXAMPLES = (
    ("a breakout bracket: both sides wait, the first to fill holds", """\
title "Morning bracket"
input minutes = 30 from 10 to 90 step 5
early = opening_range(minutes)
ready = known(early.high) and time in 10:00..14:00 and position is flat
enter long when ready at stop early.high + tick
enter short when ready at stop early.low - tick
stop long at early.low
stop short at early.high
target 2 R
limit 1 entry per day
flat at session end
size risk 1% of equity
"""),
    ("a pyramid: lots are added as the position earns, half leaves early", """\
title "Three steps"
input reach = 2 from 1 to 5 step 0.5
quick = ema(close, 12)
enter long when quick crosses above ema(close, 48) named "first"
enter long when open_lots in 1..2 and close > last_entry_price + atr(14) named "added"
exit long when quick crosses below ema(close, 48)
stop 2 * atr(14)
target reach R for 50%
trail 3 * atr(14) once 1 R
limit 3 open
size 30% of equity
"""),
    ("two sides by a higher timeframe, days and months chosen, out at the week's end", """\
title "Quiet weeks"
input big = 4h one of 2h, 4h, 1d
input gentle = on "Only outside summer"
up = close > sma(close, 50) on big
calm = month not in jun..aug or gentle is off
enter long when rsi(close, 5) crosses above 30 and up and calm
enter short when rsi(close, 5) crosses below 70 and not up and calm
exit when bars_held >= 20 and open_profit < 0
stop 1.5%
breakeven once 1 R plus 2 ticks
window mon-thu 09:30-16:00
flat at week end
pause 5 bars after stop
opposite exit
"""),
)  # fmt: skip
"""What they show, and scripts that run."""


def brief(checked: Checked, wish: str, run: str = "") -> str:
    """The brief for a script: the language, the catalogue, the script, what is wrong with it, how it ran where that is
    told, and the wish."""
    parts = [
        "You write scripts in the language described here, and only in it. Answer with one whole script, nothing else.",
        "THE LANGUAGE\n" + LANGUAGE_PAGE,
        *(f"EXAMPLE: {what}\n{text}" for what, text in EXAMPLES),
        "FUNCTIONS (fields of records after the dot)\n" + _functions(),
        "NAMES OF EVERY BAR\n" + _names(),
        "NAMES OF THE POSITION, in rules only\n  " + " ".join(POSITION_NAMES),
        f"THE SCRIPT AS IT IS NOW\n{checked.source.strip() or '(empty)'}",
        "WHAT THE CHECKER SAYS ABOUT IT\n"
        + (what_is_wrong(checked.source, checked.diagnostics) or "nothing: it is sound"),
        *([f"HOW IT RUNS NOW\n{run}"] if run else []),
        "THE WISH\n" + (wish.strip() or "Improve the script and keep what it means."),
    ]
    return "\n\n".join(part.rstrip() for part in parts) + "\n"


def what_is_wrong(source: str, diagnostics: tuple[Diagnostic, ...]) -> str:
    """The diagnostics as text to paste, one a line with the line it is about."""
    places, lines = LineMap(source), source.split("\n")
    found = []
    for item in diagnostics:
        line = places.place(item.span[0]).line
        mend = "" if item.mend is None else f" Write `{item.mend.text}`." if item.mend.text else " Leave this out."
        found.append(f"  line {line}, `{lines[line - 1].strip()}`: {item.message}. {item.why}{mend}")
    return "\n".join(found)


def _functions() -> str:
    families: dict[str, list[str]] = {}
    for entry in FUNCTIONS.values():
        fields = f" .{' .'.join(entry.fields)}" if entry.fields else ""
        families.setdefault(entry.family, []).append(f"{entry.signature}{fields}")
    return "\n".join(f"  {family}: {'; '.join(items)}" for family, items in families.items())


def _names() -> str:
    found = [f"{name.name} .{' .'.join(name.fields)}" if name.fields else name.name for name in BUILT_INS.values()]
    return "  " + "; ".join(found)
