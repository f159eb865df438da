"""The application that requests are answered with."""

from typing import Annotated

from fastapi import Depends, Request

from skelb.service.application import Application


def served_application(request: Request) -> Application:
    """The application this server was made for."""
    application: Application = request.app.state.application
    return application


App = Annotated[Application, Depends(served_application)]
