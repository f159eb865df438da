"""What is kept: scripts with versions, markets with bars, accounts, runs."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, selectinload

from skelb.core.bars import Bars, Market
from skelb.core.errors import NotFoundError, SettingsError
from skelb.core.language import SavedScript, check
from skelb.service.settings import AccountSettings, MarketSettings, account_settings, market_settings
from skelb.store import (
    AccountRecord,
    BarsRecord,
    Database,
    MarketRecord,
    PreferenceRecord,
    RunRecord,
    ScriptRecord,
    VersionRecord,
    load_bars,
    save_bars,
)

STATUSES = ("idea", "testing", "trusted")
LONGEST_TITLE = 120


@dataclass(frozen=True)
class StoredBars:
    """One stored timeframe of a market."""

    id: int
    timeframe_minutes: int
    version: int
    row_count: int
    first_time: int
    last_time: int


@dataclass(frozen=True)
class StoredMarket:
    """A market as it is kept."""

    id: int
    symbol: str
    title: str
    settings: MarketSettings
    bars: tuple[StoredBars, ...]

    @property
    def market(self) -> Market:
        """The core's market."""
        return self.settings.market(self.symbol)


@dataclass(frozen=True)
class ScriptVersion:
    """One saved text."""

    number: int
    text: str
    created: datetime


@dataclass(frozen=True)
class StoredScript:
    """A script with its versions, oldest first."""

    id: int
    title: str
    status: str
    lesson: str
    versions: tuple[ScriptVersion, ...]

    @property
    def newest(self) -> ScriptVersion:
        """The version saved last."""
        return self.versions[-1]


