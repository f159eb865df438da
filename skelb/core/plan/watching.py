"""Parts of rules that ask for the position: compiled to programs that the engine runs at each close."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.catalogue import POSITION_NAMES
from skelb.core.language import Checked, names_in
from skelb.core.language.checking.used import replaced_names
from skelb.core.language.tree import Carry, Expression
from skelb.core.plan.carries import compile_carry
from skelb.core.plan.columns import Made
from skelb.core.plan.steps import INSTRUCTION

NAMES = tuple(POSITION_NAMES)  # their order is that of the engine's registers
_HERE = (0, 0)


@dataclass(frozen=True, eq=False)
class Programs:
    """g programs on the position, m steps.

    table : int64, shape (g, 6): first step, end of the steps, first input, end of the inputs, `Made`, the column that
        it writes (-1 for conditions)
    steps : `steps.INSTRUCTION`, shape (m,), as `carries.Program` lays them: values of the position in the first
        registers, the result in the register after their number, the inputs after twice their number
    inputs : what does not depend on the position
    """

    table: NDArray[np.int64]
    steps: NDArray[np.void]
    inputs: tuple[Expression, ...]


class Watching:
    """Collects the programs of one plan."""

    def __init__(self, checked: Checked) -> None:
        self._checked = checked
        self._rows: list[tuple[int, ...]] = []
        self._steps: list[NDArray[np.void]] = []
        self._inputs: list[Expression] = []

    def add(self, node: Expression, made: Made, column: int = -1) -> int:
        """The number of a new program for an expression that asks for the position."""
        spans = (_HERE,) * len(NAMES)
        distinct: dict[Expression, int] = {}  # by what is written: the steps are the same whatever inputs hold
        program = compile_carry(
            Carry(NAMES, spans, (_written_out(node, self._checked),), (), _HERE),
            lambda part: distinct.setdefault(part, len(distinct)),
        )
        parts = list(distinct)
        steps = np.frombuffer(program.steps, INSTRUCTION)
        begin, first = sum(len(part) for part in self._steps), len(self._inputs)
        self._steps.append(steps)
        self._inputs += [parts[number] for number in program.columns]
        self._rows.append((begin, begin + len(steps), first, len(self._inputs), made, column))
        return len(self._rows) - 1

    def programs(self) -> Programs:
        """All that were added."""
        return Programs(np.array(self._rows, np.int64).reshape(-1, 6), _stacked(self._steps), tuple(self._inputs))


def _stacked(steps: Sequence[NDArray[np.void]]) -> NDArray[np.void]:
    return np.concatenate(steps) if steps else np.zeros(0, INSTRUCTION)


def _written_out(node: Expression, checked: Checked) -> Expression:
    """The expression with names that depend on the position replaced by what they mean."""
    meant = {name: found.value for name, found in checked.definitions.items() if checked.meanings[name].position}
    while any(name.name in meant for name in names_in(node)):
        node = replaced_names(node, meant)
    return node
