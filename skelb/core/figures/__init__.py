"""Figures and findings of finished runs."""

from skelb.core.figures.definitions import FIGURE_KEYS, FIGURES, Figure
from skelb.core.figures.figures import Figures, drawdown_of, figures_of, side_equity
from skelb.core.figures.findings import Finding, findings_of

__all__ = [
    "FIGURES",
    "FIGURE_KEYS",
    "Figure",
    "Figures",
    "Finding",
    "drawdown_of",
    "figures_of",
    "findings_of",
    "side_equity",
]
