"""Conditions over several bars, and values that are kept."""

import math

from skelb.core.export.python.parts.values import Truth, known, more, negated
from skelb.core.export.python.parts.windows import Prior


class Then:
    """A first, then B: yes where B is yes after A, at most `within` bars later, and nothing came between."""

    def __init__(self, within: float = math.inf) -> None:
        self.within = within
        self.armed = math.inf  # bars since A, unless it does not count any more

    def next(self, a: Truth, b: Truth, unless: Truth = False) -> bool:
        self.armed += 1
        if unless:
            self.armed = math.inf
        is_complete = b is True and self.armed < math.inf and self.armed <= self.within
        if is_complete:
            self.armed = math.inf
        if a:
            self.armed = 0
        return is_complete


class AllOf:
    """Several things in any order: yes where the last of them comes true, none longer ago than `within` bars."""

    def __init__(self, within: float = math.inf) -> None:
        self.within = within
        self.ages: list[float] = []

    def next(self, *parts: Truth, unless: Truth = False) -> bool:
        self.ages = [age + 1 for age in self.ages] or [math.inf] * len(parts)
        if unless:
            self.ages = [math.inf] * len(parts)
        self.ages = [0 if part else age for part, age in zip(parts, self.ages, strict=True)]
        oldest = max(self.ages)
        is_complete = any(parts) and oldest < math.inf and oldest <= self.within
        if is_complete:
            self.ages = [math.inf] * len(parts)
        return is_complete


class Recently:
    """Yes if c was yes on this bar or one of the n - 1 before."""

    def __init__(self, n: int) -> None:
        self.n, self.bar, self.yes, self.unknown = n, -1, -math.inf, -1.0

    def next(self, c: Truth) -> Truth:
        self.bar += 1
        if c:
            self.yes = self.bar
        elif c is None:
            self.unknown = self.bar
        first = self.bar - self.n + 1
        return True if self.yes >= max(first, 0) else None if first < 0 or self.unknown >= first else False


class Climbs:
    """Yes if x rose strictly on each of the last n bars."""

    def __init__(self, n: int) -> None:
        self.n, self.last, self.known, self.yes = n, math.nan, 0, 0

    def next(self, x: float) -> Truth:
        rises = more(x, self.last)
        self.last = x
        self.known = 0 if rises is None else self.known + 1
        self.yes = self.yes + 1 if rises else 0
        return None if self.known < self.n else self.yes >= self.n


class Sinks:
    """Yes if x fell strictly on each of the last n bars."""

    def __init__(self, n: int) -> None:
        self.climbs = Climbs(n)

    def next(self, x: float) -> Truth:
        return self.climbs.next(-x)


class BarsSince:
    """How many bars ago c was last yes."""

    def __init__(self) -> None:
        self.since = math.nan

    def next(self, c: Truth) -> float:
        self.since = 0.0 if c else self.since + 1.0
        return self.since


class Count:
    """How many of the last n bars were yes."""

    def __init__(self, n: int) -> None:
        self.n = n
        self.last: list[Truth] = []

    def next(self, c: Truth) -> float:
        self.last = [*self.last, c][-self.n :]
        is_full = len(self.last) == self.n and None not in self.last
        return float(self.last.count(True)) if is_full else math.nan


class Hold:
    """x as it was when the condition was last yes."""

    def __init__(self) -> None:
        self.held = math.nan

    def next(self, x: float, when: Truth) -> float:
        if when:
            self.held = x
        return self.held


class Once:
    """c without its repeats, until another condition."""

    def __init__(self) -> None:
        self.armed = True

    def next(self, c: Truth, reset: Truth) -> bool:
        self.armed = self.armed or bool(reset)
        if self.armed and c:
            self.armed = False
            return True
        return False


class Starts:
    """Yes on the bar where c becomes yes."""

    def __init__(self) -> None:
        self.last: Truth = None

    def next(self, c: Truth) -> Truth:
        last, self.last = negated(self.last), c
        return False if c is False or last is False else None if c is None or last is None else True


class Ends:
    """Yes on the bar where c is yes no longer."""

    def __init__(self) -> None:
        self.starts = Starts()

    def next(self, c: Truth) -> Truth:
        return self.starts.next(negated(c))


class Cumulate:
    """The running sum of the known values."""

    def __init__(self) -> None:
        self.total = 0.0

    def next(self, x: float) -> float:
        if not known(self.total + x):
            return math.nan
        self.total += x
        return self.total


class Peak:
    """The largest x since a condition was last yes."""

    def __init__(self) -> None:
        self.best = math.nan
        self.has_begun = False

    def next(self, x: float, since: Truth) -> float:
        if since:
            self.has_begun, self.best = True, x
        elif self.has_begun:
            self.best = max(self.best, x) if known(self.best) and known(x) else math.nan
        return self.best


class Dip:
    """The smallest x since a condition was last yes."""

    def __init__(self) -> None:
        self.peak = Peak()

    def next(self, x: float, since: Truth) -> float:
        return -self.peak.next(-x, since)


class TruthBefore(Prior[Truth]):
    """The condition n bars earlier."""

    def __init__(self, n: int) -> None:
        super().__init__(n, None)


class WordBefore(Prior[str]):
    """The word n bars earlier, empty on the first n."""

    def __init__(self, n: int) -> None:
        super().__init__(n, "")


class NumberBefore(Prior[float]):
    """The value n bars earlier."""

    def __init__(self, n: int) -> None:
        super().__init__(n, math.nan)
