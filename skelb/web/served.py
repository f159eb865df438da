"""What handlers take: the application that requests are answered with, and numbers in addresses."""

from typing import Annotated

from fastapi import Depends, Path, Request

from skelb.service.application import Application


def served_application(request: Request) -> Application:
    """The application this server was made for."""
    application: Application = request.app.state.application
    return application


App = Annotated[Application, Depends(served_application)]

MOST_NUMBER = 2**53 - 1  # beyond, programs that read JSON do not agree on numbers
Number = Annotated[int, Path(ge=0, le=MOST_NUMBER)]
