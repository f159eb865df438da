"""Bringing over: a script in another notation, read by the forms that many notations share, as a script that runs."""

from skelb.core.language.bringing.bring import Brought, BroughtLine, Question, bring

__all__ = ["Brought", "BroughtLine", "Question", "bring"]
