"""What rules may know of the position: names whose value exists only while a strategy runs."""

POSITION_NAMES: dict[str, str] = {
    "entry_price": "The average of the open lots' entry mids; unknown while flat.",
    "bars_held": "Bars since the oldest open lot's entry, the entry bar counted; unknown while flat.",
    "days_held": "Trading days since the oldest open lot's entry, the entry's counted; unknown while flat.",
    "open_profit": "Profit of the open lots in percent of the entry price, after the sign of the side; unknown while flat.",
    "best_profit": "The best open profit since the entry, in percent, by highs and lows; unknown while flat.",
    "worst_profit": "The worst open profit since the entry, in percent, by highs and lows; unknown while flat.",
    "position": "1 while long, -1 while short, 0 while flat.",
    "stop_price": "The stop in force, of the oldest open lot; unknown without.",
    "target_price": "The nearest target in force, of the oldest open lot; unknown without.",
}
