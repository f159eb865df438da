"""A run in one file: all that it was made of, and what came out; opened and made again anywhere."""

import io
import json
import zipfile
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from datetime import date
from hashlib import sha256
from typing import Any

import numpy as np
import orjson
import pyarrow as pa
import pyarrow.parquet

from skelb.core.bars import PRICES, Bars, Timeframe
from skelb.core.engine import Account
from skelb.core.errors import PackError, SkelbError
from skelb.core.export import basket_document
from skelb.core.language import SavedScript, check
from skelb.core.plan import Dataset, make_dataset
from skelb.core.plan.dataset import Others
from skelb.service.backtest import Choices
from skelb.service.prepared import Prepared
from skelb.service.report import Report, made_of, report_of
from skelb.service.settings import account_settings, market_settings
from skelb.service.zips import BROKEN

FORM = 1
_HEAD, _SCRIPT, _ACCOUNT, _TRADES = "pack.json", "script.skelb", "account.json", "trades.json"
_MOST_BYTES = 2 << 30  # unpacked
_MOST_FILES = 2_000
_MOST_DIFFERENCES = 20
_SAME = 1e-9  # of two numbers that are equal but for the last bits of another processor


@dataclass(frozen=True, slots=True)
class Verified:
    """Whether a pack, made again, comes to what it says: `differences` in the order they were met, at most 20, and the
    report of what it comes to here."""

    equal: bool
    sentence: str
    differences: list[str]
    engine_version: str
    report: Report


def pack(prepared: Prepared, described: Mapping[str, int] | None = None) -> bytes:
    """A run of a sound script as a zip file: script and the scripts it uses, inputs, account, the markets it was run on
    and those that it read, with the bars of each, trades, figures and the sums of all. Raises SkelbError as a backtest
    does."""
    read: dict[tuple[str, Timeframe], Dataset] = {}
    used: dict[tuple[str, int | None], SavedScript] = {}

    def recorded(title: str, version: int | None) -> SavedScript | None:
        found = prepared.setting.scripts(title, version) if prepared.setting.scripts else None
        if found is not None:
            used[title, version] = found
        return found

    checked = check(prepared.checked.source, replace(prepared.setting, scripts=recorded))
    basket = tuple(_recording(dataset, read) for dataset in prepared.basket)
    own = basket[0] if basket else _recording(prepared.dataset, read)
    whole = replace(prepared, checked=checked, dataset=own, basket=basket).sound()
    outcomes, figures, _ = whole.judged()
    made = made_of(whole, [outcome.plan.dataset for outcome in outcomes], dict(described or {}))

    files: dict[str, bytes] = {_SCRIPT: checked.source.encode(), _ACCOUNT: _json(_account_json(whole.account))}
    bars_of: dict[int, str] = {}

    def kept(dataset: Dataset, symbol: str, timeframe: Timeframe) -> dict[str, Any]:
        bars = dataset.stored or dataset.bars
        name = bars_of.setdefault(id(bars), f"bars/{len(bars_of) + 1}.parquet")
        files.setdefault(name, _parquet(bars))
        settings = asdict(dataset.market)
        times = settings.pop("stated_spread_times")  # no part of a market's JSON: it comes from costs × n
        market = f"markets/{sum(item.startswith('markets/') for item in files) + 1}.json"
        files[market] = _json(settings)
        return {
            "symbol": symbol, "timeframe": str(timeframe), "market": market, "bars": name, "stated_spread_times": times,
        }  # fmt: skip

    markets = [kept(dataset, dataset.market.symbol, dataset.bars.timeframe) for dataset in basket or (own,)]
    others = [kept(dataset, symbol, timeframe) for (symbol, timeframe), dataset in read.items()]
    scripts = []
    for number, ((title, version), script) in enumerate(used.items(), 1):
        files[f"used/{number}.skelb"] = script.text.encode()
        scripts.append({"title": title, "version": version, "found": script.version, "file": f"used/{number}.skelb"})
    trades = basket_document(outcomes, figures, [], False)["trades"]
    files[_TRADES] = _json(trades)
    head = {
        "pack": FORM,
        "title": checked.title,
        "made": {key: value for key, value in asdict(made).items() if key not in ("text", "account")},
        "is_basket": bool(basket),
        "markets": markets,
        "others": others,
        "used": scripts,
        "figures": figures,
        "sums": {name: sha256(data).hexdigest() for name, data in files.items()},
    }
    sink = io.BytesIO()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in {_HEAD: _json(head), **files}.items():
            place = zipfile.ZipInfo(name)  # of no moment: the same run is the same file
            place.compress_type = zipfile.ZIP_STORED if name.endswith(".parquet") else zipfile.ZIP_DEFLATED
            archive.writestr(place, data)
    return sink.getvalue()


