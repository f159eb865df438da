"""Tools on scripts: writing, laying out, changing, mirroring, telling."""

from skelb.core.language.tools.brief import brief, what_is_wrong
from skelb.core.language.tools.edits import Edit, applied, extract_input, inline_used, rename, rename_taken
from skelb.core.language.tools.examples import example_of
from skelb.core.language.tools.layout import format_source
from skelb.core.language.tools.lesser import Change, Lesser, lesser_scripts
from skelb.core.language.tools.mirror import Mirrored, mirrored_rules
from skelb.core.language.tools.nearer import NearerKind, nearer_script
from skelb.core.language.tools.places import NamePlace, name_at, name_places
from skelb.core.language.tools.readback import read_back
from skelb.core.language.tools.sheet import SECTIONS, Row, sheet_of, switched_off, without_rules
from skelb.core.language.tools.titles import retitled, used_places, used_titles
from skelb.core.language.tools.written import written, written_statement

__all__ = [
    "SECTIONS",
    "Change",
    "Edit",
    "Lesser",
    "Mirrored",
    "NamePlace",
    "NearerKind",
    "Row",
    "applied",
    "brief",
    "example_of",
    "extract_input",
    "format_source",
    "inline_used",
    "lesser_scripts",
    "mirrored_rules",
    "name_at",
    "name_places",
    "nearer_script",
    "read_back",
    "rename",
    "rename_taken",
    "retitled",
    "sheet_of",
    "switched_off",
    "used_places",
    "used_titles",
    "what_is_wrong",
    "without_rules",
    "written",
    "written_statement",
]
