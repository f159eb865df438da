"""Help while writing: completion, explanation, outline."""

from skelb.core.language.assist.completion import Completion, Completions, Surroundings, completions
from skelb.core.language.assist.lookup import (
    Explained,
    Signature,
    Target,
    definition_of,
    explain_word,
    signature_at,
    uses_of,
    word_at,
)
from skelb.core.language.assist.outline import SORTS, TAIL_WORDS, Symbol, outline, word_sorts

__all__ = [
    "SORTS",
    "TAIL_WORDS",
    "Completion",
    "Completions",
    "Explained",
    "Signature",
    "Surroundings",
    "Symbol",
    "Target",
    "completions",
    "definition_of",
    "explain_word",
    "outline",
    "signature_at",
    "uses_of",
    "word_at",
    "word_sorts",
]
