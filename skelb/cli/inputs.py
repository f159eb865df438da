"""What the commands read: scripts, bars, settings."""

import atexit
from contextlib import suppress
from functools import cache
from pathlib import Path

from skelb.cli.files import UsageError, read_script, scripts_beside
from skelb.cli.options import OnAccount, OnBars, OnBasket, OnDays, OnSides
from skelb.core.bars import Bars, Market, Timeframe, decimal_tick
from skelb.core.engine import Account
from skelb.core.errors import BarsError, SettingsError
from skelb.core.plan import Dataset, make_dataset
from skelb.service.backtest import SIDES, Choices, read_date
from skelb.service.costs import dearer_account, dearer_market
from skelb.service.datasets import Datasets
from skelb.service.folder import data_folder, hold_folder
from skelb.service.library import Library
from skelb.service.prepared import Prepared
from skelb.service.settings import AccountSettings, account_settings, market_settings, read_settings_file
from skelb.service.tallies import Tallies
from skelb.store import FILE_NAME, Database


def settings_of(items: list[str] | None) -> dict[str, object]:
    """Inputs given as NAME=VALUE."""
    found: dict[str, object] = {}
    for item in items or []:
        name, sign, value = item.partition("=")
        if not sign or not name.strip():
            raise UsageError(f"--set takes NAME=VALUE, not `{item}`")
        found[name.strip()] = value.strip()
    return found


def read_datasets(asked: OnBars, costs: float = 1.0) -> list[Dataset]:
    """A dataset for each of the bars given, or of the markets named in the data folder; each serves `from` of the
    others. Costs are so many times those of the markets."""
    bars, markets, timeframe = asked.bars, asked.market, asked.timeframe
    if stored := stored_symbols(asked):
        if bars or markets:
            raise UsageError("give bars as files (--bars, --market) or as they are stored (--stored), not both")
        return _stored_datasets(stored, timeframe, costs)
    if not bars:
        raise UsageError("give the bars: --bars CSV, or --stored SYMBOL for a market of the data folder")
    if len(markets or []) > len(bars):
        raise UsageError("give --market at most once for each --bars, in the same order")
    read = [_read_market(item, (markets or [])[index : index + 1]) for index, item in enumerate(bars)]
    if costs != 1.0:
        read = [(dearer_market(market, costs), found) for market, found in read]
    by_symbol = dict(zip([market.symbol for market, _ in read], read, strict=True))
    if len(by_symbol) < len(read):
        raise UsageError("every market has a symbol of its own: write --bars SYMBOL=CSV")

    def other(symbol: str, wanted: Timeframe) -> Dataset:
        if symbol not in by_symbol:
            raise SettingsError(f"there are no bars of `{symbol}`; given are: {', '.join(by_symbol)}")
        market, found = by_symbol[symbol]
        return made.setdefault((symbol, wanted), make_dataset(found, market, wanted, others=other))

    made: dict[tuple[str, Timeframe], Dataset] = {}
    wanted = Timeframe.parse(timeframe) if timeframe else None
    return [make_dataset(found, market, wanted, others=other) for market, found in read]


def stored_symbols(asked: OnBars) -> list[str]:
    """The markets of the data folder that are asked for, by themselves and in a basket; the first is the one to
    trade."""
    named = asked.basket if isinstance(asked, OnBasket) else None
    found = list(asked.stored or ())
    if named:
        _must_be_stored()
        found += Library(_database()).basket(named)
    return list(dict.fromkeys(found))


def _must_be_stored() -> None:
    if not (data_folder() / FILE_NAME).exists():
        raise UsageError(f"nothing is stored in {data_folder()} yet: `skelb demo` or `skelb import` stores markets")


@cache
def _database() -> Database:
    """The data folder's, opened once for all that a command reads and counts."""
    found = Database(data_folder())
    atexit.register(found.close)
    return found


def read_dataset(asked: OnBars) -> Dataset:
    """The dataset of the market to trade, the first of the bars given; the others serve `from`."""
    return read_datasets(asked)[0]


def _stored_datasets(symbols: list[str], timeframe: str | None, costs: float) -> list[Dataset]:
    """Datasets of markets in the data folder; any other market there serves `from`."""
    _must_be_stored()
    datasets = Datasets(Library(_database()))
    wanted = Timeframe.parse(timeframe) if timeframe else None
    return [datasets.get(symbol, wanted, costs) for symbol in symbols]


def tallies_for(asked: OnBars) -> Tallies:
    """Where tries are counted: in the data folder for bars that are stored there, unless another program has it open.

    Otherwise as long as the command runs, and `is_kept` says that.
    """
    if stored_symbols(asked):
        with suppress(SettingsError):
            hold_folder(data_folder(), "a command")
            return Tallies(_database())
    return Tallies(None)


def read_account(named: str | None) -> AccountSettings:
    """The account of a JSON file, or of that name in the data folder; without either the one of all defaults."""
    if named is None:
        return AccountSettings()
    path = Path(named)
    if path.suffix == ".json" or path.is_file():
        return account_settings(read_settings_file(path))
    if not (data_folder() / FILE_NAME).exists():
        raise UsageError(f"--account `{named}` is no file, and nothing is stored in {data_folder()} yet")
    return Library(_database()).account(named)


def _read_market(item: str, settings_file: list[Path]) -> tuple[Market, Bars]:
    """One of the bars given as [SYMBOL=]CSV, with its market's description."""
    symbol, sign, name = item.partition("=")
    path = Path(name if sign else symbol)
    from skelb.service.importing.bars_csv import read_bars_csv  # slow to load, and only files need it

    file = read_bars_csv(path)
    if file.refused_count:
        first = file.refused[0]
        raise BarsError(
            f"{path.name} line {first.line}: {first.reason} ({file.refused_count:,} rows refused); `skelb import` leaves them out"  # noqa: E501
        )
    fallback = symbol if sign else path.stem
    stated = read_settings_file(settings_file[0]) if settings_file else {}
    settings = market_settings({"tick": decimal_tick(file.bars), **stated})
    return settings.market(fallback), file.bars


def prepare_to_look(asked: OnDays) -> Prepared:
    """A script on the market to look at, with an account of all defaults. Raises SkelbError as `prepare` does."""
    return _prepared(asked, read_datasets(asked), AccountSettings().account(), "both")


def prepare(asked: OnAccount) -> Prepared:
    """A run on the market to trade; further bars serve `from`. Raises SkelbError on whatever cannot be read."""
    return prepare_all(asked)[0]


def prepare_all(asked: OnAccount) -> tuple[Prepared, list[Dataset]]:
    """A run on the market to trade, the first of the bars given, and the datasets of all. Raises SkelbError on whatever
    cannot be read."""
    datasets = read_datasets(asked, asked.costs)
    account = read_account(asked.account).account()
    if asked.costs != 1.0:
        account = dearer_account(account, asked.costs)
    return _prepared(asked, datasets, account, asked.sides if isinstance(asked, OnSides) else "both"), datasets


def _prepared(asked: OnDays, datasets: list[Dataset], account: Account, sides: str) -> Prepared:
    if sides not in SIDES:
        raise SettingsError(f"--sides is long, short or both, not `{sides}`")
    choices = Choices(settings_of(asked.set_), sides, read_date(asked.from_, "--from"), read_date(asked.to, "--to"))
    basket = datasets if isinstance(asked, OnBasket) and asked.basket is not None else []
    text, beside = read_script(asked.file), scripts_beside(asked.file)
    found = Prepared.of(text, beside, datasets[0], account, choices, basket).sound()
    _ = found.inputs  # what cannot be is told before anything runs
    return found
