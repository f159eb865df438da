"""What is kept: scripts with versions, markets with bars, accounts, baskets."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from threading import Lock
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from skelb.core.bars import Bars, Ints, Market, Timeframe
from skelb.core.errors import BarsError, ConflictError, NotFoundError, SettingsError
from skelb.core.language import SavedScript, check
from skelb.service.readable import read_each
from skelb.service.settings import AccountSettings, MarketSettings, account_settings, market_settings
from skelb.store import (
    AccountRecord,
    BarsRecord,
    BasketRecord,
    Database,
    MarketRecord,
    PreferenceRecord,
    ScriptRecord,
    VersionRecord,
    leave_out,
    load_bars,
    load_times,
    load_whole,
    save_bars,
)

STATUSES = ("idea", "testing", "trusted")
LONGEST_TITLE = 120
LONGEST_NAME = 80
MOST_IN_BASKET = 40
_NOT_IN_SYMBOLS = ",=;:|\"'\\"


@dataclass(frozen=True)
class StoredBars:
    """One stored timeframe of a market."""

    id: int
    timeframe_minutes: int
    version: int
    row_count: int
    first_time: int
    last_time: int
    left_out: int


@dataclass(frozen=True)
class StoredMarket:
    """A market as it is kept; `earlier` descriptions are whole settings, oldest first."""

    id: int
    symbol: str
    title: str
    settings: MarketSettings
    bars: tuple[StoredBars, ...]
    earlier: tuple[dict[str, Any], ...] = ()

    @property
    def described(self) -> int:
        """The number of its description, from 1; saving another makes the next."""
        return len(self.earlier) + 1

    @property
    def market(self) -> Market:
        """The core's market."""
        return self.settings.market(self.symbol)

    def on(self, timeframe: Timeframe) -> StoredBars | None:
        """What is stored of a timeframe itself."""
        return next((item for item in self.bars if item.timeframe_minutes == timeframe.minutes), None)

    @property
    def shortest(self) -> StoredBars:
        """The bars of its shortest timeframe. Raises BarsError when it has none."""
        if not self.bars:
            raise BarsError(f"{self.symbol} has no bars yet: import some")
        return self.bars[0]


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
        self._watchers: list[Callable[[str], None]] = []
        self.writing = Lock()  # for what stands on what was read: two at once would number their versions alike

    def watch(self, tell: Callable[[str], None]) -> Callable[[], None]:
        """Be told what was written, such as "scripts" or "markets"; from any thread. Returns the way to leave."""
        self._watchers.append(tell)
        return lambda: self._watchers.remove(tell)

    def tell(self, what: str) -> None:
        """Tell everybody who watches that something was written."""
        for tell in list(self._watchers):
            tell(what)

    # --- scripts -----------------------------------------------------------------------------------------------

    def scripts(self, left_out: list[str] | None = None) -> list[StoredScript]:
        """All scripts by title; `left_out` is told which cannot be read."""
        with self._database.session() as session:
            query = select(ScriptRecord.id, ScriptRecord.title).where(ScriptRecord.removed_at.is_(None))
            names = session.execute(query.order_by(ScriptRecord.title)).all()
            return read_each(
                ((number, f"the script {title}") for number, title in names),
                lambda number: _script(session.get_one(ScriptRecord, number)),
                left_out,
            )

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

    def save_script(self, text: str, status: str = "idea", lesson: str = "", after: int | None = None) -> StoredScript:
        """The script named by the text's own title, with `text` as its newest version (unless it already is).

        Any text may be saved, mistakes and all. `after` is the newest version that whoever saves knows of, 0 when they
        know of no such script. Raises SettingsError when it has no title, ConflictError when there is a newer version.
        """
        title = check(text).title.strip()
        if not title or len(title) > LONGEST_TITLE:
            raise SettingsError(
                f'a script is saved under its title: begin it with `title "…"` (up to {LONGEST_TITLE} characters)'
            )
        with self.writing:
            saved = self._database.again(lambda session: _saved(session, title, text, status, lesson, after))
        self.tell("scripts")
        return saved

    def set_status(self, title: str, status: str) -> StoredScript:
        """The script with a new status."""
        if status not in STATUSES:
            raise SettingsError(f"a status is one of {', '.join(STATUSES)}")
        with self._database.session() as session:
            record = _script_record(session, title)
            record.status = status
            saved = _script(record)
        self.tell("scripts")
        return saved

    # --- markets -----------------------------------------------------------------------------------------------

    def markets(self, left_out: list[str] | None = None) -> list[StoredMarket]:
        """All markets by symbol; `left_out` is told which cannot be read."""
        with self._database.session() as session:
            query = select(MarketRecord.id, MarketRecord.symbol).where(MarketRecord.removed_at.is_(None))
            names = session.execute(query.order_by(MarketRecord.symbol)).all()
            return read_each(
                ((number, f"the market {symbol}") for number, symbol in names),
                lambda number: _market(session.get_one(MarketRecord, number)),
                left_out,
            )

    def market(self, symbol: str) -> StoredMarket:
        """One market. Raises NotFoundError when there is none of that symbol."""
        with self._database.session() as session:
            return _market(_market_record(session, symbol))

    def save_market(self, symbol: str, title: str, settings: dict[str, Any] | None, bars: list[Bars]) -> StoredMarket:
        """The market with these settings (None: as it is described) and, as new versions, these bars: one transaction.

        Raises SettingsError when the settings cannot be.
        """
        symbol = symbol.strip()
        if not symbol or len(symbol) > 40 or any(sign in _NOT_IN_SYMBOLS or sign.isspace() for sign in symbol):
            raise SettingsError(
                f"a symbol has 1 to 40 characters, without spaces and without {' '.join(_NOT_IN_SYMBOLS)}: lists of"
                " markets are written with them"
            )
        checked = market_settings({**(settings or {}), "symbol": symbol})
        checked.market(symbol)
        with self._database.session() as session:
            record = session.scalar(select(MarketRecord).where(MarketRecord.symbol == symbol))
            is_new = record is None
            if record is None:
                record = MarketRecord(symbol=symbol, title=title, settings={})
                session.add(record)
            record.title = title or record.title
            if is_new:
                record.settings = checked.model_dump(exclude_defaults=True)
            elif settings is not None:
                _describe(record, checked)
            session.flush()
            for item in bars:
                save_bars(session, record, item)
            session.refresh(record)
            saved = _market(record)
        self.tell("markets")
        return saved

    def bars_revision(self) -> int:
        """A number that grows whenever any market gets new bars."""
        with self._database.session() as session:
            return session.scalar(select(func.max(BarsRecord.id))) or 0

    def bars(self, stored: StoredBars) -> Bars:
        """The bars of one stored timeframe."""
        with self._database.session() as session:
            return load_bars(session, _bars_record(session, stored))

    def whole_bars(self, stored: StoredBars) -> Bars:
        """The bars of one stored timeframe, those that are left out among them."""
        with self._database.session() as session:
            return load_whole(session, _bars_record(session, stored))

    def times(self, stored: StoredBars) -> Ints:
        """When the bars of one stored timeframe open, those that are left out among them."""
        with self._database.session() as session:
            return load_times(session, _bars_record(session, stored))

    def leave_out(self, stored: StoredBars, times: Ints) -> None:
        """A new version of stored bars, of which those that open at these times, and no others, are not used."""
        with self._database.session() as session:
            leave_out(session, _bars_record(session, stored), times)
        self.tell("markets")

    # --- accounts ----------------------------------------------------------------------------------------------

    def accounts(self, left_out: list[str] | None = None) -> dict[str, AccountSettings]:
        """All accounts by name; `left_out` is told which cannot be read."""
        with self._database.session() as session:
            query = select(AccountRecord.id, AccountRecord.name).where(AccountRecord.removed_at.is_(None))
            names = session.execute(query.order_by(AccountRecord.id)).all()

            def read(number: int) -> tuple[str, AccountSettings]:
                record = session.get_one(AccountRecord, number)
                return record.name, account_settings(record.settings)

            return dict(read_each(((number, f"the account {name}") for number, name in names), read, left_out))

    def account(self, name: str) -> AccountSettings:
        """One account. Raises NotFoundError when there is none of that name."""
        found = self.accounts()
        if name not in found:
            raise NotFoundError(f"there is no account `{name}`; there are: {', '.join(found) or 'none'}")
        return found[name]

    def save_account(self, name: str, settings: dict[str, Any]) -> None:
        """Keep an account under a name. Raises SettingsError when the name or the settings cannot be."""
        name = kept_name(name, "an account")
        checked = account_settings(settings)
        checked.account()
        with self._database.session() as session:
            record = session.scalar(select(AccountRecord).where(AccountRecord.name == name))
            if record is None:
                session.add(AccountRecord(name=name, settings=checked.model_dump(exclude_defaults=True)))
            else:
                record.settings = checked.model_dump(exclude_defaults=True)
        self.tell("accounts")

    # --- baskets -----------------------------------------------------------------------------------------------

    def baskets(self, left_out: list[str] | None = None) -> dict[str, tuple[str, ...]]:
        """All baskets by name, each with its markets; `left_out` is told which cannot be read."""
        with self._database.session() as session:
            query = select(BasketRecord.id, BasketRecord.name).where(BasketRecord.removed_at.is_(None))
            names = session.execute(query.order_by(BasketRecord.name)).all()

            def read(number: int) -> tuple[str, tuple[str, ...]]:
                record = session.get_one(BasketRecord, number)
                return record.name, _symbols(record.markets)

            return dict(read_each(((number, f"the basket {name}") for number, name in names), read, left_out))

    def basket(self, name: str) -> tuple[str, ...]:
        """The markets of a basket. Raises NotFoundError when there is none of that name."""
        found = self.baskets()
        if name not in found:
            raise NotFoundError(f"there is no basket `{name}`; there are: {', '.join(found) or 'none'}")
        return found[name]

    def save_basket(self, name: str, markets: Sequence[str]) -> None:
        """Keep markets as a basket of that name, a new one or in place of what it was.

        Raises SettingsError when the name cannot be or there are no markets, NotFoundError when one is not stored.
        """
        name = kept_name(name, "a basket")
        symbols = list(_symbols(list(dict.fromkeys(markets))))
        with self._database.session() as session:
            for symbol in symbols:
                _market_record(session, symbol)
            record = session.scalar(select(BasketRecord).where(BasketRecord.name == name))
            if record is None:
                session.add(BasketRecord(name=name, markets=symbols))
            else:
                record.markets = symbols
        self.tell("baskets")

    # --- preferences -------------------------------------------------------------------------------------------

    def preference(self, name: str) -> str:
        """What was chosen under a name; empty when nothing was."""
        with self._database.session() as session:
            record = session.get(PreferenceRecord, name)
            return record.value if record else ""

    def set_preference(self, name: str, value: str) -> None:
        """Choose something for all of the application."""
        with self._database.session() as session:
            session.merge(PreferenceRecord(name=name, value=value))


