"""Puts the concrete adapters behind the use cases; the only place that names them all."""

import gc
from collections.abc import AsyncIterator
from contextlib import AbstractAsyncContextManager, asynccontextmanager
from datetime import timedelta
from pathlib import Path

import httpx
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from pydantic import TypeAdapter, ValidationError

from dogana.clock import Clock, system_clock
from dogana.core.errors import MisconfiguredError
from dogana.core.faults import reason
from dogana.service.backend import Backend, Granted, Passwords, StepUp
from dogana.service.hashing import secret_digest
from dogana.service.sealing import Keyring, new_key_line
from dogana.settings import Settings
from dogana.sources.chat import MatrixChat
from dogana.sources.directory import OidcDirectory
from dogana.sources.git import GitRepositories
from dogana.sources.mail import SmtpMailer
from dogana.sources.metrics import HttpMetrics
from dogana.sources.reachable import Reachable, guarded_client
from dogana.sources.recent import RecentMetrics, RecentTracker
from dogana.sources.tickets import HttpTracker
from dogana.store import Database

_SECONDS = 10.0
_READ_IN_A_ROUND = 4
"""How often a source is asked the same while all that waits is inspected once."""
_MAPPING = TypeAdapter(dict[str, Granted])


@asynccontextmanager
async def backend_for(
    settings: Settings, clock: Clock = system_clock, *, reuse: float = 0.0
) -> AsyncIterator[Backend]:
    """A backend on the settings' database and sources, closed with the block.

    Args:
        settings: what it is made from.
        clock: its clock.
        reuse: for how many seconds what a source answered answers whoever asks the same.
    """
    try:
        reachable = Reachable(settings.reachable)
    except ValueError as exc:
        raise MisconfiguredError(
            f"DOGANA_REACHABLE: {exc}; give networks such as `public, 10.2.0.0/16`."
        ) from exc
    async with guarded_client(reachable, _SECONDS) as client:
        backend = Backend(
            database=Database(settings.database_url),
            repositories=GitRepositories(
                settings.repository_root, clock, settings.mirrors, reachable, fresh=reuse
            ),
            tracker=RecentTracker(HttpTracker(client, clock), reuse),
            metrics=RecentMetrics(HttpMetrics(client, clock), reuse),
            client=client,
            clock=clock,
            keyring=read_keyring(settings),
            refresh=settings.refresh,
            mailer=mailer_of(settings),
            chat=chat_of(settings, client),
            directory=directory_of(settings, client, clock),
            mapping=mapping_of(settings),
            provisioning=secret_digest(settings.scim_token) if settings.scim_token else None,
            passwords=Passwords(closed=settings.passwords == "closed", break_glass=settings.break_glass),
            step_up=StepUp(within=timedelta(seconds=settings.step_up), acr=settings.oidc_acr)
            if settings.step_up
            else None,
            zone=settings.zone,
            source=settings.address.rstrip("/") or "/dogana",
        )
        try:
            yield backend
        finally:
            backend.pool.close()
            await backend.database.close()


def backend_of_worker(settings: Settings) -> AbstractAsyncContextManager[Backend]:
    """A worker's: what waits for one environment mostly asks the same, some moments apart."""
    return backend_for(settings, reuse=settings.refresh / _READ_IN_A_ROUND)


def mailer_of(settings: Settings) -> SmtpMailer | None:
    """What takes mail, as it is set up; None where it is not.

    Raises:
        MisconfiguredError: for a server without an address to send from, or mail without one to link to.
    """
    if not settings.mail_server:
        return None
    if not settings.mail_from:
        raise MisconfiguredError("Set DOGANA_MAIL_FROM too: the address that mail comes from.")
    if not settings.address:
        raise MisconfiguredError("Set DOGANA_ADDRESS too: mail links to it.")
    try:
        return SmtpMailer(settings.mail_server, settings.mail_from)
    except ValueError as exc:
        raise MisconfiguredError(f"DOGANA_MAIL_SERVER: {exc}.") from exc


