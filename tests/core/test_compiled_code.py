"""Compiled functions stand in one file with all they call: the cache on disk notices edits only there."""

import ast
from pathlib import Path

import pytest

import skelb

SOURCES = [
    path for path in Path(skelb.__file__).parent.rglob("*.py") if "njit" in path.read_text() and path.stem != "compiled"
]
LIBRARIES = {"np", "math", "range", "abs", "min", "max", "int", "len"}


def is_compiled(node):
    names = [ast.unparse(decorator) for decorator in node.decorator_list]
    return any(name.startswith(("njit", "_compiled", "_inlined")) for name in names)


@pytest.mark.parametrize("path", SOURCES, ids=lambda path: path.stem)
def test_compiled_functions_call_only_their_own_file(path):
    tree = ast.parse(path.read_text())
    functions = [node for node in tree.body if isinstance(node, ast.FunctionDef)]
    compiled = {node.name for node in functions if is_compiled(node)}
    assert compiled
    for node in functions:
        if node.name not in compiled:
            continue
        inside = [part for statement in node.body for part in ast.walk(statement)]
        local = {item.arg for item in node.args.args} | {
            part.id for part in ast.walk(node) if isinstance(part, ast.Name) and isinstance(part.ctx, ast.Store)
        }
        for call in (part for part in inside if isinstance(part, ast.Call)):
            root = ast.unparse(call.func).split(".")[0]
            assert root in compiled | LIBRARIES | local, f"{node.name} calls {root}"
        modules = {ast.unparse(part.value) for part in inside if isinstance(part, ast.Attribute)}
        assert not (modules - local) & {"kernel", "columns", "engine"}, f"{node.name} freezes constants of another file"


def test_the_simulation_imports_nothing_of_ours():
    text = next(path for path in SOURCES if path.stem == "kernel").read_text()
    assert "skelb" not in "".join(line for line in text.splitlines() if line.startswith(("import", "from")))


def test_the_kernels_layout_is_the_plans():
    from skelb.core.engine import kernel
    from skelb.core.plan import columns
    from skelb.core.plan.watching import Made

    for flag in columns.Flag:
        assert getattr(kernel, flag.name) == flag
    for column in columns.Column:
        assert getattr(kernel, column.name) == column
    for column in columns.RuleColumn:
        assert getattr(kernel, column.name) == column
    for made in Made:
        assert getattr(kernel, f"MADE_{made.name}" if made != Made.ASKED else "ASKED") == made
    assert list(columns.OrderForm) == [kernel.AT_MARKET, kernel.AT_THIS_CLOSE, kernel.AT_LIMIT, kernel.AT_STOP]
    assert list(columns.DistanceUnit) == [kernel.IN_PRICE, kernel.IN_PERCENT, kernel.IN_R, kernel.AS_PRICE]
    assert (
        columns.COLUMNS_PER_SIDE,
        columns.SPREAD_COLUMN,
        columns.NIGHTS_COLUMN,
        columns.RATE_COLUMN,
        columns.RULE_COLUMNS,
        len(columns.RuleColumn),
    ) == (kernel.PER_SIDE, kernel.SPREAD, kernel.NIGHTS, kernel.RATE, kernel.OF_RULES, kernel.PER_RULE)
    assert (kernel.SKIP_WINDOW, kernel.SKIP_FLAT) == (columns.Block.WINDOW, columns.Block.FLAT)
