"""What the passes of the checker share."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from skelb.core.language.checking.expand import Own
from skelb.core.language.checking.kinds import Scope
from skelb.core.language.checking.used import SavedScript, Scripts
from skelb.core.language.diagnostics import Diagnostic, moved
from skelb.core.language.reading.parser import Parsed
from skelb.core.language.tree import (
    Carry,
    Definition,
    Input,
    Placed,
)


@dataclass(frozen=True)
class Setting:
    """What the checker may know of where the script will run; None is not known."""

    daily: bool | None = None
    has_pips: bool | None = None
    scripts: Scripts | None = None
    titles: Callable[[], Iterable[str]] | None = None  # of the scripts there are, to tell the nearest
    within: tuple[str, ...] = ()  # titles of the scripts that use this one, outermost first


@dataclass
class Work:
    """What the passes share while a script is being checked."""

    parsed: Parsed
    setting: Setting
    scope: Scope
    sound: list[Placed] = field(default_factory=list)
    inputs: dict[str, Input] = field(default_factory=dict)
    definitions: dict[str, Definition] = field(default_factory=dict)
    carries: dict[str, Carry] = field(default_factory=dict)
    functions: dict[str, Own] = field(default_factory=dict)
    used: dict[str, SavedScript] = field(default_factory=dict)
    placed_names: dict[str, Placed] = field(default_factory=dict)
    found: list[Diagnostic] = field(default_factory=list)

    def report(self, placed: Placed, diagnostic: Diagnostic) -> None:
        self.found.append(moved(diagnostic, placed.start))
