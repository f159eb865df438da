"""What the tools of `make check` cannot say: imports that wait inside functions are a few, each for a reason."""

import ast
import gzip
import re
from pathlib import Path

ROOT = Path(__file__).parent.parent / "skelb"
# Slow to load and seldom needed, an extra that may not be there, or what would go round in a circle.
WAITING = {
    "cli/lsp.py": {"skelb.service.folder", "skelb.service.library", "skelb.store"},
    "cli/texts.py": {"skelb.cli.options", "skelb.core.language.bringing"},
    "cli/inputs.py": {"skelb.service.importing.bars_csv"},
    "core/compiled.py": {"numba", "numba.core.registry", "numba.np"},
    "core/language/reading/near.py": {"rapidfuzz.fuzz", "rapidfuzz.process"},
    "core/report/earned.py": {"scipy.special"},
    "core/trials/study.py": {"scipy.special"},
    "core/trials/surface.py": {"scipy.spatial"},
    "doctor.py": {"skelb.service.warm"},
    "service/trials/workers.py": {"distributed"},
    "store/database.py": {"alembic", "alembic.config"},
    "web/lsp.py": {"skelb.web.conversation"},
}


def inside_functions(tree):
    for function in ast.walk(tree):
        if isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda):
            for node in ast.walk(function):
                if isinstance(node, ast.ImportFrom):
                    yield node.module
                elif isinstance(node, ast.Import):
                    yield from (item.name for item in node.names)


def test_imports_that_wait_inside_functions_are_these():
    found = {}
    for path in ROOT.rglob("*.py"):
        if modules := set(inside_functions(ast.parse(path.read_text()))):
            found[path.relative_to(ROOT).as_posix()] = modules
    assert found == WAITING


def test_what_the_first_page_loads_stays_small():
    """The scripts that the page names itself, packed: the other places and what opens on demand are fetched later."""
    static = ROOT / "web" / "static"
    scripts = re.findall(r'(?:src|href)="/(assets/[^"]+\.js)"', (static / "index.html").read_text())
    assert scripts and sum(len(gzip.compress((static / name).read_bytes())) for name in scripts) < 350_000


def test_records_are_read_in_a_few_rooms_and_leave_none_of_them():
    """What else there is gets frozen values: no session is open there, and a record is none without one."""
    rooms = {"keeping.py", "library.py", "logbook.py", "practice/store.py", "runs.py", "tallies.py", "trials/store.py"}
    found = set()
    for path in ROOT.rglob("*.py"):
        if path.is_relative_to(ROOT / "store"):
            continue
        names = {
            item.name
            for node in ast.walk(ast.parse(path.read_text()))
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("skelb.store")
            for item in node.names
        }
        if any(name.endswith(("Record", "Chunk", "Try")) for name in names):
            found.add(path.relative_to(ROOT / "service").as_posix())
    assert found == rooms
