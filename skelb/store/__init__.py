"""Records in SQLite."""

from skelb.store.bars_store import load_bars, save_bars
from skelb.store.database import Database, StoreError
from skelb.store.models import (
    AccountRecord,
    BarsRecord,
    LookRecord,
    MarketRecord,
    PreferenceRecord,
    RunRecord,
    ScriptRecord,
    TrialChunk,
    TrialRecord,
    VersionRecord,
)

__all__ = [
    "AccountRecord",
    "BarsRecord",
    "Database",
    "LookRecord",
    "MarketRecord",
    "PreferenceRecord",
    "RunRecord",
    "ScriptRecord",
    "StoreError",
    "TrialChunk",
    "TrialRecord",
    "VersionRecord",
    "load_bars",
    "save_bars",
]
