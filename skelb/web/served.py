"""What handlers take: the application that requests are answered with, numbers in addresses; and files they answer."""

from typing import Annotated, Any
from urllib.parse import quote

from fastapi import Depends, HTTPException, Path, Request, Response

from skelb.service.application import Application
from skelb.service.importing.files import MOST_BYTES
from skelb.service.tables import Form


def served_application(request: Request) -> Application:
    """The application this server was made for."""
    application: Application = request.app.state.application
    return application


App = Annotated[Application, Depends(served_application)]

MOST_NUMBER = 2**53 - 1  # beyond, programs that read JSON do not agree on numbers
Number = Annotated[int, Path(ge=0, le=MOST_NUMBER)]


async def sent(request: Request) -> bytearray:
    """The file that a request sends. Answers with 413 where it is larger than anything that is read at once."""
    data = bytearray()
    async for piece in request.stream():  # measured while it comes: what is too large never stands in memory
        data += piece
        if len(data) > MOST_BYTES:
            most = MOST_BYTES // 2**20
            raise HTTPException(
                413, f"the file has more than {most:,} MB, the most that is read at once: take its years apart"
            )
    return data


_MEDIA: dict[Form, str] = {"csv": "text/csv", "csv-comma": "text/csv", "parquet": "application/vnd.apache.parquet"}
TABLE_FILE: dict[int | str, dict[str, Any]] = {
    200: {
        "description": "the file",
        "content": {
            _MEDIA["csv"]: {"schema": {"type": "string"}},
            _MEDIA["parquet"]: {"schema": {"type": "string", "format": "binary"}},
        },
    }
}


ZIP = "application/octet-stream"  # its own kind is one that not every program made from the description knows


def zip_file(said: str) -> dict[int | str, dict[str, Any]]:
    """What an answer is described as that is an archive."""
    return {200: {"description": said, "content": {ZIP: {"schema": {"type": "string", "format": "binary"}}}}}


def json_lines(of: str) -> dict[int | str, dict[str, Any]]:
    """What an answer is described as that comes line by line."""
    return {
        200: {
            "description": f"JSON lines, a {of} each",
            "content": {"application/jsonl": {"schema": {"type": "string"}}},
        }
    }


def file_sent(said: str) -> dict[str, Any]:
    """What a request is described as that sends a file as it is."""
    content = {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}
    return {"requestBody": {"required": True, "description": said, "content": content}}


def table_file(data: bytes, name: str, form: Form) -> Response:
    """A file to save under a name, whatever signs that has."""
    return named_file(data, f"{name}.{form.partition('-')[0]}", _MEDIA[form])


def named_file(data: bytes, name: str, media: str) -> Response:
    """A file to save under a name, whatever signs that has."""
    called = quote(name.replace("/", "-"), safe="")
    return Response(data, media_type=media, headers={"Content-Disposition": f"attachment; filename*=UTF-8''{called}"})
