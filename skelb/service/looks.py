"""A market described in some way, looked at before it is saved."""

from dataclasses import dataclass

from skelb.core.errors import SkelbError
from skelb.core.figures import Charges, Figures, charges_of
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.setup import Setup


@dataclass(frozen=True, slots=True)
class MarketLook:
    """What a run makes of a market, and what a round trip costs there. A run that cannot be has a problem instead."""

    figures: Figures | None
    problem: str | None
    charges: Charges


def look_at(setup: Setup, library: Library, datasets: Datasets) -> MarketLook:
    """The look of the market of a setup, described as there. Raises SkelbError when market or account cannot be."""
    account = setup.account_settings(library).account()
    charges = charges_of(setup.dataset(datasets), account.commission, account.slippage_ticks)
    try:
        return MarketLook(setup.prepared(library, datasets).sound().backtest().figures["all"], None, charges)
    except SkelbError as exc:
        return MarketLook(None, str(exc), charges)