def kept_name(text: str, whose: str) -> str:
    """A name as it is kept. Raises SettingsError when it cannot be one."""
    found = " ".join(text.split())
    if not found or len(found) > LONGEST_NAME or "\\" in found:
        raise SettingsError(f"{whose}'s name has 1 to {LONGEST_NAME} characters, without backslashes")
    return found


def _symbols(markets: list[Any]) -> tuple[str, ...]:
    is_list = isinstance(markets, list) and all(isinstance(symbol, str) for symbol in markets)
    if not is_list or not 0 < len(markets) <= MOST_IN_BASKET:
        raise SettingsError(f"a basket holds 1 to {MOST_IN_BASKET} markets")
    return tuple(markets)


def _saved(session: Session, title: str, text: str, status: str, lesson: str, after: int | None) -> StoredScript:
    record = session.scalar(select(ScriptRecord).where(ScriptRecord.title == title))
    if record is None:
        record = ScriptRecord(title=title, status=status, lesson=lesson)
        session.add(record)
    if not record.versions or record.versions[-1].text != text:
        _refuse_unseen(record, after)
        record.versions.append(VersionRecord(number=len(record.versions) + 1, text=text))
    session.flush()
    return _script(record)


def _refuse_unseen(record: ScriptRecord, after: int | None) -> None:
    newest = record.versions[-1].number if record.versions else 0
    if after is not None and newest > after:
        told = "is on the shelf already" if after == 0 else f"has a version {newest} that was saved elsewhere"
        raise ConflictError(
            f"“{record.title}” {told}, and nothing was saved: look at the difference, then save on top of it or under"
            " another title"
        )


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


