"""Renaming; scripts, markets, accounts, baskets, runs and trials taken away and brought back; what depends on them."""

from collections.abc import Iterable
from typing import Any, Literal

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import InstrumentedAttribute, Session

from skelb.core.errors import ConflictError, NotFoundError, SettingsError
from skelb.core.language.tools import retitled, used_titles
from skelb.service.library import LONGEST_TITLE, Library, StoredScript, kept_name
from skelb.store import (
    AccountRecord,
    BasketRecord,
    Database,
    MarketRecord,
    PracticeRecord,
    RunRecord,
    ScriptRecord,
    TrialRecord,
    VersionRecord,
    name_before,
    now,
    removed_name,
)

Kind = Literal["script", "market", "account", "basket", "run", "trial", "practice"]
Found = ScriptRecord | MarketRecord | AccountRecord | BasketRecord | RunRecord | TrialRecord | PracticeRecord
_TABLES: dict[Kind, type[Found]] = {
    "script": ScriptRecord, "market": MarketRecord, "account": AccountRecord, "basket": BasketRecord, "run": RunRecord,
    "trial": TrialRecord, "practice": PracticeRecord,
}  # fmt: skip
_NAMED: dict[Kind, InstrumentedAttribute[str]] = {
    "script": ScriptRecord.title, "market": MarketRecord.symbol, "account": AccountRecord.name,
    "basket": BasketRecord.name,
}  # fmt: skip
_DIGITS = 19  # of a number that the database can hold


class Keeping:
    """What is done with kept things besides writing and reading them. Every call is one transaction."""

    def __init__(self, database: Database, library: Library) -> None:
        self._database, self._library = database, library

    def rename_script(self, title: str, to: str) -> StoredScript:
        """The script under another title: its newest text says so in a new version, its older ones stay as they were.

        Raises NotFoundError, SettingsError on a title that cannot be, ConflictError when another script has it.
        """
        wanted = _title(to)
        with self._library.writing, self._database.session() as session:
            record = _named(session, "script", title)
            _refuse_taken(session, "script", wanted)
            assert isinstance(record, ScriptRecord)
            newest = record.versions[-1]
            record.title = wanted
            record.versions.append(VersionRecord(number=newest.number + 1, text=retitled(newest.text, wanted)))
        self._library.tell("scripts")
        return self._library.script(wanted)

    def rename(self, kind: Literal["account", "basket"], name: str, to: str) -> None:
        """An account or a basket under another name; runs and trials that were made with it hold all of it themselves.

        Raises NotFoundError, SettingsError on a name that cannot be, ConflictError when another has it.
        """
        wanted = kept_name(to, "an account" if kind == "account" else "a basket")
        with self._database.session() as session:
            record = _named(session, kind, name)
            _refuse_taken(session, kind, wanted)
            _call(record, wanted)
        self._library.tell(f"{kind}s")

    def duplicate_script(self, title: str, version: int | None = None) -> StoredScript:
        """A new script with a version of this one (the newest when None) as its first, under a title that is free."""
        found = self._library.script(title)
        text = next((item.text for item in found.versions if item.number == version), found.newest.text)
        taken = {item.title for item in self._library.scripts()}
        base = title[: LONGEST_TITLE - 10]
        names = (f"{base} copy{f' {number}' if number > 1 else ''}" for number in range(1, len(taken) + 2))
        free = next(name for name in names if name not in taken)
        return self._library.save_script(retitled(text, free), found.status, found.lesson, after=0)

    def depends(self, kind: Kind, name: str) -> list[str]:
        """What depends on a thing, a sentence each; empty when nothing does. Raises NotFoundError when it is not
        there."""
        with self._database.session() as session:
            _named(session, kind, name)
            if kind == "script":
                stated = func.instr(func.json_extract(RunRecord.setup, "$.text"), f'title "{name}"') > 0
                using = [item.title for item in self._library.scripts() if name in used_titles(item.newest.text)]
                uses = (
                    [f"{', '.join(using)} {'use' if len(using) > 1 else 'uses'} it, and would not find it"]
                    if using
                    else []
                )
                return uses + _counted(session, TrialRecord.title == name, stated)
            if kind == "market":
                asked = func.json_extract(TrialRecord.order, "$.setup.market") == name
                ran = func.json_extract(RunRecord.setup, "$.market") == name
                naming = [item.title for item in self._library.scripts() if f'"{name}"' in item.newest.text]
                uses = [f"{', '.join(naming)} {'name' if len(naming) > 1 else 'names'} it"] if naming else []
                holding = [basket for basket, symbols in self._library.baskets().items() if name in symbols]
                uses += [f"the basket {basket} holds it, and cannot be run without it" for basket in holding]
                return uses + _counted(session, asked, ran)
            if kind == "account":
                ran = func.json_extract(RunRecord.setup, "$.account") == name
                asked = func.json_extract(TrialRecord.order, "$.setup.account") == name
                counts = [
                    (_count_of(session, RunRecord.id, ran, RunRecord.removed_at.is_(None)), "kept run"),
                    (_count_of(session, TrialRecord.id, asked, TrialRecord.removed_at.is_(None)), "trial"),
                ]
                return [
                    f"{count:,} {what}{'s' * (count > 1)} with it keep{'s' * (count == 1)} the terms it had"
                    for count, what in counts
                    if count
                ]
        return ["its runs go on counting as tries of the script"] if kind == "trial" else []

    def remove(self, kind: Kind, name: str) -> None:
        """Take something away. Raises NotFoundError when it is not there."""
        with self._database.session() as session:
            record = _named(session, kind, name)
            record.removed_at = now()
            _call(record, removed_name(_name_of(record), record.id))
        self._library.tell(f"{kind}s")

    def bring_back(self, kind: Kind, name: str) -> None:
        """Bring back what was taken away last under a name.

        Raises NotFoundError when nothing was, ConflictError when something else has the name by now.
        """
        with self._database.session() as session:
            record = _removed(session, kind, name)
            if kind in _NAMED:
                _refuse_taken(session, kind, name)
            record.removed_at = None
            _call(record, name_before(_name_of(record)))
        self._library.tell(f"{kind}s")

    def known_names(self, kind: Literal["script", "market", "account", "basket"]) -> set[str]:
        """Names of what there is of a kind, readable or not, and of what was taken away."""
        with self._database.session() as session:
            return {name_before(name) for name in session.scalars(select(_NAMED[kind]))}


