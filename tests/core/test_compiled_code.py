"""Compiled functions stand in one file with all they call: the cache on disk notices edits only there."""

import ast
from pathlib import Path

import pytest

import skelb

SOURCES = [path for path in Path(skelb.__file__).parent.rglob("*.py") if "njit" in path.read_text()]
LIBRARIES = {"np", "math", "range", "abs", "min", "max", "int", "len"}


def is_compiled(node):
    names = [ast.unparse(decorator) for decorator in node.decorator_list]
    return any(name.startswith("njit") for name in names)


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
        for call in (part for part in inside if isinstance(part, ast.Call)):
            root = ast.unparse(call.func).split(".")[0]
            local = {item.arg for item in node.args.args} | {
                part.id for part in ast.walk(node) if isinstance(part, ast.Name) and isinstance(part.ctx, ast.Store)
            }
            assert root in compiled | LIBRARIES | local, f"{node.name} calls {root}"
        modules = {ast.unparse(part.value) for part in inside if isinstance(part, ast.Attribute)}
        assert not (modules - local) & {"kernel", "columns", "engine"}, f"{node.name} freezes constants of another file"


def test_the_simulation_imports_nothing_of_ours():
    text = next(path for path in SOURCES if path.stem == "kernel").read_text()
    assert "skelb" not in "".join(line for line in text.splitlines() if line.startswith(("import", "from")))


def test_the_kernels_layout_is_the_plans():
    from skelb.core.engine import kernel
    from skelb.core.plan import columns

    for flag in columns.Flag:
        assert getattr(kernel, flag.name) == flag
    for column in columns.Column:
        assert getattr(kernel, column.name) == column
    assert (kernel.PER_SIDE, kernel.SPREAD, kernel.NIGHTS) == (
        columns.COLUMNS_PER_SIDE,
        columns.SPREAD_COLUMN,
        columns.NIGHTS_COLUMN,
    )
    assert (kernel.SKIP_WINDOW, kernel.SKIP_FLAT) == (columns.Block.WINDOW, columns.Block.FLAT)
