"""Clearances: signed tokens that a deployer must hold (JWS with EdDSA, RFC 7515 and 8037), for one use.

A clearance names what it lets in, byte for byte, where, and by which shares. Anybody can verify its signature
with the published keys; whether it was used or revoked, Dogana alone can say (RFC 7662).
"""

import base64
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from secrets import token_hex, token_urlsafe
from typing import Any

from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from joserfc import jwt
from joserfc.errors import JoseError, SecurityWarning
from joserfc.jwk import OKPKey
from joserfc.jws import JWSRegistry

from dogana.core.document import Instant
from dogana.core.errors import BadClearanceError, ConflictError, MovedOnError, NotFoundError
from dogana.core.record.actions import Action
from dogana.core.rollout import AT_ONCE
from dogana.core.words import when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.deployers import must_deploy
from dogana.service.landscape.releases import artifacts_of
from dogana.service.ledger.entries import record
from dogana.service.promotions.lookup import found, found_locked, what
from dogana.service.sealing import about_clearance_key
from dogana.service.shapes import View
from dogana.store import Session, secrets
from dogana.store.tables.promotions import PromotionRow, State
from dogana.store.tables.secrets import ClearanceKeyRow, ClearanceRow


class ClearanceStatus(View):
    """Whether a clearance is good now (RFC 7662)."""

    active: bool
    reason: str | None
    """Why it is not."""
    claims: dict[str, Any]
    used_at: Instant | None


class KeyView(View):
    """A key that signs clearances."""

    kid: str
    made_at: Instant


ISSUER = "dogana"

LASTS = timedelta(hours=1)

_ALGORITHM = "EdDSA"

_TYPE = "clearance+jwt"

_REGISTRY = JWSRegistry(algorithms=[_ALGORITHM])


async def issue(backend: Backend, session: Session, actor: Actor, row: PromotionRow) -> str:
    """The clearance of a promotion that has departed, given to whoever deploys it; again if asked.

    Raises:
        ConflictError: when somebody else holds it, or it was used or has expired; it can be revoked.
        SealingError: when no sealing key is set up.
    """
    must_deploy(actor, row.environment)
    now = backend.clock()
    live = await secrets.live_clearance(session, row.number)
    if live is not None and (live.holder_id, live.used_at) == (actor.id, None) and now < live.expires_at:
        return await _signed(backend, session, row, live)
    if live is not None:
        issued = when(live.issued_at, row.environment.zone)
        raise ConflictError(f"The clearance of promotion {row.number} was issued {issued}.")
    made = ClearanceRow(
        id=token_urlsafe(18),
        promotion=row.number,
        holder_id=actor.id,
        issued_at=now,
        not_before=now,
        expires_at=now + LASTS,
    )
    session.add(made)
    await session.flush()
    token = await _signed(backend, session, row, made)
    until = when(made.expires_at, row.environment.zone)
    says = f"{actor.name} was given the clearance of {what(row)}, until {until}."
    record(session, actor, Action.ISSUE_CLEARANCE, says, now, promotion=row, details={"clearance": made.id})
    return token


def must_seal(backend: Backend) -> None:
    """See that clearances can be signed, before anything departs.

    Raises:
        SealingError: when they cannot.
    """
    _ = backend.sealer


async def _signed(backend: Backend, session: Session, row: PromotionRow, made: ClearanceRow) -> str:
    key = await _signing_key(backend, session)
    header = {"alg": _ALGORITHM, "kid": key.id, "typ": _TYPE}
    with _as_every_library_knows_it():
        return jwt.encode(header, claims(row, made), _private(backend, key), registry=_REGISTRY)


