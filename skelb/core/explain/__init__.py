"""Why a run did what it did: any bar taken apart, and where the signals went."""

from skelb.core.explain.explain import Explainer
from skelb.core.explain.explanation import Explanation, RuleReading
from skelb.core.explain.funnel import Funnel, funnel_of
from skelb.core.explain.reading import ConditionPart
from skelb.core.explain.readings import LineReading, MarkedPart, Readings, why_sentences
from skelb.core.explain.sieve import Sieve, sieves_of

__all__ = [
    "ConditionPart",
    "Explainer",
    "Explanation",
    "Funnel",
    "LineReading",
    "MarkedPart",
    "Readings",
    "RuleReading",
    "Sieve",
    "funnel_of",
    "sieves_of",
    "why_sentences",
]
