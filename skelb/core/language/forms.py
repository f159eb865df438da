"""Every form of the language with a sentence on what it does: for completion, hovering, and the guide.

A template shows the form with the fields to fill as `<field>`; what stands in square brackets may be left out.
"""

import re
from dataclasses import dataclass
from typing import Literal

Group = Literal["defines", "shows", "rules", "expressions"]


@dataclass(frozen=True)
class Form:
    """One form: the word it begins with or is known by, its template, what it does, and an example that checks."""

    word: str
    group: Group
    template: str
    summary: str
    example: str

    @property
    def snippet(self) -> str:
        """The template without its optional parts, fields numbered the way editors step through them.

        >>> Form("exit", "rules", "exit [<side>] after <n> bars", "", "").snippet
        'exit after ${1:n} bars'
        """
        bare = re.sub(r"\s*\[[^\[\]]*\]", "", self.template)
        count = iter(range(1, 20))
        return re.sub(r"<([^<>]+)>", lambda field: f"${{{next(count)}:{field[1]}}}", bare)


FORMS: tuple[Form, ...] = (
    # --- statements that define
    Form("title", "defines", 'title "<name>"', "The script's name; it is saved and found under it.", 'title "Swell"'),
    Form("note", "defines", 'note "<what it is about>"', "A sentence about the script.", 'note "Two averages."'),
    Form("input", "defines", 'input <name> = <default> [from <low> to <high> step <step>] ["<label>"]',
         "A number to drag and sweep; the range is its default for both. A default may also be on or off, a time, a"
         " timeframe, a market in quotes, or a word with `one of`.",
         'input fast = 12 from 4 to 40 step 1 "Fast length"\ndraw ema(close, fast)'),
    Form("input … one of", "defines", 'input <name> = <word> one of <word>, <other> ["<label>"]',
         "A choice among words, numbers, times, timeframes or markets, or among series such as close and open.",
         "input kind = ema one of ema, sma\ninput big = 8h one of 4h, 8h, 1d\ndraw average(close, 20, kind) on big"),
    Form("name =", "defines", "<name> = <expression>", "Gives an expression a name; a named condition gets a lane.",
         "quick = ema(close, 12)\nup = close crosses above quick\ndraw quick"),
    Form("define", "defines", "define <name>(<a>, <b>) = <expression> [where <t> = <expression>]",
         "A function of your own. Local names and running values stand after `where`.",
         "define middle(a, b) = half * (a + b) where half = 0.5\ndraw middle(high, low)"),
    Form("carry", "defines", "carry <name> = <expression> starting <first>",
         "A running value: inside the expression the name is its own value one bar earlier.",
         "carry runs = (runs + 1 if close > open else 0) starting 0\ndraw runs in \"Rising bars\""),
    Form("use", "defines", 'use "<title>" [version <n>] [with <input> = <value>] as <name>',
         "Brings in another saved script's names, as `name.up`.", 'use "Harbour swell" as swell\nmark swell.up below'),
    # --- statements that show
    Form("draw", "shows", 'draw <expression> [as <form>] [in "<panel>"] [color <word> when <c> else <word>] [named "<text>"]',
         "A line over the price, or in a panel of its own. Forms: line, stairs, points, pillars, wash.",
         'draw rsi(close, 14) in "Strength" color long when close > open else short'),
    Form("level", "shows", 'level <n>, <m> in "<panel>"', "Level lines.", 'draw rsi(close, 14) in "Strength"\nlevel 30, 70 in "Strength"'),
    Form("shade", "shows", "shade <a> to <b> [color <word>] [strength <n>%] [when <c>]", "The area between two lines.",
         "bands = bollinger(close, 20, 2)\nshade bands.upper to bands.lower color blue strength 20%"),
    Form("mark", "shows", 'mark <condition> below [<form>] [color <word>] ["<label>"]',
         "A mark above or below the bars where a condition is yes. Forms: pointer, ring, pennon, knot.",
         'mark close crosses above sma(close, 20) below ring "at {close}"'),
    Form("tint", "shows", "tint <condition> [color <word>]", "Colours the bars where a condition is yes.",
         "tint volume > 2 * sma(volume, 20) color brass"),
    Form("alert", "shows", 'alert <condition> "<text>"', "A message when a condition is yes.",
         'alert close crosses above sma(close, 50) "crossed at {close}"'),
    # --- statements that rule
    Form("enter", "rules", 'enter <long> when <condition> [at <limit price>] [for <n> bars] [size <2 units>] [named "<text>"]',
         "Opens a position when the condition is yes at a close: at the next open, `at close`, or by an order that rests"
         " at a price (`at limit`, `at stop`).",
         "enter long when close crosses above sma(close, 20)\nenter short when close crosses below sma(close, 20)"),
    Form("exit", "rules", 'exit [<side>] when <condition> [at <close>] [take <50>%] [named "<text>"]',
         "Closes positions of a side, or of both; `take` closes a part, `lots` what a named entry opened.",
         "enter long when close > sma(close, 20)\nexit long when close < sma(close, 20)"),
    Form("exit … after", "rules", "exit [<side>] after <n> bars", "Closes positions after so many bars or days.",
         "enter long when close > prior(highest(high, 20))\nexit after 40 bars"),
    Form("stop", "rules", "stop [<side>] <2 * atr(14)>",
         "The loss to take at most: `2%`, `50 pips`, `8 ticks`, `1.5 points`, `1000 cash`, an expression in price, or"
         " `at` a price. It holds from the fill on.",
         "enter long when close > prior(highest(high, 20))\nstop 2 * atr(14)"),
    Form("target", "rules", "target [<side>] <3> R [for <50>%]",
         "The profit to take, in the units of `stop`, or in R: multiples of the stop's distance. With `for`, a part.",
         "enter long when close > prior(highest(high, 20))\nstop 2%\ntarget 3 R"),
    Form("trail", "rules", "trail [<side>] <2 * atr(14)> [once <1 R>]",
         "A stop that follows the best price at a distance, or `at` a price judged at each close; it only tightens.",
         "enter long when close > prior(highest(high, 20))\ntrail 2.5 * atr(14)"),
    Form("breakeven", "rules", "breakeven once <1 R> [plus <2 ticks>]",
         "Moves the stop to the entry price once the profit has reached a distance.",
         "enter long when close > prior(highest(high, 20))\nstop 2%\nbreakeven once 1 R"),
    Form("window", "rules", "window <mon-fri> <09:30>-<16:00>", "When entries are allowed; exits always are.",
         "enter long when close > open\nwindow mon-thu 09:30-16:00"),
    Form("months", "rules", "months <jan>-<mar>", "In which months entries are allowed.", "enter long when close > open\nmonths oct-mar"),
    Form("dates", "rules", "dates <2024-01-01> to <2024-12-31>", "Between which dates entries are allowed.",
         "enter long when close > open\ndates 2023-01-01 to 2023-12-31"),
    Form("flat", "rules", "flat at <16:45>", "Out at a time, at `session end` or `week end`, and out until the next session.",
         "enter long when close > open\nflat at session end"),
    Form("limit", "rules", "limit <2> entries per day",
         "At most so many entries or losses a day, lots `open` at once, or percent of loss a day.",
         "enter long when close > open\nlimit 2 entries per day"),
    Form("pause", "rules", "pause <5> bars after <stop>", "No entry for some bars after a stop, loss or exit.",
         "enter long when close > open\nstop 1%\npause 5 bars after stop"),
    Form("opposite", "rules", "opposite <reverse>", "What an opposite entry does in a position: reverse, exit or ignore.",
         "enter long when close > open\nenter short when close < open\nopposite exit"),
    Form("size", "rules", "size risk <1>% of equity [max <n> units]",
         "How much: units, cash, percent of equity, or percent of equity or cash at risk until the stop.",
         "enter long when close > open\nstop 2%\nsize risk 1% of equity"),
    Form("zone", "rules", 'zone "<Area/City>"', "The zone of the script's times; by default the market's.",
         'zone "Europe/Lisbon"\nenter long when close > open\nwindow 09:00-12:00'),
    Form("only if", "rules", "<rule> only if <condition of inputs>", "The rule exists only then: this is how sweeps switch rules.",
         "input guard = on\nenter long when close > open\nstop 2% only if guard"),
    # --- expressions
    Form("crosses", "expressions", "<a> crosses above <b>", "Above now, and not above on the bar before; `crosses below`, `meets` for either.",
         "mark close crosses above sma(close, 20) below"),
    Form("then", "expressions", "<a> then <b> no later than <n> bars unless <c>",
         "A sequence: b after a, at most n bars later, unless c comes between. The tails may be left out.",
         "setup = close > prior(highest(high, 20)) then close < open no later than 5 bars unless close < low\nmark setup below"),
    Form("all of", "expressions", "all of (<a>, <b>) no later than <n> bars", "All of several conditions, in any order, within some bars.",
         "both = (all of (close > sma(close, 20), volume > sma(volume, 20)) no later than 3 bars)\nmark both below"),
    Form("in", "expressions", "<x> in <30>..<70>", "Inside a range, ends included; times exclude the end. Weekdays and months have ranges of words. Or one of a set.",
         "calm = rsi(close, 14) in 40..60\nearly = time in 09:30..11:00 and weekday in mon..wed\ntint calm and early color deep"),
    Form("is", "expressions", "<word> is <fri>", "A word equals another, also one that changes; a switch is on or off.",
         "input soft = on\ntint (weekday is fri or month is not prior(month)) and soft is on color soft"),
    Form("if", "expressions", "(<a> if <c> else <b>)", "One value or another, always in brackets.", "draw (high if close > open else low)"),
    Form("prior", "expressions", "prior(<x>, <n>)", "The value n bars earlier, one without n.", "draw prior(highest(high, 20))"),
    Form("on", "expressions", "<x> on <4h>", "Computed on a higher timeframe's bars, seen once they have closed; with `forming` as they stand.",
         "draw ema(close, 20) on 4h"),
    Form("from", "expressions", '<x> from "<KELP>"', "Computed on another market's bars, the latest that have closed.",
         'draw close from "KELP" in "Kelp"'),
    Form("total", "expressions", "total(<k> from <0> to <9>: <prior(close, k)>)", "A sum over a range of whole numbers.",
         "draw total(k from 0 to 4: prior(close, k) * (5 - k)) / 15"),
    Form("column", "expressions", 'column("<ref>")', "An extra column that came with the bars.", 'draw column("ref")'),
)  # fmt: skip

STATEMENT_FORMS = tuple(
    form for form in FORMS if form.group != "expressions" and form.word not in ("name =", "only if")
)


def forms_of(word: str) -> list[Form]:
    """The forms that a word begins or belongs to."""
    return [form for form in FORMS if word in form.word.split()]
