"""What rules may know of the position: names whose value exists only while a strategy runs."""

from skelb.core.catalogue.entry import CHANGE, EVEN, PRICE, PositionName

POSITION_SIDES = {"long": 1.0, "short": -1.0, "flat": 0.0}
"""What `position` is for the words that `is` may ask for."""

POSITION_NAMES: dict[str, PositionName] = {
    "entry_price": PositionName("The average of the open lots' entry mids; unknown while flat.", PRICE),
    "last_entry_price": PositionName("The newest open lot's entry mid; unknown while flat.", PRICE),
    "open_lots": PositionName("How many lots are open; 0 while flat.", EVEN),
    "bars_held": PositionName(
        "Bars since the oldest open lot's entry, the entry bar counted; unknown while flat.", EVEN
    ),
    "days_held": PositionName(
        "Trading days since the oldest open lot's entry, the entry's counted; unknown while flat.", EVEN
    ),
    "open_profit": PositionName(
        "Profit of the open lots in percent of the entry price, after the sign of the side; unknown while flat.",
        EVEN.nearly(),
    ),
    "best_profit": PositionName(
        "The best open profit since the entry, in percent, by highs and lows; unknown while flat.", EVEN.nearly()
    ),
    "worst_profit": PositionName(
        "The worst open profit since the entry, in percent, by highs and lows; unknown while flat.", EVEN.nearly()
    ),
    "position": PositionName(
        "1 while long, -1 while short, 0 while flat; `position is long` asks with a word.", CHANGE
    ),
    "stop_price": PositionName("The stop in force, of the oldest open lot; unknown without.", PRICE),
    "target_price": PositionName("The nearest target in force, of the oldest open lot; unknown without.", PRICE),
}
