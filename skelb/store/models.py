"""The records: markets and their bars, scripts and versions, accounts, baskets, kept runs, trials."""

from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, DateTime, Float, ForeignKey, Index, LargeBinary, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

_REMOVED = "\x1f"  # no name holds it: it cannot be typed


def now() -> datetime:
    """This moment, UTC."""
    return datetime.now(UTC)


def removed_name(name: str, number: int) -> str:
    """What a removed record of this number is called instead, so that another can have its name."""
    return f"{name}{_REMOVED}{number}"


def name_before(name: str) -> str:
    """What a removed record was called."""
    return name.split(_REMOVED)[0]


class Base(DeclarativeBase):
    """All tables."""

    type_annotation_map = {datetime: DateTime(timezone=True), dict[str, Any]: JSON, list[Any]: JSON}


class Removable:
    """What can be taken away, and back again: it stays, out of sight. Its name is free meanwhile (see
    `removed_name`)."""

    removed_at: Mapped[datetime | None] = mapped_column(default=None)


class MarketRecord(Removable, Base):
    """An instrument's description; `settings` are those of the market JSON, `earlier` what they were, oldest first."""

    __tablename__ = "market"

    id: Mapped[int] = mapped_column(primary_key=True)
    symbol: Mapped[str] = mapped_column(String(64), unique=True)
    title: Mapped[str] = mapped_column(String(200), default="")
    settings: Mapped[dict[str, Any]]
    earlier: Mapped[list[Any]] = mapped_column(default=list)
    created: Mapped[datetime] = mapped_column(default=now)
    bars: Mapped[list["BarsRecord"]] = relationship(back_populates="market", cascade="all, delete-orphan")