@contextmanager
def _as_every_library_knows_it() -> Iterator[None]:
    """RFC 9864 names the algorithm Ed25519 anew; few libraries know that name yet."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", SecurityWarning)
        yield


def claims(row: PromotionRow, made: ClearanceRow) -> dict[str, Any]:
    """What a clearance says; times are seconds since 1970 (RFC 7519)."""
    plan = row.plan or AT_ONCE.plain()
    return {
        "iss": ISSUER,
        "sub": f"promotion/{row.number}",
        "aud": row.environment_id,
        "jti": made.id,
        "iat": int(made.issued_at.timestamp()),
        "nbf": int(made.not_before.timestamp()),
        "exp": int(made.expires_at.timestamp()),
        "promotion": row.number,
        "service": row.service_id,
        "version": row.release.version,
        "environment": row.environment_id,
        "artifacts": {one.name: one.digest for one in artifacts_of(row.release)},
        "rollout": plan["steps"],
        "single_use": True,
    }


async def keys(backend: Backend) -> dict[str, Any]:
    """The public keys as a JWK Set (RFC 7517): of what signs, and of what signed lately."""
    async with backend.database.transaction() as session:
        rows = await secrets.published_keys(session, backend.clock() - 2 * LASTS)
    return {"keys": [_public(row) for row in rows]}


async def rotate(backend: Backend, actor: Actor) -> KeyView:
    """Sign with a new key from now on; the old one stays published while what it signed may be valid."""
    actor.must(Right.ADMINISTER)
    now = backend.clock()
    async with backend.database.transaction() as session:
        before = await secrets.signing_key(session)
        if before is not None:
            before.retired_at = now
            await session.flush()
        made = _new_key(backend, session, now)
        says = f"{actor.name} had clearances signed with a new key, {made.id}."
        record(session, actor, Action.ROTATE_KEY, says, now, details={"key": made.id})
    return KeyView(kid=made.id, made_at=now)


async def introspect(backend: Backend, actor: Actor, token: str, *, use: bool) -> ClearanceStatus:
    """Whether a clearance is good now, and if not, why; `use` makes it used, once.

    Raises:
        ForbiddenError: for a use where the environment names who deploys there, and they are not among them.
    """
    actor.must(Right.DEPLOY if use else Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        try:
            row, promotion = await opened(backend, session, actor, token)
        except BadClearanceError as exc:
            return ClearanceStatus(active=False, reason=exc.detail, claims={}, used_at=None)
        used_at, said = row.used_at, claims(promotion, row)
        if use:
            must_deploy(actor, promotion.environment)
            row.used_at = now
            says = f"{actor.name} used the clearance of {what(promotion)}."
            record(
                session,
                actor,
                Action.USE_CLEARANCE,
                says,
                now,
                promotion=promotion,
                details={"clearance": row.id},
            )
    return ClearanceStatus(active=True, reason=None, claims=said, used_at=now if use else used_at)


async def opened(
    backend: Backend, session: Session, actor: Actor, token: str
) -> tuple[ClearanceRow, PromotionRow]:
    """A clearance that is good now, locked, with the promotion that it lets in.

    A signature alone is not believed: whoever has got hold of a key can make one.

    Raises:
        BadClearanceError: saying whether it is no clearance of ours, not yet valid, expired, used or revoked.
        ForbiddenError: for a token that is for other services or environments.
    """
    now = backend.clock()
    rows = await secrets.published_keys(session, datetime(1970, 1, 1, tzinfo=UTC))
    public = {row.id: OKPKey.import_key(_public(row)) for row in rows}
    try:
        with _as_every_library_knows_it():
            header = jwt.decode(token, lambda made: public[made.headers()["kid"]], registry=_REGISTRY)
    except (JoseError, KeyError, ValueError, TypeError, AttributeError) as exc:
        raise BadClearanceError from exc
    row = await secrets.clearance(session, str(header.claims.get("jti")), lock=True)
    if row is None:
        raise BadClearanceError
    promotion = await found(session, row.promotion)
    if header.claims != claims(promotion, row):
        raise BadClearanceError
    actor.must_reach(promotion.service_id, promotion.environment_id)
    if row.revoked_at is not None:
        raise BadClearanceError("The clearance was revoked.")
    if row.used_at is not None:
        raise BadClearanceError("The clearance has been used.")
    if now < row.not_before:
        raise BadClearanceError("The clearance is not valid yet.")
    if now >= row.expires_at:
        raise BadClearanceError("The clearance has expired.")
    return row, promotion


async def revoke(backend: Backend, actor: Actor, number: int, *, comment: str) -> None:
    """Make the clearance of a promotion that moves worthless; another may be issued after.

    Raises:
        NotFoundError: when it has none that is live and unused.
        MovedOnError: when it does not move.
    """
    actor.must(Right.DECIDE)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        if row.state != State.MOVING:
            raise MovedOnError(f"Promotion {number} is not moving: it is {row.state}.")
        if not await secrets.revoke_clearances(session, number, now):
            raise NotFoundError("It has no clearance that could be revoked.")
        says = f"{actor.name} revoked the clearance of {what(row)}."
        record(session, actor, Action.REVOKE_CLEARANCE, says, now, promotion=row, reason=comment)


async def _signing_key(backend: Backend, session: Session) -> ClearanceKeyRow:
    return await secrets.signing_key(session) or _new_key(backend, session, backend.clock())


def _new_key(backend: Backend, session: Session, now: datetime) -> ClearanceKeyRow:
    made = Ed25519PrivateKey.generate()
    public = made.public_key().public_bytes(serialization.Encoding.Raw, serialization.PublicFormat.Raw)
    private = made.private_bytes(
        serialization.Encoding.Raw, serialization.PrivateFormat.Raw, serialization.NoEncryption()
    )
    name = f"{now:%Y%m%d}-{token_hex(4)}"
    row = ClearanceKeyRow(
        id=name,
        public=_text(public),
        private=backend.sealer.seal(_text(private), about_clearance_key(name)),
        made_at=now,
    )
    session.add(row)
    return row


def _private(backend: Backend, row: ClearanceKeyRow) -> OKPKey:
    return OKPKey.import_key(
        {**_public(row), "d": backend.sealer.open(row.private, about_clearance_key(row.id))}
    )


def _public(row: ClearanceKeyRow) -> dict[str, str | list[str]]:
    return {
        "kty": "OKP",
        "crv": "Ed25519",
        "x": row.public,
        "kid": row.id,
        "use": "sig",
        "alg": _ALGORITHM,
    }


def _text(raw: bytes) -> str:
    return base64.urlsafe_b64encode(raw).rstrip(b"=").decode()
