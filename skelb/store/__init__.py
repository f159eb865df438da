"""Records in SQLite."""

from skelb.store.bars_store import leave_out, load_bars, load_times, load_whole, save_bars
from skelb.store.database import FILE_NAME, Database, StoreError
from skelb.store.models import (
    AccountRecord,
    BarsRecord,
    BasketRecord,
    LookRecord,
    MarketRecord,
    PreferenceRecord,
    RunRecord,
    ScriptRecord,
    TallyRecord,
    TallyTry,
    TrialChunk,
    TrialRecord,
    VersionRecord,
    name_before,
    now,
    removed_name,
)

__all__ = [
    "FILE_NAME",
    "AccountRecord",
    "BarsRecord",
    "BasketRecord",
    "Database",
    "LookRecord",
    "MarketRecord",
    "PreferenceRecord",
    "RunRecord",
    "ScriptRecord",
    "StoreError",
    "TallyRecord",
    "TallyTry",
    "TrialChunk",
    "TrialRecord",
    "VersionRecord",
    "leave_out",
    "load_bars",
    "load_times",
    "load_whole",
    "name_before",
    "now",
    "removed_name",
    "save_bars",
]