class BarsRecord(Base):
    """One stored set of bars of a market on one timeframe; importing anew makes a new version, and so does leaving some
    of them out.

    row_count : of the bars that are used; base_id : the record whose chunks these are, None for its own
    left_out : int64, when the bars of the chunks open that are not used
    """

    __tablename__ = "bars"
    __table_args__ = (UniqueConstraint("market_id", "timeframe_minutes", "version"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    market_id: Mapped[int] = mapped_column(ForeignKey("market.id", ondelete="CASCADE"), index=True)
    timeframe_minutes: Mapped[int]
    version: Mapped[int]
    row_count: Mapped[int]
    first_time: Mapped[int]
    last_time: Mapped[int]
    dated: Mapped[bool]
    checksum: Mapped[str] = mapped_column(String(64))
    base_id: Mapped[int | None] = mapped_column(default=None)
    left_out: Mapped[bytes] = mapped_column(LargeBinary, default=b"")
    created: Mapped[datetime] = mapped_column(default=now)
    market: Mapped[MarketRecord] = relationship(back_populates="bars")


class BarsChunk(Base):
    """Up to 50,000 values of one column, compressed."""

    __tablename__ = "bars_chunk"
    __table_args__ = (UniqueConstraint("bars_id", "column_name", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    bars_id: Mapped[int] = mapped_column(ForeignKey("bars.id", ondelete="CASCADE"), index=True)
    column_name: Mapped[str] = mapped_column(String(64))
    number: Mapped[int]
    data: Mapped[bytes] = mapped_column(LargeBinary)


class ScriptRecord(Removable, Base):
    """A script by its title; its texts are versions."""

    __tablename__ = "script"

    id: Mapped[int] = mapped_column(primary_key=True)
    title: Mapped[str] = mapped_column(String(200), unique=True)
    status: Mapped[str] = mapped_column(String(16), default="idea")
    lesson: Mapped[str] = mapped_column(String(500), default="")
    created: Mapped[datetime] = mapped_column(default=now)
    versions: Mapped[list["VersionRecord"]] = relationship(
        back_populates="script", cascade="all, delete-orphan", order_by="VersionRecord.number"
    )


class VersionRecord(Base):
    """One saved text of a script."""

    __tablename__ = "script_version"
    __table_args__ = (UniqueConstraint("script_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    script_id: Mapped[int] = mapped_column(ForeignKey("script.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    text: Mapped[str]
    created: Mapped[datetime] = mapped_column(default=now)
    script: Mapped[ScriptRecord] = relationship(back_populates="versions")


class AccountRecord(Removable, Base):
    """An account by name; `settings` are those of the account JSON."""

    __tablename__ = "account"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(100), unique=True)
    settings: Mapped[dict[str, Any]]


class BasketRecord(Removable, Base):
    """A basket by name: symbols of markets, in the order they were put in."""

    __tablename__ = "basket"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(100), unique=True)
    markets: Mapped[list[Any]]


class RunRecord(Removable, Base):
    """A kept run: its whole setup, and the figures it had."""

    __tablename__ = "run"
    __table_args__ = (Index("run_removed", "removed_at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    setup: Mapped[dict[str, Any]]
    figures: Mapped[dict[str, Any]]
    data_version: Mapped[int]
    engine_version: Mapped[str] = mapped_column(String(20))
    created: Mapped[datetime] = mapped_column(default=now)


class LogLine(Base):
    """What the logbook lists of a kept run: narrow, so that a hundred thousand are listed and searched at once.

    parent_id : the run it was changed from; change : how, in words; version : of the script, where it was a saved one
    words : all that is searched, in lower case; curve : float32, equity at a few evenly chosen points
    tried : settings of the script looked at until then; described : the number of the market's description
    """

    __tablename__ = "log_line"
    __table_args__ = (Index("log_line_by_title", "title", "id"),)

    id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    parent_id: Mapped[int | None]
    title: Mapped[str] = mapped_column(String(200))
    version: Mapped[int | None]
    place: Mapped[str] = mapped_column(String(200))
    timeframe: Mapped[str] = mapped_column(String(8))
    change: Mapped[str] = mapped_column(String(300))
    star: Mapped[bool] = mapped_column(default=False)
    tags: Mapped[list[Any]] = mapped_column(default=list)
    note: Mapped[str] = mapped_column(String(1000), default="")
    words: Mapped[str]
    net_profit: Mapped[float | None]
    return_over_drawdown: Mapped[float | None]
    trades: Mapped[int | None]
    curve: Mapped[bytes] = mapped_column(LargeBinary)
    tried: Mapped[int | None]
    described: Mapped[int | None]
    engine_version: Mapped[str] = mapped_column(String(20))
    created: Mapped[datetime] = mapped_column(default=now)


class SeenRecord(Base):
    """A run that was looked at for more than a few seconds; forgotten after a while."""

    __tablename__ = "seen_run"
    __table_args__ = (Index("seen_run_in_order", "title", "seen"),)

    key: Mapped[str] = mapped_column(String(16), primary_key=True)
    title: Mapped[str] = mapped_column(String(200))
    setup: Mapped[dict[str, Any]]
    net_profit: Mapped[float | None]
    return_over_drawdown: Mapped[float | None]
    trades: Mapped[int | None]
    seen: Mapped[datetime] = mapped_column(default=now)


class TrialRecord(Removable, Base):
    """A trial: its order as it was given, what that comes to, and how far it is.

    `state` is running, stopped, done or failed. `title` is the script's, so that the tries of a script can be counted.
    `axes` and `parts` (the spans every point runs on) are what the order came to on the bars of `data_version`;
    `numbers` are the points to run, int64, None for the whole grid. `figure_keys` name the columns of the chunks.
    """

    __tablename__ = "trial"

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(16), default="sweep")
    title: Mapped[str] = mapped_column(String(200), default="", index=True)
    order: Mapped[dict[str, Any]]
    axes: Mapped[list[Any]]
    parts: Mapped[list[Any]]
    numbers: Mapped[bytes | None] = mapped_column(LargeBinary)
    figure_keys: Mapped[list[Any]]
    data_version: Mapped[int] = mapped_column(default=0)
    total: Mapped[int]
    state: Mapped[str] = mapped_column(String(16))
    message: Mapped[str] = mapped_column(String(500), default="")
    created: Mapped[datetime] = mapped_column(default=now)


class TrialChunk(Base):
    """Finished runs of a trial, committed together: columns as bytes, in the order they finished.

    Chunks of a trial are numbered from 0 without a gap: who adds one has seen all before it, so no run is stored twice.

    numbers : int64, the points; parts : int64; figures : float64, a row a run, NaN unknown; blocks : float64, a row a
    run, what it earned in stretches of the days, None of trials from before it was kept; errors : by row
    """

    __tablename__ = "trial_chunk"
    __table_args__ = (Index("trial_chunk_in_order", "trial_id", "number", unique=True),)

    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    count: Mapped[int]
    numbers: Mapped[bytes] = mapped_column(LargeBinary)
    parts: Mapped[bytes] = mapped_column(LargeBinary)
    figures: Mapped[bytes] = mapped_column(LargeBinary)
    blocks: Mapped[bytes | None] = mapped_column(LargeBinary)
    errors: Mapped[dict[str, Any]]


class TallyRecord(Base):
    """What is kept of all tries of a script on one version of stored bars; its title is the script's.

    listed, leader : the best tries, and the best before the last stage if any, with digest, label and statistic
    draws : float32, rows of one length: rest, settled, since, near, the leader's if any, those of the listed
    """

    __tablename__ = "tally"
    __table_args__ = (UniqueConstraint("title", "market", "timeframe_minutes", "data_version"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    title: Mapped[str] = mapped_column(String(200))
    market: Mapped[str] = mapped_column(String(64))
    timeframe_minutes: Mapped[int]
    data_version: Mapped[int]
    listed: Mapped[list[Any]]
    leader: Mapped[list[Any]]
    draws: Mapped[bytes] = mapped_column(LargeBinary)


class TallyTry(Base):
    """A try that was counted: runs of one digest earned the same every day; those of one setting have the same
    inputs."""

    __tablename__ = "tally_try"
    __table_args__ = {"sqlite_with_rowid": False}

    tally_id: Mapped[int] = mapped_column(ForeignKey("tally.id", ondelete="CASCADE"), primary_key=True)
    digest: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    setting: Mapped[int] = mapped_column(BigInteger)
    sharpe: Mapped[float] = mapped_column(Float)


class CourseRecord(Base):
    """How the tries of a script went: how many settings, who tried them, and each that was better than all before it,
    as its place among them and its daily Sharpe ratio; the sums of those ratios and of their squares."""

    __tablename__ = "tally_course"

    title: Mapped[str] = mapped_column(String(200), primary_key=True)
    settings: Mapped[int]
    steps: Mapped[list[Any]]
    by: Mapped[dict[str, Any]]
    total: Mapped[float]
    squares: Mapped[float]
    begun: Mapped[datetime] = mapped_column(default=now)


class LookRecord(Base):
    """A look at the held-back part of a script's data; there is no way to take it back."""

    __tablename__ = "look"

    id: Mapped[int] = mapped_column(primary_key=True)
    title: Mapped[str] = mapped_column(String(200), index=True)
    market: Mapped[str] = mapped_column(String(64))
    first: Mapped[date]
    last: Mapped[date]
    created: Mapped[datetime] = mapped_column(default=now)


class PracticeRecord(Removable, Base):
    """A strategy that follows a feed: its whole setup, where its bars come from.

    state : running, paused, stopped or failed; since : decisions begin with bars that open then, seconds since 1970 UTC
    through : the opening of the newest bars that were decided on; those of its markets that open later wait
    run_id : the kept run that it came from
    webhook : where what happens is sent, empty where nowhere; secret : what signs it
    """

    __tablename__ = "practice"

    id: Mapped[int] = mapped_column(primary_key=True)
    title: Mapped[str] = mapped_column(String(200), index=True)
    version: Mapped[int | None]
    setup: Mapped[dict[str, Any]]
    feed: Mapped[dict[str, Any]]
    since: Mapped[int]
    through: Mapped[int] = mapped_column(BigInteger)
    state: Mapped[str] = mapped_column(String(16), default="running")
    message: Mapped[str] = mapped_column(String(500), default="")
    run_id: Mapped[int | None]
    webhook: Mapped[str] = mapped_column(String(500), default="")
    secret: Mapped[str] = mapped_column(String(200), default="")
    created: Mapped[datetime] = mapped_column(default=now)


class PracticeHistory(Base):
    """The closed bars of one of a practice's markets from before decisions began, as they were then: compressed rows of
    time, prices, volume."""

    __tablename__ = "practice_history"

    practice_id: Mapped[int] = mapped_column(ForeignKey("practice.id", ondelete="CASCADE"), primary_key=True)
    market: Mapped[str] = mapped_column(String(64), primary_key=True)
    bars: Mapped[bytes] = mapped_column(LargeBinary)


class PracticeBar(Base):
    """A closed bar that a practice took from its feed, by the moment of its opening; it is never written anew."""

    __tablename__ = "practice_bar"
    __table_args__ = {"sqlite_with_rowid": False}

    practice_id: Mapped[int] = mapped_column(ForeignKey("practice.id", ondelete="CASCADE"), primary_key=True)
    market: Mapped[str] = mapped_column(String(64), primary_key=True)
    time: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    open: Mapped[float] = mapped_column(Float)
    high: Mapped[float] = mapped_column(Float)
    low: Mapped[float] = mapped_column(Float)
    close: Mapped[float] = mapped_column(Float)
    volume: Mapped[float] = mapped_column(Float)


class PracticeEvent(Base):
    """Something that happened in a practice, once by its key: an alert, a fill, an entry held back, a word of the feed.

    market : its symbol, empty for what is of the whole practice
    bar : when the bar opened that it belongs to; time : when it was so, both seconds since 1970 UTC by the feed
    sent : empty where it is not to be sent, `due` or `sent`; due : when it is tried next, milliseconds since 1970 UTC;
    answer : what the last try brought
    """

    __tablename__ = "practice_event"
    __table_args__ = (UniqueConstraint("practice_id", "key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    practice_id: Mapped[int] = mapped_column(ForeignKey("practice.id", ondelete="CASCADE"), index=True)
    key: Mapped[str] = mapped_column(String(120))
    kind: Mapped[str] = mapped_column(String(16))
    market: Mapped[str] = mapped_column(String(64), default="")
    bar: Mapped[int] = mapped_column(BigInteger)
    time: Mapped[int] = mapped_column(BigInteger)
    text: Mapped[str] = mapped_column(String(500))
    sent: Mapped[str] = mapped_column(String(8), default="", index=True)
    tries: Mapped[int] = mapped_column(default=0)
    due: Mapped[int] = mapped_column(BigInteger, default=0)
    answer: Mapped[str] = mapped_column(String(200), default="")
    created: Mapped[datetime] = mapped_column(default=now)


class PracticeTry(Base):
    """A try to send an event, with what came of it."""

    __tablename__ = "practice_try"

    id: Mapped[int] = mapped_column(primary_key=True)
    event_id: Mapped[int] = mapped_column(ForeignKey("practice_event.id", ondelete="CASCADE"), index=True)
    answer: Mapped[str] = mapped_column(String(200))
    created: Mapped[datetime] = mapped_column(default=now)


class PreferenceRecord(Base):
    """Something the user chose for all of the application, by name."""

    __tablename__ = "preference"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[str] = mapped_column(String(200))
