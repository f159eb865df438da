"""The made-up world of Ostrel: markets, bars, scripts, accounts, baskets."""

from skelb.demo.scripts import DEMO_SCRIPTS, DemoScript
from skelb.demo.world import DEMO_ACCOUNTS, DEMO_BASKETS, DEMO_MARKETS, DemoMarket, make_bars

__all__ = ["DEMO_ACCOUNTS", "DEMO_BASKETS", "DEMO_MARKETS", "DEMO_SCRIPTS", "DemoMarket", "DemoScript", "make_bars"]
