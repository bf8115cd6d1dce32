"""A ticket tracker: `GET /tickets/{key}`, and `PUT /tickets/{key}` to change one by hand."""

import argparse
import json
from collections.abc import Collection
from pathlib import Path
from typing import Annotated

import uvicorn
from fastapi import FastAPI, HTTPException
from pydantic import BaseModel, Field


class Ticket(BaseModel):
    """A ticket as the tracker tells it."""

    title: str
    status: str
    kind: str = "task"


class StatusChange(BaseModel):
    """What may be changed from outside."""

    status: Annotated[str, Field(min_length=1, max_length=60)]


def make_tracker(tickets: dict[str, Ticket], unavailable: Collection[str] = ()) -> FastAPI:
    """A tracker with some tickets.

    Args:
        tickets: by key; changed in place.
        unavailable: projects whose archive does not answer (503).
    """
    app = FastAPI(title="Ticket tracker (stand-in)")

    @app.get("/tickets/{key}")
    async def ticket(key: str) -> Ticket:
        if key.split("-", maxsplit=1)[0] in unavailable:
            raise HTTPException(503, "this project is being moved")
        if key not in tickets:
            raise HTTPException(404, "no such ticket")
        return tickets[key]

    @app.get("/search")
    async def search(query: str) -> dict[str, list[str]]:
        """The tickets in whose title all words of a query stand."""
        words = query.casefold().split()
        found = [key for key, one in tickets.items() if all(word in one.title.casefold() for word in words)]
        return {"keys": sorted(found)}

    @app.put("/tickets/{key}")
    async def change(key: str, change: StatusChange) -> Ticket:
        if key not in tickets:
            raise HTTPException(404, "no such ticket")
        tickets[key] = tickets[key].model_copy(update={"status": change.status})
        return tickets[key]

    return app


def read_tickets(path: Path) -> tuple[dict[str, Ticket], frozenset[str]]:
    """Tickets and unavailable projects from the demo's file."""
    stored = json.loads(path.read_text())
    tickets = {key: Ticket.model_validate(value) for key, value in stored["tickets"].items()}
    return tickets, frozenset(stored["unavailable"])


def main() -> None:
    """Serve the tickets of a file on loopback."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--tickets", type=Path, required=True)
    parser.add_argument("--port", type=int, required=True)
    options = parser.parse_args()
    app = make_tracker(*read_tickets(options.tickets))
    uvicorn.run(app, host="127.0.0.1", port=options.port, log_level="warning")


if __name__ == "__main__":
    main()
