"""Figures and findings of finished runs."""

from skelb.core.figures.basket import (
    MarketCosts,
    basket_figures,
    basket_order,
    basket_record,
    earned_by_market,
    exit_order,
    market_costs,
    market_figures,
    record_together,
)
from skelb.core.figures.charges import Charges, charges_of
from skelb.core.figures.definitions import FIGURE_KEYS, FIGURES, Figure, FigureGroup
from skelb.core.figures.figures import (
    Daily,
    Figures,
    Record,
    daily_of,
    drawdown_of,
    figures_by_side,
    figures_of,
    figures_of_points,
    joined,
    record_of,
    side_equity,
)
from skelb.core.figures.finding import Finding, Severity
from skelb.core.figures.findings import basket_findings, findings_of

__all__ = [
    "FIGURES",
    "FIGURE_KEYS",
    "Charges",
    "Daily",
    "Figure",
    "FigureGroup",
    "Figures",
    "Finding",
    "MarketCosts",
    "Record",
    "Severity",
    "basket_figures",
    "basket_findings",
    "basket_order",
    "basket_record",
    "charges_of",
    "daily_of",
    "drawdown_of",
    "earned_by_market",
    "exit_order",
    "figures_by_side",
    "figures_of",
    "figures_of_points",
    "findings_of",
    "joined",
    "market_costs",
    "market_figures",
    "record_of",
    "record_together",
    "side_equity",
]