class Library:
    """Reads and writes the records; every write is one transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    # --- scripts -----------------------------------------------------------------------------------------------

    def scripts(self) -> list[StoredScript]:
        """All scripts by title."""
        with self._database.session() as session:
            query = select(ScriptRecord).options(selectinload(ScriptRecord.versions)).order_by(ScriptRecord.title)
            return [_script(record) for record in session.scalars(query)]

    def script(self, title: str) -> StoredScript:
        """One script. Raises NotFoundError when there is none of that title."""
        with self._database.session() as session:
            return _script(_script_record(session, title))

    def saved_script(self, title: str, version: int | None) -> SavedScript | None:
        """A version of a script (the newest when None) as other scripts use it; None when there is none."""
        with self._database.session() as session:
            query = select(VersionRecord).join(ScriptRecord).where(ScriptRecord.title == title)
            if version is not None:
                query = query.where(VersionRecord.number == version)
            record = session.scalar(query.order_by(VersionRecord.number.desc()).limit(1))
            return None if record is None else SavedScript(title, record.number, record.text)

    def save_script(self, text: str, status: str = "idea", lesson: str = "") -> StoredScript:
        """The script named by the text's own title, with `text` as its newest version (unless it already is).

        Any text may be saved, mistakes and all. Raises SettingsError when it has no title.
        """
        title = check(text).title.strip()
        if not title or len(title) > LONGEST_TITLE:
            raise SettingsError(
                f'a script is saved under its title: begin it with `title "…"` (up to {LONGEST_TITLE} characters)'
            )
        with self._database.session() as session:
            record = session.scalar(select(ScriptRecord).where(ScriptRecord.title == title))
            if record is None:
                record = ScriptRecord(title=title, status=status, lesson=lesson)
                session.add(record)
            if not record.versions or record.versions[-1].text != text:
                record.versions.append(VersionRecord(number=len(record.versions) + 1, text=text))
            session.flush()
            return _script(record)

    def set_status(self, title: str, status: str) -> StoredScript:
        """The script with a new status."""
        if status not in STATUSES:
            raise SettingsError(f"a status is one of {', '.join(STATUSES)}")
        with self._database.session() as session:
            record = _script_record(session, title)
            record.status = status
            return _script(record)

    # --- markets -----------------------------------------------------------------------------------------------

    def markets(self) -> list[StoredMarket]:
        """All markets by symbol."""
        with self._database.session() as session:
            query = select(MarketRecord).options(selectinload(MarketRecord.bars)).order_by(MarketRecord.symbol)
            return [_market(record) for record in session.scalars(query)]

    def market(self, symbol: str) -> StoredMarket:
        """One market. Raises NotFoundError when there is none of that symbol."""
        with self._database.session() as session:
            return _market(_market_record(session, symbol))

    def save_market(self, symbol: str, title: str, settings: dict[str, Any], bars: list[Bars]) -> StoredMarket:
        """The market with these settings and, added as new versions, these bars: one transaction.

        Raises SettingsError when the settings cannot be.
        """
        symbol = symbol.strip()
        if not symbol or len(symbol) > 40 or any(char in symbol for char in '"\\\n\t'):
            raise SettingsError("a symbol has 1 to 40 characters, without quotes and line breaks")
        checked = market_settings({**settings, "symbol": symbol})
        checked.market(symbol)
        with self._database.session() as session:
            record = session.scalar(select(MarketRecord).where(MarketRecord.symbol == symbol))
            if record is None:
                record = MarketRecord(symbol=symbol, title=title, settings={})
                session.add(record)
            record.title = title or record.title
            record.settings = checked.model_dump(exclude_defaults=True)
            session.flush()
            for item in bars:
                save_bars(session, record, item)
            session.refresh(record)
            return _market(record)

    def bars_revision(self) -> int:
        """A number that grows whenever any market gets new bars."""
        with self._database.session() as session:
            return session.scalar(select(func.max(BarsRecord.id))) or 0

    def bars(self, stored: StoredBars) -> Bars:
        """The bars of one stored timeframe."""
        with self._database.session() as session:
            record = session.get(BarsRecord, stored.id)
            if record is None:
                raise NotFoundError("these bars are no longer stored")
            return load_bars(session, record)

    # --- accounts and runs -------------------------------------------------------------------------------------

    def accounts(self) -> dict[str, AccountSettings]:
        """All accounts by name."""
        with self._database.session() as session:
            records = session.scalars(select(AccountRecord).order_by(AccountRecord.id))
            return {record.name: account_settings(record.settings) for record in records}

    def account(self, name: str) -> AccountSettings:
        """One account. Raises NotFoundError when there is none of that name."""
        found = self.accounts()
        if name not in found:
            raise NotFoundError(f"there is no account `{name}`; there are: {', '.join(found)}")
        return found[name]

    def save_account(self, name: str, settings: dict[str, Any]) -> None:
        """Keep an account under a name. Raises SettingsError when the settings cannot be."""
        checked = account_settings(settings)
        checked.account()
        with self._database.session() as session:
            record = session.scalar(select(AccountRecord).where(AccountRecord.name == name))
            if record is None:
                session.add(AccountRecord(name=name, settings=checked.model_dump(exclude_defaults=True)))
            else:
                record.settings = checked.model_dump(exclude_defaults=True)

    def keep_run(self, setup: dict[str, Any], figures: dict[str, Any], data_version: int, engine_version: str) -> int:
        """Keep a run with its figures; its number."""
        with self._database.session() as session:
            record = RunRecord(setup=setup, figures=figures, data_version=data_version, engine_version=engine_version)
            session.add(record)
            session.flush()
            return record.id

    def preference(self, name: str) -> str:
        """What was chosen under a name; empty when nothing was."""
        with self._database.session() as session:
            record = session.get(PreferenceRecord, name)
            return record.value if record else ""

    def set_preference(self, name: str, value: str) -> None:
        """Choose something for all of the application."""
        with self._database.session() as session:
            session.merge(PreferenceRecord(name=name, value=value))

    def run(self, number: int) -> RunRecord:
        """One kept run. Raises NotFoundError when there is none of that number."""
        with self._database.session() as session:
            record = session.get(RunRecord, number)
            if record is None:
                raise NotFoundError(f"there is no kept run {number}")
            return record


def _script_record(session: Session, title: str) -> ScriptRecord:
    record = session.scalar(select(ScriptRecord).where(ScriptRecord.title == title))
    if record is None:
        raise NotFoundError(f"there is no script `{title}`")
    return record


def _market_record(session: Session, symbol: str) -> MarketRecord:
    record = session.scalar(select(MarketRecord).where(MarketRecord.symbol == symbol))
    if record is None:
        raise NotFoundError(f"there is no market `{symbol}`")
    return record


def _script(record: ScriptRecord) -> StoredScript:
    versions = tuple(ScriptVersion(item.number, item.text, item.created) for item in record.versions)
    return StoredScript(record.id, record.title, record.status, record.lesson, versions)


def _market(record: MarketRecord) -> StoredMarket:
    newest: dict[int, BarsRecord] = {}
    for item in sorted(record.bars, key=lambda item: item.version):
        newest[item.timeframe_minutes] = item
    bars = tuple(
        StoredBars(item.id, item.timeframe_minutes, item.version, item.row_count, item.first_time, item.last_time)
        for _, item in sorted(newest.items())
    )
    return StoredMarket(record.id, record.symbol, record.title, market_settings(record.settings), bars)
