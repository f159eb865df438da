"""Writes the API's description to docs/openapi.json; with --check, says whether it is stale."""

import json
import sys
import tempfile
from pathlib import Path

from skelb.service.application import Application
from skelb.web.app import make_app

TARGET = Path(__file__).parent.parent / "docs" / "openapi.json"


def main() -> int:
    """0 when the file is up to date (or was written), 1 when it is stale."""
    with tempfile.TemporaryDirectory() as folder:
        application = Application(Path(folder))
        text = json.dumps(make_app(application).openapi(), indent=1, sort_keys=True) + "\n"
        application.close()
    if "--check" in sys.argv:
        if TARGET.read_text("utf-8") != text:
            print("docs/openapi.json is stale: run `make api`")
            return 1
        return 0
    TARGET.write_text(text, "utf-8")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
