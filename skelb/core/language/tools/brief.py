"""One text to paste to any assistant, so that the script it writes compiles."""

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES
from skelb.core.language.check import Checked
from skelb.core.language.diagnostics import Diagnostic, LineMap

LANGUAGE_PAGE = """\
Skelb is a language for indicator and strategy scripts. Everything is a series on the script's bars: a number, a
condition (yes, no, unknown) or a record of numbers (`bands.upper`). One statement a line; `#` starts a comment; a
line goes on after an operator, a comma, `and`, `or`, inside brackets, or when the next line begins with `and`, `or`,
`then`. Names are defined before they are used, each once. Keywords are lower case. No later bar can be named. There
are no blocks, loops, `if` statements, semicolons or declarations; nothing is assigned twice.

EXPRESSIONS
  a and b, a or b, not a; < <= > >= == != (chains: 30 < x < 70); + - * / ^
  x in 30..70 (ends included), time in 09:30..11:00, weekday in (mon, tue), month is jan, kind is ema, `is not`, `not in`
  a crosses above b, a crosses below b, a meets b
  (a if c else b)  always in brackets
  prior(x), prior(x, 3)  the value 1 or 3 bars earlier
  a then b no later than 10 bars unless c;  all of (a, b) no later than 5 bars
  x on 4h (a higher timeframe, closed bars), x from "KELP", x from "KELP" on 1d
  total(k from 0 to 4: prior(x, k) * (5 - k));  column("ref") an extra column that came with the bars
  f(a, b, name: c), record.field

STATEMENTS THAT DEFINE
  title "…"   note "…"
  input n = 12 from 4 to 40 step 1 "Label" | input s = on | input k = ema one of sma, ema | input t = 09:30
  input frame = 4h | input other = "KELP"
  name = expression
  define f(a, b) = expression where t = expression, carry s = expression starting expression
  carry n = expression starting expression   (a running value: inside, n is its own value one bar earlier)
  use "Other script" with fast = 12 as other   (then other.up)

STATEMENTS THAT SHOW
  draw a, b as line|stairs|points|pillars|wash in "Panel" color long when c else short named "…"
  level 30, 70 in "Panel"; shade a to b color brass when c; mark c above|below pointer|ring|pennon|knot color deep "text {close}"
  tint c color gain; alert c "text {close}"     colours: ink soft long short gain loss brass deep shallow

STATEMENTS THAT RULE
  enter long|short when c [at market|at close|at limit P|at stop P] [for N bars] [size …] [named "…"]
  exit [long|short] when c [at …] [for N bars] [take 50%] [lots "entry name"] [named "…"]
  exit [long|short] after N bars|days [at close]
  stop [long|short] DISTANCE | stop at P; target [long|short] DISTANCE [for 50%] | target at P
  trail [long|short] DISTANCE [once DISTANCE] | trail at P; breakeven once DISTANCE [plus DISTANCE]
    DISTANCE: 2%, 50 pips, 8 ticks, 1.5 points, 1000 cash, 3 R (multiples of the stop), or an expression in price: 2 * atr(14)
  window mon-thu 09:30-16:00; months jan-mar; dates 2023-01-01 to 2023-12-31; flat at 16:45|session end|week end
  limit 2 entries per day; limit 3 open; limit 2 losses per day; limit loss 2% per day; pause 5 bars after stop|loss|exit
  opposite reverse|exit|ignore; size 2 units|1000 cash|50% of equity|risk 1% of equity|risk 100 cash [max 5 units]
  zone "Area/City"; any rule may end in `only if` and a condition of inputs
"""


def brief(checked: Checked, wish: str) -> str:
    """The brief for a script: the language, the catalogue, the script, what is wrong with it, and the wish."""
    parts = [
        "You write scripts in the language described here, and only in it. Answer with one whole script, nothing else.",
        "THE LANGUAGE\n" + LANGUAGE_PAGE,
        "FUNCTIONS (fields of records after the dot)\n" + _functions(),
        "NAMES OF EVERY BAR\n" + _names(),
        "NAMES OF THE POSITION, in rules only\n  " + " ".join(POSITION_NAMES),
        f"THE SCRIPT AS IT IS NOW\n{checked.source.strip() or '(empty)'}",
        "WHAT THE CHECKER SAYS ABOUT IT\n"
        + (what_is_wrong(checked.source, checked.diagnostics) or "nothing: it is sound"),
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
