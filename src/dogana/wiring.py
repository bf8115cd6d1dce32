"""Puts the concrete adapters behind the use cases; the only place that names them all."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

import httpx
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from dogana.clock import Clock, system_clock
from dogana.service.backend import Backend
from dogana.settings import Settings
from dogana.sources.git import GitRepositories
from dogana.sources.metrics import PrometheusMetrics
from dogana.sources.tickets import HttpTracker
from dogana.store import Database


@asynccontextmanager
async def backend_for(settings: Settings, clock: Clock = system_clock) -> AsyncIterator[Backend]:
    """A backend on the settings' database and sources, closed with the block."""
    async with httpx.AsyncClient(timeout=settings.source_timeout) as client:
        backend = Backend(
            database=Database(settings.database_url),
            repositories=GitRepositories(settings.repository_root, clock),
            tracker=HttpTracker(client, settings.tracker_url, clock),
            metrics=PrometheusMetrics(client, settings.metrics_url, clock),
            clock=clock,
            refresh=settings.refresh,
        )
        try:
            yield backend
        finally:
            await backend.database.close()


def read_key(path: Path) -> Ed25519PrivateKey:
    """The signing key from its PEM file.

    Raises:
        ValueError: when the file holds no Ed25519 private key.
    """
    key = serialization.load_pem_private_key(path.read_bytes(), password=None)
    if not isinstance(key, Ed25519PrivateKey):
        raise ValueError(f"{path} holds no Ed25519 key")  # noqa: TRY004 - the file is wrong, not our call
    return key


def new_key(path: Path) -> Ed25519PrivateKey:
    """Make a signing key; an existing file is never overwritten.

    Raises:
        FileExistsError: when the file is there.
    """
    key = Ed25519PrivateKey.generate()
    pem = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("xb") as file:
        path.chmod(0o600)
        file.write(pem)
    return key
