"""Every diagnostic code: how bad, and why in one sentence. A code is never reused."""

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class Code:
    """A kind of mistake: severity, a name for the guide, and the sentence of why."""

    severity: Literal["error", "warning", "note"]
    title: str
    why: str


def _error(title: str, why: str) -> Code:
    return Code("error", title, why)


CODES: dict[str, Code] = {
    # reading
    "S0101": _error("something is missing", "The statement ends, or goes on, before it is complete."),
    "S0102": _error("an unknown statement", "A line starts with a statement word such as `enter`, or with `name =`."),
    "S0103": _error("a bracket stays open", "Every bracket that is opened must be closed in the same statement."),
    "S0104": _error("a quote stays open", "A text begins and ends with a double quote on one line."),
    "S0105": _error("something is left over", "The statement was complete before this."),
    "S0106": _error("a character Skelb does not use", "No part of the language is written with it."),
    "S0107": _error("one `=` inside an expression", "`=` gives a name its meaning; equality is asked with `==`."),
    "S0108": _error("comparisons run together", "Comparisons, `in`, `crosses`, `meets` and `is` combine only in brackets."),
    "S0109": _error("a word of another spelling", "Skelb has one spelling for each word."),
    "S0110": _error("written as in another language", "Skelb has its own form for this."),
    "S0111": _error("nested too deeply", "Brackets inside brackets are read to a depth of 60, and operations that hang on one another up to 150."),
    "S0112": _error("a reserved word as a name", "This word has a fixed meaning, so it cannot be given another."),
    "S0113": _error("a script too long", "A script holds at most 20,000 lines and 1,000,000 characters."),
    "S0114": _error("not a clock time or number", "Times run from 00:00 to 24:00."),
    "S0115": _error("not a date", "Dates are written 2024-03-31, the first before the last."),
    "S0116": _error("not a zone", "Zones carry the names of the time zone database: Area/City."),
    "S0117": _error("a unit whose number cannot be told", "A unit counts the number, the input or the brackets before it."),
    # names and kinds
    "S0201": _error("an unknown name", "A name must be built in, or defined above the line that uses it."),
    "S0202": _error("an unknown field", "A record has only the fields its function lists."),
    "S0203": _error("the wrong kind of value", "Numbers, conditions, words and times do not stand in for each other."),
    "S0204": _error("the wrong number of arguments", "A function takes exactly the arguments its page lists."),
    "S0205": _error("an argument that must be constant", "A length or factor must be the same on every bar: a number, an input, or arithmetic on them."),
    "S0206": _error("a name defined twice", "A name has one meaning in a script."),
    "S0207": _error("a record where a number is needed", "A record holds several numbers: say which one."),
    "S0208": _error("a word the name cannot be", "A choice or calendar word is compared only with the words it can be."),
    "S0209": _error("an input that cannot be", "The default, range and step of an input must fit together."),
    "S0210": _error("not a function", "Only functions take arguments in brackets."),
    "S0211": _error("a length out of range", "Lengths are whole numbers of bars; there is no way to reach a later bar."),
    "S0212": _error("a running value where its history is needed", "Inside its own statement a running value is one number: the one of the bar before."),
    "S0216": _error("a price where a distance is needed", "Without `at` a stop or target is so far from the entry as its number says."),
    "S0213": _error("another script that is not there", "`use` names a saved script by its title: on the page one of the shelf, on the command line one of the `.skelb` files beside the script."),
    "S0214": _error("another script with mistakes", "A used script must check without errors itself."),
    "S0215": _error("scripts that use each other", "A script cannot stand on itself, directly or through others."),
    # rules
    "S0301": _error("contradictory rules", "Two lines say different things about the same question."),
    "S0302": _error("`risk` without a stop", "Risking a share of equity needs a stop: the distance to it sets the size."),
    "S0303": _error("R without a stop", "R is the distance from entry to the first stop, so a stop must exist."),
    "S0304": _error("`only if` on something that moves", "Whether a rule exists is decided once, by inputs alone."),
    "S0305": Code(
        "note", "pips on a market without pips",
        "State the pip in the market's description where the trade counts it otherwise.",
    ),
    "S0306": _error("a position outside rules", "What is known of the position exists only while a strategy runs, so only rules and names used in rules can ask for it."),
    "S0307": _error("a position where its history is needed", "The position is known as it stands at this bar's close; functions of many bars cannot look back at it."),
    "S0308": _error("more than the whole position", "Parts are percent of the original units, so together they make at most 100 %."),
    "S0309": _error("lots of an entry that does not exist", "`lots` closes what the entry of that name opened."),
    # warnings and notes
    "S0401": Code("warning", "can never be yes", "A rule that waits for it will never act."),
    "S0402": Code("warning", "clock times on daily bars", "A daily bar closes once, at the session's end."),
    "S0403": Code("warning", "rules without an entry", "Exits, stops and targets act on positions, and nothing opens one."),
    "S0404": Code("note", "one side only", "Many ideas have a mirrored other side; leaving it out is a choice worth making on purpose."),
    "S0405": Code("note", "a name never used", "Nothing draws it, and no rule or other line depends on it."),
    "S0406": Code("note", "an input never used", "Changing it changes nothing."),
    "S0407": Code("note", "an oscillator drawn over price", "Its values are far from the price, so the line lies outside the picture."),
    "S0408": Code("note", "a value that moves while its bar forms", "It does not look ahead, but what stood there at one moment may be gone when the higher bar closes."),
    "S0409": Code("warning", "both sides at once", "When entries of both sides at a market price are yes on one bar, neither happens; at a limit or a stop both may rest, as a breakout bracket."),
}  # fmt: skip