def verify(data: bytes) -> Verified:
    """A pack made again with its own bars, and compared with what it says of itself.

    Raises PackError when it is no pack or is missing parts.
    """
    files = _unpacked(data)
    try:
        head = json.loads(files[_HEAD])
        prepared = _prepared(head, files)
        told = json.loads(files[_TRADES])
        figures = head["figures"]
        sums = dict(head["sums"])
        engine = str(head["made"]["engine_version"])
        described = {item["symbol"]: item["described"] for item in head["made"]["markets"] if item["described"]}
        outcomes, found, _ = prepared.judged()
    except PackError:
        raise
    except SkelbError as exc:
        raise PackError(f"it cannot be run: {exc}") from exc
    except (KeyError, TypeError, ValueError, AttributeError, pa.ArrowException) as exc:
        raise PackError(f"it cannot be read: {_why(exc)}") from exc
    rows = json.loads(_json(basket_document(outcomes, found, [], False)["trades"]))
    differences = list(_differing("trade", told, rows)) + list(_differing("figure", figures, json.loads(_json(found))))
    for name, total in sums.items():
        if name not in files or sha256(files[name]).hexdigest() != total:
            differences.append(f"{name} is not what was packed")
    count = len(differences)
    trades = f"{len(rows):,} trade{'s' * (len(rows) != 1)}"
    sentence = (
        f"The same to the last cent: {trades} and every figure."
        if count == 0
        else f"Not the same: {differences[0]}{f', and {count - 1} more' if count > 1 else ''}."
    )
    report = report_of(prepared, None, None, described)
    return Verified(count == 0, sentence, differences[:_MOST_DIFFERENCES], engine, report)


def _recording(dataset: Dataset, read: dict[tuple[str, Timeframe], Dataset]) -> Dataset:
    """The dataset with nothing computed yet; of other markets it is noted which are read."""
    others = dataset.others

    def noted(symbol: str, timeframe: Timeframe) -> Dataset:
        assert others is not None
        found = _recording(others(symbol, timeframe), read)
        read[symbol, timeframe] = found
        return found

    return replace(dataset.apart(), others=None if others is None else noted)


def _prepared(head: dict[str, Any], files: Mapping[str, bytes]) -> Prepared:
    if head["pack"] != FORM:
        raise PackError(f"it is a pack of form {head['pack']}, and this program reads form {FORM}")
    made, scripts = head["made"], {}
    for item in head["used"]:
        text = files[item["file"]].decode()
        scripts[item["title"], item["version"]] = SavedScript(item["title"], item["found"], text)
    bars: dict[str, Bars] = {}

    def dataset(item: dict[str, Any], others: Others) -> Dataset:
        if item["bars"] not in bars:
            bars[item["bars"]] = _bars(files[item["bars"]])
        market = market_settings(json.loads(files[item["market"]])).market()
        market = replace(market, stated_spread_times=float(item["stated_spread_times"]))
        return make_dataset(bars[item["bars"]], market, Timeframe.parse(item["timeframe"]), others=others)

    by_place = {(item["symbol"], Timeframe.parse(item["timeframe"])): item for item in head["others"]}

    def other(symbol: str, timeframe: Timeframe) -> Dataset:
        item = by_place.get((symbol, timeframe))
        if item is None:
            raise PackError(f"the bars of `{symbol}` on {timeframe} are not in it")
        return dataset(item, other)

    markets = [dataset(item, other) for item in head["markets"]]
    if not markets:
        raise PackError("it names no market")
    account: Account = account_settings(json.loads(files[_ACCOUNT])).account()
    days = [None if made[key] is None else date.fromisoformat(made[key]) for key in ("from_date", "to_date")]
    choices = Choices(made["inputs"], made["sides"], days[0], days[1], made["inverted"], dearest=made["dearest"])
    basket = markets if head["is_basket"] else []
    text = files[_SCRIPT].decode()
    return Prepared.of(
        text, lambda title, version: scripts.get((title, version)), markets[0], account, choices, basket
    ).sound()


