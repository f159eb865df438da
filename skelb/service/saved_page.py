"""A report as one HTML file: the page that draws it, with its numbers inside."""

from pathlib import Path

import orjson

import skelb
from skelb.core.errors import SettingsError
from skelb.core.figures import FIGURES
from skelb.service.report import Report

_PAGE = Path(skelb.__file__).parent / "web" / "static" / "report.html"
_PLACE, _ENDS = b'id="saved-report">', b"</script>"


def saved_page(report: Report) -> bytes:
    """The file. Raises SettingsError where the program was set up without its pages."""
    if not _PAGE.exists():
        raise SettingsError("the page that reports are saved in is not built: run `make setup`")
    before, place, rest = _PAGE.read_bytes().partition(_PLACE)
    _, ends, after = rest.partition(_ENDS)
    document = orjson.dumps({"report": report, "figures": FIGURES}, option=orjson.OPT_SERIALIZE_NUMPY)
    # What stands in a script element must not end it, nor begin a comment, whatever a text says.
    safe = document.replace(b"<", b"\\u003c")
    return before + place + safe + ends + after
