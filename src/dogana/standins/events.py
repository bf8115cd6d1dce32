"""Events as systems outside send them: CloudEvents in the CDEvents vocabulary, signed (Standard Webhooks)."""

import uuid
from datetime import UTC, datetime
from typing import Any

import httpx
from cloudevents.core.bindings.http import to_structured
from cloudevents.core.formats.json import JSONFormat
from cloudevents.core.v1.event import CloudEvent
from standardwebhooks.webhooks import Webhook


class Sender:
    """Where events are sent, signed."""

    def __init__(self, client: httpx.Client, name: str, secret: str) -> None:
        self._client, self._path, self._signs = client, f"/api/hooks/{name}", Webhook(secret)

    def send(self, event: CloudEvent) -> dict[str, Any]:
        """Send one; gives what became of it.

        Raises:
            httpx.HTTPError: when it is not taken.
        """
        made, at = to_structured(event, JSONFormat()), datetime.now(UTC)
        body = made.body.decode()
        headers = dict(made.headers) | {
            "webhook-id": event.get_id(),
            "webhook-timestamp": str(int(at.timestamp())),
            "webhook-signature": self._signs.sign(event.get_id(), at, body),
        }
        answer = self._client.post(self._path, content=body.encode(), headers=headers).raise_for_status()
        taken: dict[str, Any] = answer.json()
        return taken


def event_of(source: str, kind: str, data: dict[str, Any]) -> CloudEvent:
    """An event of a kind that happens now, under a name of its own."""
    name = str(uuid.uuid4())
    attributes = {
        "specversion": "1.0",
        "id": name,
        "source": source,
        "type": kind,
        "time": datetime.now(UTC),
        "datacontenttype": "application/json",
    }
    return CloudEvent(attributes, {"context": {"version": "0.4.1", "id": name, "source": source}, **data})
