"""Skelb: indicator scripts become rule-based strategies, tested bar by bar."""

__all__ = ["__version__"]

__version__ = "0.1.0"