def chat_of(settings: Settings, client: httpx.AsyncClient) -> MatrixChat | None:
    """The rooms in which people talk, as they are set up; None where they are not.

    Raises:
        MisconfiguredError: for a homeserver without an account there, or our own address to link to.
    """
    if not settings.chat_server:
        return None
    for name in ("chat_token", "address"):
        if not getattr(settings, name):
            raise MisconfiguredError(f"DOGANA_CHAT_SERVER takes DOGANA_{name.upper()} too.")
    try:
        return MatrixChat(client, address=settings.chat_server, token=settings.chat_token)
    except ValueError as exc:
        raise MisconfiguredError(f"DOGANA_CHAT_SERVER: {exc}.") from exc


def directory_of(settings: Settings, client: httpx.AsyncClient, clock: Clock) -> OidcDirectory | None:
    """Where people sign in, as it is set up; None where by passwords alone.

    Raises:
        MisconfiguredError: for one that lacks its id, its secret or our address, and where nothing is open.
    """
    if not settings.oidc_issuer:
        if settings.passwords == "closed":
            raise MisconfiguredError("DOGANA_PASSWORDS is closed, which takes DOGANA_OIDC_ISSUER.")
        return None
    for name in ("oidc_client_id", "oidc_client_secret", "address"):
        if not getattr(settings, name):
            raise MisconfiguredError(f"DOGANA_OIDC_ISSUER takes DOGANA_{name.upper()} too.")
    try:
        return OidcDirectory(
            client,
            clock,
            issuer=settings.oidc_issuer,
            client_id=settings.oidc_client_id,
            client_secret=settings.oidc_client_secret,
            name=settings.oidc_name,
            groups_claim=settings.oidc_groups,
        )
    except ValueError as exc:
        raise MisconfiguredError(f"DOGANA_OIDC_ISSUER: {exc}.") from exc


def mapping_of(settings: Settings) -> dict[str, Granted]:
    """What the directory's groups come to here.

    Raises:
        MisconfiguredError: for something else than JSON of the form in docs/running.md.
    """
    if not settings.oidc_mapping:
        if settings.scim_token:
            raise MisconfiguredError("DOGANA_SCIM_TOKEN takes DOGANA_OIDC_MAPPING too.")
        return {}
    try:
        return _MAPPING.validate_json(settings.oidc_mapping)
    except ValidationError as exc:
        said = "; ".join(f"{'/'.join(map(str, one['loc']))}: {reason(one)}" for one in exc.errors()[:5])
        raise MisconfiguredError(f"DOGANA_OIDC_MAPPING: {said}.") from exc


def keep_what_is_loaded() -> None:
    """Never look again for garbage among what is there now: each look kept answers waiting for 0.1 s."""
    gc.collect()
    gc.freeze()


def read_keyring(settings: Settings) -> Keyring | None:
    """The keys that seal secrets, from the environment or else the file; None where there are none.

    Raises:
        MisconfiguredError: when they cannot be used.
    """
    where = "DOGANA_SEALING_KEYS" if settings.sealing_keys else str(settings.sealing_keys_file)
    try:
        if settings.sealing_keys:
            return Keyring.read(settings.sealing_keys)
        if settings.sealing_keys_file.exists():
            return Keyring.read(settings.sealing_keys_file.read_text())
    except (OSError, UnicodeDecodeError) as exc:
        raise MisconfiguredError(f"{where} cannot be read: {exc}.") from exc
    except ValueError as exc:
        raise MisconfiguredError(f"{where} holds no sealing keys: {exc}.") from exc
    return None


def add_sealing_key(path: Path) -> None:
    """Add a key to the file, which seals from now on; the older ones go on opening."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.touch(mode=0o600)
    with path.open("a") as file:
        file.write(new_key_line() + "\n")


def read_key(path: Path) -> Ed25519PrivateKey:
    """The signing key from its PEM file.

    Raises:
        MisconfiguredError: when the file cannot be read, or holds no Ed25519 private key.
    """
    try:
        key = serialization.load_pem_private_key(path.read_bytes(), password=None)
    except OSError as exc:
        raise MisconfiguredError(
            f"The signing key {path} cannot be read ({exc.strerror}): make one with `dogana key new`, or "
            "name the file in DOGANA_SIGNING_KEY."
        ) from exc
    except (ValueError, TypeError) as exc:
        raise MisconfiguredError(f"{path} holds no private key in PEM without a password.") from exc
    if not isinstance(key, Ed25519PrivateKey):
        raise MisconfiguredError(f"{path} holds a private key, but not an Ed25519 one.")
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