def _unpacked(data: bytes) -> dict[str, bytes]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            places = archive.infolist()
            if len(places) > _MOST_FILES or sum(place.file_size for place in places) > _MOST_BYTES:
                raise PackError("it holds more than a pack can")
            found = {place.filename: archive.read(place) for place in places}
    except (*BROKEN, ValueError) as exc:
        raise PackError(f"it is no pack, or was cut off: {exc}") from exc
    if _HEAD not in found:
        raise PackError(f"it is no pack: there is no {_HEAD} in it")
    return found


def _differing(what: str, told: Any, found: Any, place: str = "") -> list[str]:
    """Where two plain values differ, in words."""
    if isinstance(told, dict) and isinstance(found, dict):
        keys = list(dict.fromkeys((*told, *found)))
        parts = [(f"{place} {key}".strip(), told.get(key), found.get(key)) for key in keys]
        return [line for name, before, now in parts for line in _differing(what, before, now, name)]
    if isinstance(told, list) and isinstance(found, list):
        if len(told) != len(found):
            return [f"{len(told):,} {what}s were packed, {len(found):,} are made here"]
        pairs = enumerate(zip(told, found, strict=True), 1)
        return [line for number, (before, now) in pairs for line in _differing(what, before, now, str(number))]
    numbers = [value for value in (told, found) if isinstance(value, int | float) and not isinstance(value, bool)]
    if len(numbers) == 2 and abs(told - found) <= _SAME * max(1.0, abs(told), abs(found)):
        return []
    return [] if told == found else [f"{what} {place} is {found}, and was packed as {told}"]


def _json(value: object) -> bytes:
    return orjson.dumps(value, option=orjson.OPT_INDENT_2 | orjson.OPT_SERIALIZE_NUMPY)


def _account_json(account: Account) -> dict[str, Any]:
    """An account as its JSON is written, so that it can be given to any command."""
    found = asdict(account)
    commission = found.pop("commission")
    return found | {f"commission_{key}": value for key, value in commission.items()}


def _parquet(bars: Bars) -> bytes:
    own = {f"+{name}": values for name, values in bars.columns.items()}
    columns = {"time": bars.time, **{name: getattr(bars, name) for name in PRICES}, **own}
    told = {"minutes": str(bars.timeframe.minutes), "dated": str(int(bars.dated))}
    sink = io.BytesIO()
    pyarrow.parquet.write_table(pa.table(columns).replace_schema_metadata(told), sink)
    return sink.getvalue()


def _bars(data: bytes) -> Bars:
    table = pyarrow.parquet.read_table(io.BytesIO(data))
    told = table.schema.metadata
    columns = {name: table[name].to_numpy() for name in table.column_names}
    time = columns["time"].astype(np.int64)
    if time.size == 0 or (np.diff(time) <= 0).any():
        raise ValueError("its bars are not in order")
    opens, highs, lows, closes, volumes = (np.asarray(columns[name], np.float64) for name in PRICES)
    own = {name[1:]: np.asarray(values, np.float64) for name, values in columns.items() if name.startswith("+")}
    return Bars(
        Timeframe(int(told[b"minutes"])), time, opens, highs, lows, closes, volumes, own, told[b"dated"] == b"1"
    )


def _why(exc: Exception) -> str:
    return (
        f"there is no {exc} in it"
        if isinstance(exc, KeyError)
        else str(exc).splitlines()[0]
        if str(exc)
        else "a part of it is of the wrong kind"
    )
