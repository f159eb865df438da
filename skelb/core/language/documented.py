"""What is wrong with a script as a document; it needs nothing that runs one."""

from skelb.core.language.check import Checked
from skelb.core.language.diagnostics import LineMap

Document = dict[str, object]


def diagnostics_document(checked: Checked) -> Document:
    """`check --json`: every diagnostic with its place, counted from 1."""
    places = LineMap(checked.source)
    found = []
    for item in checked.diagnostics:
        start, end = places.place(item.span[0]), places.place(item.span[1])
        mend: Document | None = None
        if item.mend:
            mend_start, mend_end = places.place(item.mend.span[0]), places.place(item.mend.span[1])
            mend = {
                "text": item.mend.text,
                "line": mend_start.line,
                "column": mend_start.column,
                "end_line": mend_end.line,
                "end_column": mend_end.column,
            }
        found.append(
            {
                "code": item.code,
                "severity": item.severity,
                "line": start.line,
                "column": start.column,
                "end_line": end.line,
                "end_column": end.column,
                "message": item.message,
                "why": item.why,
                "mend": mend,
            }
        )
    return {"diagnostics": found}
