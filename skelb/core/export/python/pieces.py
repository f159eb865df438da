"""Pieces of the file: taken from the parts by name, with what they stand on, and cut to the features in use."""

import ast
import re
from collections.abc import Collection
from dataclasses import dataclass
from functools import cache
from pathlib import Path

_PARTS = Path(__file__).parent / "parts"
_MARK = re.compile(r"  # if ([a-z_ ]+)$")
_INSIDE = "skelb."


@dataclass(frozen=True)
class Piece:
    """A class, function or constant of the parts: its text, the names it defines and those it stands on."""

    text: str
    names: frozenset[str]
    uses: frozenset[str]


@dataclass(frozen=True)
class Module:
    """One file of the parts: its pieces in order, and the line that imports each name from elsewhere."""

    pieces: tuple[Piece, ...]
    imports: dict[str, tuple[str, str]]  # name -> module, or ("", module) for a whole one


def cut(source: str, features: Collection[str]) -> str:
    """The text without the lines for features that are not in use, and without the marks.

    A line that ends in `# if a and not b or c` is for those, and so is what is indented under it.

    >>> cut("x = 1  # if a\\nif x:  # if not a\\n    y = 2\\nz = 3\\n", ["a"])
    'x = 1\\nz = 3\\n'
    """
    kept: list[str] = []
    gap = most = 0  # empty lines just before, and the most before what goes
    dropping: int | None = None  # the indentation under which lines go
    for line in source.splitlines():
        if not line.strip():
            gap += 1
            continue
        indent, mark = len(line) - len(line.lstrip()), _MARK.search(line)
        if dropping is not None and (indent > dropping or (indent == dropping and line.lstrip()[0] in ")]}")):
            gap = 0
            continue
        dropping = None
        if mark and not _is_asked(mark[1], features):
            dropping = indent
            while kept and kept[-1].lstrip().startswith("@"):  # what goes may be decorated
                kept.pop()
            while kept and not kept[-1]:
                kept.pop()
                gap += 1
            gap, most = 0, max(most, gap)
            continue
        kept += [""] * max(most, gap) + [line[: mark.start()] if mark else line]
        gap = most = 0
    return "\n".join(kept) + "\n"


def _is_asked(mark: str, features: Collection[str]) -> bool:
    def holds(word: str) -> bool:
        return word[4:] not in features if word.startswith("not ") else word in features

    return any(all(holds(word) for word in choice.split(" and ")) for choice in mark.split(" or "))


@cache
def module(name: str, features: frozenset[str]) -> Module:
    """A file of the parts, cut to the features in use."""
    text = cut((_PARTS / f"{name}.py").read_text("utf-8"), features)
    lines, tree = text.splitlines(), ast.parse(text)
    pieces: list[Piece] = []
    imports: dict[str, tuple[str, str]] = {}
    for node in tree.body:
        match node:
            case ast.Import():
                imports |= {item.name: ("", item.name) for item in node.names}
            case ast.ImportFrom() if not (node.module or "").startswith(_INSIDE):
                imports |= {item.name: (node.module or "", item.name) for item in node.names}
            case ast.ClassDef() | ast.FunctionDef() | ast.Assign() | ast.AnnAssign():
                pieces.append(_piece(node, lines))
            case ast.Expr() if pieces:  # the text that says what the name before it is
                before = pieces[-1]
                said = "\n".join(lines[node.lineno - 1 : node.end_lineno])
                pieces[-1] = Piece(f"{before.text}\n{said}", before.names, before.uses)
    return Module(tuple(pieces), imports)


def _piece(node: ast.stmt, lines: list[str]) -> Piece:
    first = min([node.lineno, *(item.lineno for item in getattr(node, "decorator_list", ()))])
    match node:
        case ast.ClassDef() | ast.FunctionDef():
            names = {node.name}
        case ast.Assign():
            names = {name.id for target in node.targets for name in ast.walk(target) if isinstance(name, ast.Name)}
        case _:
            names = {node.target.id} if isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name) else set()
    uses = {part.id for part in ast.walk(node) if isinstance(part, ast.Name)} - names
    text = "\n".join(lines[first - 1 : node.end_lineno]).replace("  # fmt: skip", "")
    return Piece(text, frozenset(names), frozenset(uses))


def pieces_for(wanted: Collection[str], modules: Collection[Module]) -> list[Piece]:
    """The pieces that define the wanted names, and all that those stand on, in the order of the parts."""
    by_name = {name: piece for found in modules for piece in found.pieces for name in piece.names}
    taken: dict[Piece, None] = {}
    waiting = list(wanted)
    while waiting:
        piece = by_name.get(waiting.pop())
        if piece is not None and piece not in taken:
            taken[piece] = None
            waiting += piece.uses
    return [piece for found in modules for piece in found.pieces if piece in taken]


def imports_for(uses: Collection[str], modules: Collection[Module]) -> list[str]:
    """The import lines for the names of the standard library among `uses`, in the usual order."""
    known = {name: where for found in modules for name, where in found.imports.items()}
    wanted = [known[name] for name in sorted(uses) if name in known]
    whole = sorted({f"import {name}" for module, name in wanted if not module})
    by_module: dict[str, list[str]] = {}
    for where, name in wanted:
        if where:
            by_module.setdefault(where, []).append(name)
    return whole + [f"from {where} import {', '.join(sorted(names))}" for where, names in sorted(by_module.items())]
