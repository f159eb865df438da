"""Compiled functions stand in one file with all they call, whose edits the compiler's store notices, or they span files
and are kept under the text of all of them."""

import ast
import subprocess
import sys
from pathlib import Path

import pytest

import skelb

SOURCES = [
    path
    for path in Path(skelb.__file__).parent.rglob("*.py")
    if "njit" in path.read_text() and path.stem not in ("compiled", "spanning")
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


def test_the_ledgers_words_are_the_plans():
    from skelb.core.catalogue import POSITION_NAMES
    from skelb.core.engine import Skip
    from skelb.core.engine.kernel.records import Known
    from skelb.core.plan.columns import Block

    assert [name.name.lower() for name in Known] == list(POSITION_NAMES)
    assert (Skip.WINDOW, Skip.FLAT) == (Block.WINDOW, Block.FLAT)


def test_an_edit_in_any_file_is_noticed(tmp_path):
    """A copy of two files, one of which uses a part of the other, before and after an edit of the part."""
    (tmp_path / "part.py").write_text(
        "from skelb.core.spanning import called\n\n\n@called\ndef grown(x):\n    return x + 1\n"
    )
    (tmp_path / "whole.py").write_text(
        "import part\nfrom skelb.core.spanning import kept\n\n\n@kept(__file__, part.__file__)\n"
        "def run(x):\n    return 10 * part.grown(x)\n\n\nprint(run(1), run.stats.cache_hits[run.signatures[0]])\n"
    )
    asked = [sys.executable, "-c", "import whole"]

    def answer():
        done = subprocess.run(asked, cwd=tmp_path, capture_output=True, text=True, check=True)
        return done.stdout.split()

    assert answer()[0] == "20" and answer() == ["20", "1"], "the second time it comes from the store"
    (tmp_path / "part.py").write_text((tmp_path / "part.py").read_text().replace("x + 1", "x + 2"))
    assert answer()[0] == "30"
    assert len(list((tmp_path / "__pycache__").glob("run-*"))) == 1, "what was made of the older text is gone"