def _bars_record(session: Session, stored: StoredBars) -> BarsRecord:
    record = session.get(BarsRecord, stored.id)
    if record is None:
        raise NotFoundError("these bars are no longer stored")
    return record


def _script(record: ScriptRecord) -> StoredScript:
    if not record.versions:
        raise SettingsError("none of its versions is there")
    versions = tuple(ScriptVersion(item.number, item.text, item.created) for item in record.versions)
    return StoredScript(record.id, record.title, record.status, record.lesson, versions)


def _describe(record: MarketRecord, settings: MarketSettings) -> None:
    """Another description; what it was is kept, if it could be read at all."""
    try:
        before = market_settings(record.settings)
    except SettingsError:
        before = None
    if before is not None and before != settings:
        record.earlier = [*record.earlier, before.model_dump(mode="json")]
    record.settings = settings.model_dump(exclude_defaults=True)


def _market(record: MarketRecord) -> StoredMarket:
    newest: dict[int, BarsRecord] = {}
    for item in sorted(record.bars, key=lambda item: item.version):
        newest[item.timeframe_minutes] = item
    bars = tuple(
        StoredBars(
            item.id,
            item.timeframe_minutes,
            item.version,
            item.row_count,
            item.first_time,
            item.last_time,
            len(item.left_out) // 8,
        )
        for _, item in sorted(newest.items())
    )
    settings = market_settings(record.settings)
    return StoredMarket(record.id, record.symbol, record.title, settings, bars, tuple(record.earlier))
