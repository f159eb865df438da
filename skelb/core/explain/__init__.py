"""Why a run did what it did: any bar taken apart, and where the signals went."""

from skelb.core.explain.explain import Explainer, Explanation, RuleReading
from skelb.core.explain.funnel import Funnel, funnel_of
from skelb.core.explain.reading import Part

__all__ = ["Explainer", "Explanation", "Funnel", "Part", "RuleReading", "funnel_of"]
