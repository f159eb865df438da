"""Demo scripts: each teaches one practice."""

from dataclasses import dataclass
from pathlib import Path

_FOLDER = Path(__file__).parent / "texts"


@dataclass(frozen=True)
class DemoScript:
    """A script of the demo world, with the market and timeframe it was written for."""

    title: str
    text: str
    status: str
    lesson: str
    market: str
    timeframe: str


def _script(file: str, title: str, status: str, lesson: str, market: str, timeframe: str) -> DemoScript:
    return DemoScript(title, (_FOLDER / file).read_text("utf-8"), status, lesson, market, timeframe)


DEMO_SCRIPTS: tuple[DemoScript, ...] = (
    _script("harbour_swell.skelb", "Harbour swell", "testing",
            "Two averages, gated by the strength of the trend; short side mirrored; risk sized by the stop.", "KELP", "15m"),
    _script("slack_water.skelb", "Slack water", "trusted",
            "A pair that comes back to its mean in the quiet hours, by a score; small, and it survives its doubts.", "OSC/VEL", "15m"),
    _script("long_keel.skelb", "Long keel", "trusted",
            "In over a long range, out under a short one; a third of the trades pay for all.", "BRIN", "1h"),
    _script("storm_glass.skelb", "Storm glass", "testing",
            "An oscillator used for the trend, not against it; sized by the stop.", "BRIN", "30m"),
    _script("flood_gate.skelb", "Flood gate", "testing",
            "Orders that wait at a range's edges while a higher timeframe allows them.", "KELP", "30m"),
    _script("cape_wind.skelb", "Cape wind", "idea",
            "It earns, and its doubt says by luck: held as long at other times it does as well too often.", "LAMP", "1h"),
    _script("breakwater.skelb", "Breakwater", "idea",
            "A break of the range before this bar, with a time exit and flat at session end.", "LAMP", "5m"),
    _script("tide_table.skelb", "Tide table", "testing",
            "Turning points of an oscillator in the quiet hours, with stop and target in pips.", "OSC/VEL", "15m"),
    _script("three_bells.skelb", "Three bells", "idea",
            "A setup in three steps, each in time, with what cancels it.", "LAMP", "5m"),
    _script("lantern_band.skelb", "Lantern band", "idea",
            "A volatility band left behind and met again, on daily bars, long and short mirrored.", "QUAY12", "1d"),
    _script("barometer.skelb", "Barometer", "trusted",
            "A converted indicator, proven equal to the column that came with the bars.", "QUAY12", "1d"),
    _script("glass_and_swell.skelb", "Glass and swell", "idea",
            "Another script's names, another market's state, a running value and a function of its own.", "KELP", "15m"),
    _script("rope_ladder.skelb", "Rope ladder", "testing",
            "Three lots with their own stops, added as the position earns; half leaves early, half follows.", "LAMP", "1h"),
    _script("low_water.skelb", "Low water", "idea",
            "Entries and exits that wait at a price; a wide spread shows what costs do to a range.", "FERY", "15m"),
    _script("first_watch.skelb", "First watch", "idea",
            "The opening range, once a day, break-even, months and weekdays, flat at session end.", "LAMP", "5m"),
    _script("open_locks.skelb", "Open locks", "idea",
            "A gap that is kept, three bars without overlap, a loss limit for the day.", "LAMP", "15m"),
    _script("glow_worm.skelb", "Glow worm", "idea",
            "A market that trades at weekends: pattern-sized stop, a trail by the position's own price, out in two days.", "GLIM", "1h"),
)  # fmt: skip
