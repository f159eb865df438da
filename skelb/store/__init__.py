"""Records in SQLite."""

from skelb.store.bars_store import load_bars, save_bars
from skelb.store.database import Database, StoreError
from skelb.store.models import (
    AccountRecord,
    BarsRecord,
    CellRecord,
    MarketRecord,
    RunRecord,
    ScriptRecord,
    TrialRecord,
    VersionRecord,
)

__all__ = [
    "AccountRecord",
    "BarsRecord",
    "CellRecord",
    "Database",
    "MarketRecord",
    "RunRecord",
    "ScriptRecord",
    "StoreError",
    "TrialRecord",
    "VersionRecord",
    "load_bars",
    "save_bars",
]
