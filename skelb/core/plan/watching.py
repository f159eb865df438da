"""Exit conditions that ask for the position: compiled to programs that the engine runs while in a position."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.catalogue import POSITION_NAMES
from skelb.core.language import Checked, names_in
from skelb.core.language.checking.used import replaced_names
from skelb.core.language.tree import Carry, Exit, Expression
from skelb.core.plan.carries import compile_carry
from skelb.core.plan.memo import Value

NAMES = tuple(POSITION_NAMES)  # their order is that of the engine's registers
_HERE = (0, 0)


@dataclass(frozen=True, eq=False)
class Watched:
    """Exit rules that ask for the position; w rules, n bars.

    rules : int64, shape (w, 6): number of the exit rule, sides (1 long, 2 short, 3 both), first step, end of the
        steps, first column, end of the columns
    steps : int64, shape (m, 5), as `carries.Program` lays them: values of the position in the first registers, the
        result in the register after twice their number, then the rule's columns
    columns : float64, shape (k, n): what of the conditions does not depend on the position
    """

    rules: NDArray[np.int64]
    steps: NDArray[np.int64]
    columns: Floats


def asks_position(node: object, checked: Checked) -> bool:
    """Whether a part of a tree depends on the position, by itself or through names."""
    for name in names_in(node):
        meaning = checked.meanings.get(name.name)
        if meaning.position if meaning else name.name in POSITION_NAMES:
            return True
    return False


def watched_exits(
    exits: Sequence[Exit],
    checked: Checked,
    number: Callable[[Expression], int],
    value: Callable[[int], Value],
    size: int,
) -> Watched:
    """The programs of the exit rules that ask for the position; `number` and `value` are those of the expressions."""
    rules: list[tuple[int, ...]] = []
    steps: list[NDArray[np.int64]] = []
    columns: list[Floats] = []
    end = 0
    for index, rule in enumerate(exits):
        if not asks_position(rule.when, checked):
            continue
        spans = (_HERE,) * len(NAMES)
        condition = _written_out(rule.when, checked)
        program = compile_carry(Carry(NAMES, spans, (condition,), (), _HERE), number)
        found = np.frombuffer(program.steps, np.int64).reshape(-1, 5)
        sides = 3 if rule.side is None else 1 if rule.side == "long" else 2
        rules.append((index, sides, end, end + len(found), len(columns), len(columns) + len(program.columns)))
        columns += [np.broadcast_to(value(column), size).astype(np.float64) for column in program.columns]
        steps.append(found)
        end += len(found)
    return Watched(
        np.array(rules, np.int64).reshape(-1, 6),
        np.concatenate(steps) if steps else np.zeros((0, 5), np.int64),
        np.array(columns).reshape(len(columns), size),
    )


def _written_out(node: Expression, checked: Checked) -> Expression:
    """The condition with names that depend on the position replaced by what they mean."""
    meant = {name: found.value for name, found in checked.definitions.items() if checked.meanings[name].position}
    while any(name.name in meant for name in names_in(node)):
        node = replaced_names(node, meant)
    return node
