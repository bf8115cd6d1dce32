"""What runs in the fleet: each service tells its version, and somebody may change it past everybody."""

import json
from html import escape
from http import HTTPStatus
from pathlib import Path
from urllib.parse import urlencode

from fastapi import APIRouter, HTTPException
from fastapi.responses import HTMLResponse, RedirectResponse

_OWN = "-by-hand"
HEAD = (
    "<!doctype html><html lang=en><title>The fleet</title><meta charset=utf-8>"
    "<style>body{font:15px/1.5 system-ui;max-width:60rem;margin:2rem auto;padding:0 1rem}"
    "td,th{text-align:left;padding:.4rem 1rem .4rem 0;border-bottom:1px solid #8884}</style>"
)


class Running:
    """Which version of each service runs where, kept in a file; somebody may change it by hand."""

    def __init__(self, file: Path | None) -> None:
        self._file = file
        self.versions: dict[str, str] = json.loads(file.read_text()) if file and file.exists() else {}

    def put(self, environment: str, service: str, version: str) -> None:
        """Run a version."""
        self.versions[f"{environment}/{service}"] = version
        if self._file is not None:
            self._file.write_text(json.dumps(self.versions))

    def change(self, environment: str, service: str) -> None:
        """Put something of one's own in its place, or what was there before."""
        runs = self.versions.get(f"{environment}/{service}", "")
        self.put(environment, service, runs.removesuffix(_OWN) if runs.endswith(_OWN) else runs + _OWN)

    def rows(self) -> str:
        """The rows of a table in which each can be changed."""
        rows = []
        for place, version in sorted(self.versions.items()):
            environment, service = place.split("/", 1)
            asks = urlencode({"environment": environment, "service": service})
            act = "Put back what landed" if version.endswith(_OWN) else "Change it by hand"
            rows.append(
                f"<tr><td>{escape(service)}<td>{escape(environment)}<td>{escape(version)}"
                f'<td><form method=post action="/by-hand?{escape(asks)}"><button>{act}</button></form>'
            )
        return "".join(rows)

    def routes(self) -> APIRouter:
        """Where it is read and changed."""
        router = APIRouter()

        @router.get("/version/{environment}/{service}")
        def version(environment: str, service: str) -> dict[str, str]:
            """What runs there."""
            found = self.versions.get(f"{environment}/{service}")
            if found is None:
                raise HTTPException(HTTPStatus.NOT_FOUND)
            return {"version": found}

        @router.put("/version/{environment}/{service}")
        def put_version(environment: str, service: str, version: str) -> None:
            """Run something there from now on."""
            self.put(environment, service, version)

        @router.post("/by-hand")
        def by_hand(environment: str, service: str) -> RedirectResponse:
            """Change what runs there, past everybody."""
            self.change(environment, service)
            return RedirectResponse("/", status_code=HTTPStatus.SEE_OTHER)

        @router.get("/open/{environment}/{service}")
        def opened(environment: str, service: str) -> HTMLResponse:
            """The service itself, as far as there is one."""
            found = self.versions.get(f"{environment}/{service}", "nothing")
            name, place = escape(service), escape(environment)
            return HTMLResponse(f"{HEAD}<h1>{name}</h1><p>{escape(found)} answers here, in {place}.")

        return router
