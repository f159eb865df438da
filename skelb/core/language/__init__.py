"""The script language: text to a checked tree, and what is wrong with it."""

from skelb.core.language.check import Checked, check
from skelb.core.language.codes import CODES, Code
from skelb.core.language.diagnostics import Diagnostic, LineMap, Mend, Place
from skelb.core.language.expressions import read_expression
from skelb.core.language.kinds import Meaning, placed_arguments
from skelb.core.language.labels import LabelPart, label_parts
from skelb.core.language.names import names_within
from skelb.core.language.reader import Reader
from skelb.core.language.work import Setting

__all__ = [
    "CODES",
    "Checked",
    "Code",
    "Diagnostic",
    "LabelPart",
    "LineMap",
    "Meaning",
    "Mend",
    "Place",
    "Reader",
    "Setting",
    "check",
    "label_parts",
    "names_within",
    "placed_arguments",
    "read_expression",
]
