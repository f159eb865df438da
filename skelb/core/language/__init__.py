"""The script language: text to a checked tree, and what is wrong with it."""

from skelb.core.language.check import Checked, check
from skelb.core.language.checking.kinds import Meaning, placed_arguments
from skelb.core.language.checking.pass_loose_ends import forms_in
from skelb.core.language.checking.stepwise import names_in
from skelb.core.language.checking.used import SavedScript, Scripts
from skelb.core.language.checking.work import Setting
from skelb.core.language.codes import CODES, Code
from skelb.core.language.diagnostics import Diagnostic, LineColumn, LineMap, Mend, utf16_offset
from skelb.core.language.labels import LabelPart, label_parts
from skelb.core.language.names import names_within
from skelb.core.language.reading.expressions import read_expression
from skelb.core.language.reading.parser import parsed_title
from skelb.core.language.reading.reader import Reader

__all__ = [
    "CODES",
    "Checked",
    "Code",
    "Diagnostic",
    "LabelPart",
    "LineColumn",
    "LineMap",
    "Meaning",
    "Mend",
    "Reader",
    "SavedScript",
    "Scripts",
    "Setting",
    "check",
    "forms_in",
    "label_parts",
    "names_in",
    "names_within",
    "parsed_title",
    "placed_arguments",
    "read_expression",
    "utf16_offset",
]
