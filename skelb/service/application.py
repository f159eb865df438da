"""The application: one data folder opened, and everything it can do."""

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from threading import Event, Thread

from skelb.core.bars import Timeframe
from skelb.core.errors import SkelbError
from skelb.demo import DEMO_ACCOUNTS, DEMO_BASKETS, DEMO_MARKETS, DEMO_SCRIPTS, make_bars
from skelb.service.datasets import Datasets
from skelb.service.importing.imports import Imports
from skelb.service.keeping import Keeping
from skelb.service.library import Library
from skelb.service.logbook import Logbook
from skelb.service.practice import Practices
from skelb.service.quality import Quality
from skelb.service.runs import KeptRuns
from skelb.service.tallies import Tallies
from skelb.service.trials.desk import TrialDesk
from skelb.service.trials.jobs import Trials
from skelb.service.warm import warm_kernels
from skelb.store import Database

Progress = Callable[[str, int, int], None]


class Application:
    """An open data folder; with `read_only` one to look at, which another program may be writing."""

    def __init__(self, folder: Path, read_only: bool = False) -> None:
        self.database = Database(folder, read_only)
        self.library = Library(self.database)
        self.datasets = Datasets(self.library)
        self.keeping = Keeping(self.database, self.library)
        self.imports = Imports(self.library)
        self.quality = Quality(self.library)
        self.tallies = Tallies(self.database)
        self.logbook = Logbook(self.database, self.library)
        self.runs = KeptRuns(self.database, self.library, self.datasets, self.tallies)
        self.trials = Trials(self.database, self.library, self.datasets, self.tallies)
        self.desk = TrialDesk(self.trials, self.tallies)
        self.practices = Practices(self.database, self.library, self.datasets, self.runs, self.logbook)
        self.is_prepared = Event()
        self.is_prepared.set()

    def install_demo(self, on_progress: Progress = lambda what, done, total: None) -> bool:
        """Store whatever of the demo world is not there yet; whether anything was missing."""
        # What was taken away stays away.
        present, titles = self.keeping.known_names("market"), self.keeping.known_names("script")
        accounts = self.keeping.known_names("account")
        missing = [demo for demo in DEMO_MARKETS if demo.settings["symbol"] not in present]
        for done, demo in enumerate(missing):
            on_progress(demo.settings["symbol"], done, len(missing))
            self.library.save_market(demo.settings["symbol"], demo.title, demo.settings, make_bars(demo))
        on_progress("", len(missing), len(missing))
        fresh = [demo for demo in DEMO_SCRIPTS if demo.title not in titles]
        for script in fresh:
            self.library.save_script(script.text, script.status, script.lesson)
        for name, settings in DEMO_ACCOUNTS.items():
            if name not in accounts:
                self.library.save_account(name, settings)
        baskets, stored = self.keeping.known_names("basket"), {item.symbol for item in self.library.markets()}
        for name, symbols in DEMO_BASKETS.items():
            if name not in baskets and stored.issuperset(symbols):
                self.library.save_basket(name, symbols)
        return bool(missing or fresh)

    def left_out(self) -> list[str]:
        """What is stored and cannot be read, a sentence each: lists are without it."""
        told: list[str] = []
        self.library.scripts(told)
        self.library.markets(told)
        self.library.accounts(told)
        self.library.baskets(told)
        self.runs.newest(left_out=told)
        self.logbook.page(left_out=told)
        self.trials.store.newest(left_out=told)
        self.practices.store.all(told)
        return told

    def prepare(self) -> None:
        """Begin what the first question waits for, in a thread of its own; `is_prepared` is set at its end."""
        self.is_prepared.clear()
        Thread(target=self._prepare, daemon=True).start()

    def _prepare(self) -> None:
        """Do beforehand what the first question would wait for: compiled code loaded, the first bars at hand."""
        try:
            warm_kernels()
            first = first_setup()
            with suppress(SkelbError):  # whoever asks for these bars is told what is wrong with them
                self.datasets.get(first["market"], Timeframe.parse(first["timeframe"]))
            if not self.database.read_only:
                self.practices.start_all()
        finally:
            self.is_prepared.set()

    def close(self) -> None:
        """Stop what runs and let go of the data folder."""
        self.practices.close()
        self.trials.close()
        self.tallies.close()
        self.imports.close()
        self.database.close()


def first_setup() -> dict[str, str]:
    """What the Workbench opens with when the address says nothing."""
    script = DEMO_SCRIPTS[0]
    return {
        "script": script.title,
        "market": script.market,
        "timeframe": script.timeframe,
        "account": next(iter(DEMO_ACCOUNTS)),
    }


def home_of(title: str) -> tuple[str, str] | None:
    """The market and timeframe a demo script was written for."""
    found = next((script for script in DEMO_SCRIPTS if script.title == title), None)
    return None if found is None else (found.market, str(Timeframe.parse(found.timeframe)))