def _title(text: str) -> str:
    found = " ".join(text.split())
    if not found or len(found) > LONGEST_TITLE or "\\" in found:
        raise SettingsError(f"a title has 1 to {LONGEST_TITLE} characters, without backslashes")
    return found


def _name_of(record: Found) -> str:
    if isinstance(record, ScriptRecord):
        return record.title
    if isinstance(record, AccountRecord | BasketRecord):
        return record.name
    return record.symbol if isinstance(record, MarketRecord) else str(record.id)


def _call(record: Found, name: str) -> None:
    if isinstance(record, ScriptRecord):
        record.title = name
    elif isinstance(record, AccountRecord | BasketRecord):
        record.name = name
    elif isinstance(record, MarketRecord):
        record.symbol = name


def _named(session: Session, kind: Kind, name: str) -> Found:
    """What is there under a name. Raises NotFoundError when nothing is."""
    table, named = _TABLES[kind], _NAMED.get(kind)
    number = int(name) if name.isdecimal() and len(name) < _DIGITS else -1
    of: ColumnElement[bool] = named == name if named is not None else table.id == number
    record: Any = session.scalar(select(table).where(of, table.removed_at.is_(None)))
    if record is None:
        raise NotFoundError(f"there is no {kind} `{name}`")
    found: Found = record
    return found


def _removed(session: Session, kind: Kind, name: str) -> Found:
    table = _TABLES[kind]
    newest_first = select(table).where(table.removed_at.is_not(None)).order_by(table.removed_at.desc())
    all_removed: Iterable[Found] = session.scalars(newest_first)
    for record in all_removed:
        if name_before(_name_of(record)) == name:
            return record
    raise NotFoundError(f"no {kind} `{name}` was taken away")


def _refuse_taken(session: Session, kind: Kind, name: str) -> None:
    named = _NAMED[kind]
    if session.scalar(select(named).where(named == name)) is not None:
        raise ConflictError(f"there is a {kind} `{name}` already: choose another name")


def _count_of(session: Session, key: InstrumentedAttribute[int], *where: ColumnElement[bool]) -> int:
    return session.scalar(select(func.count(key)).where(*where)) or 0


def _counted(session: Session, tried: ColumnElement[bool], ran: ColumnElement[bool]) -> list[str]:
    trials = _count_of(session, TrialRecord.id, tried, TrialRecord.removed_at.is_(None))
    runs = _count_of(session, RunRecord.id, ran, RunRecord.removed_at.is_(None))
    found = (
        [f"{trials} trial{'s' if trials > 1 else ''} of it can still be read, but not gone on with"] if trials else []
    )
    return found + ([f"{runs} kept run{'s' if runs > 1 else ''} of it can still be read"] if runs else [])
