"""Signing in at a directory: who somebody there is here, and what their groups there come to.

What an attempt is held against travels with the browser, sealed: any web process can finish what another
began, and nothing is kept of attempts that never come back.
"""

import base64
import binascii
import secrets
from collections.abc import Iterable
from datetime import timedelta
from typing import Literal

from dogana.core.change import as_compared
from dogana.core.document import Document, Instant
from dogana.core.errors import DoganaError, InvalidError, NotFoundError, SealingError, StepUpError
from dogana.core.record.actions import Action
from dogana.service.actor import ENGINE, Actor, Role, SignIn
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.people import members, sessions
from dogana.service.people.sessions import Caller, SignedIn
from dogana.service.shapes import View
from dogana.service.stepping_up import must_be_fresh
from dogana.sources import Began, Directory, Identity, NoIdentityError
from dogana.store import Session, people
from dogana.store.database import hold
from dogana.store.tables.people import DirectoryLinkRow, PersonRow

_ATTEMPT = "sign-in"
_LASTS = timedelta(minutes=10)


class WaysIn(View):
    """How one signs in here."""

    directory: str | None
    """What the directory is called; absent where there is none."""
    passwords: bool
    """Whether people sign in by a password."""


class _Attempt(Document):
    """What an attempt to sign in is held against once it comes back."""

    at: Instant
    state: str
    nonce: str
    verifier: str
    then: str
    again: bool = False
    """Whether they are to show anew who they are."""


Why = Literal["away", "late", "other", "unbelieved", "unknown", "disabled", "nothing", "impossible", "weak"]
"""Why somebody is not let in, for the page on which it is said in words."""


class NotLetInError(DoganaError):
    """Somebody could not sign in at the directory, or may not come in here."""

    code = "not_let_in"

    def __init__(self, why: Why, detail: str) -> None:
        super().__init__(detail)
        self.why = why


def ways_in(backend: Backend) -> WaysIn:
    """How one signs in here."""
    return WaysIn(
        directory=backend.directory.name if backend.directory else None,
        passwords=not backend.passwords.closed,
    )


async def begin(backend: Backend, then: str, *, again: bool = False) -> tuple[str, str]:
    """Where a browser is sent, and what it has to bring back with the answer, sealed.

    Args:
        backend: the directory, and what seals.
        then: the path that is opened once one has signed in.
        again: whether this is to be fresh and strong enough for what weighs most.

    Raises:
        NotFoundError: where there is no directory.
        NotLetInError: while it does not answer.
        SealingError: where there is no key to seal with.
    """
    directory = _directory(backend)
    fresh = backend.step_up if again else None
    try:
        asked = (fresh.within, fresh.acr) if fresh is not None else ()
        began = await directory.begin(_back(backend), *asked)
    except NoIdentityError as exc:
        raise NotLetInError("away", f"One cannot sign in at {directory.name} just now: {exc}.") from exc
    attempt = _Attempt(
        at=backend.clock(),
        state=began.state,
        nonce=began.nonce,
        verifier=began.verifier,
        then=then,
        again=fresh is not None,
    )
    sealed = backend.sealer.seal(attempt.model_dump_json(), _ATTEMPT)
    return began.url, base64.urlsafe_b64encode(sealed).decode()


async def finish(
    backend: Backend, *, code: str, state: str, brought: str, caller: Caller
) -> tuple[SignedIn, str]:
    """Begin the session of whoever has signed in at the directory; with the path that is opened then.

    Raises:
        NotFoundError: where there is no directory.
        NotLetInError: for an answer to no attempt of this browser, one too late or not to be believed, and
            for somebody whom nobody here is, or may not come in.
    """
    directory = _directory(backend)
    try:
        attempt = _opened(backend, brought, state)
        identity = await _identity(backend, directory, attempt, code)
        async with backend.database.transaction() as session:
            await hold(session, "people held")
            person = await _person(backend, session, identity)
            shown = SignIn(at=identity.authenticated_at, acr=identity.acr, directory=True)
            signed_in = await sessions.begin(
                backend, session, person, caller, by=f" at {directory.name}", shown=shown
            )
            if attempt.again:
                _must_have_stepped_up(backend, signed_in.actor)
            return signed_in, attempt.then
    except NotLetInError as exc:
        await _keep_refusal(backend, directory, caller, exc)
        raise


def _must_have_stepped_up(backend: Backend, actor: Actor) -> None:
    """See that who was to show anew who they are did; a directory may ignore that it was asked."""
    try:
        must_be_fresh(backend, actor)
    except StepUpError as exc:
        raise NotLetInError(
            "weak", f"{actor.name} did not sign in anew, or not as strongly as asked."
        ) from exc


async def _identity(backend: Backend, directory: Directory, attempt: _Attempt, code: str) -> Identity:
    began = Began(url="", state=attempt.state, nonce=attempt.nonce, verifier=attempt.verifier)
    try:
        return await directory.finish(code, began, _back(backend))
    except NoIdentityError as exc:
        raise NotLetInError("unbelieved", f"{directory.name} did not say who it is: {exc}.") from exc


async def _person(backend: Backend, session: Session, identity: Identity) -> PersonRow:
    """Who somebody of the directory is here, with what it says of them now.

    They are found by what names them there for good; the first time by the address that the directory has
    made sure of, where exactly one person here has it and is nobody there yet.
    """
    link = await people.link(session, identity.issuer, identity.subject)
    row = await people.person(session, link.person_id) if link else await _by_address(session, identity)
    if row is None or row.machine:
        raise NotLetInError("unknown", "Nobody here has that account.")
    if row.disabled_at is not None:
        raise NotLetInError("disabled", f"{row.name} may not come in any more.")
    if link is None:
        now = backend.clock()
        session.add(
            DirectoryLinkRow(
                issuer=identity.issuer, subject=identity.subject, person_id=row.id, linked_at=now
            )
        )
        says = f"{row.name} signs in at the directory from now on."
        details = {"person": row.id, "issuer": identity.issuer, "subject": identity.subject}
        record(session, ENGINE, Action.LINK_ACCOUNT, says, now, details=details)
    return await _as_mapped(backend, session, row, identity)


async def _by_address(session: Session, identity: Identity) -> PersonRow | None:
    if identity.email is None:
        return None
    row = await people.person_by_email(session, as_compared(identity.email))
    if row is None or await people.is_linked(session, identity.issuer, row.id):
        return None
    return row


async def _as_mapped(backend: Backend, session: Session, row: PersonRow, identity: Identity) -> PersonRow:
    """Somebody with what their groups there come to here, where that is set up.

    Raises:
        NotLetInError: where they come to nothing, or the directory does not say which they are.
    """
    if not backend.mapping:
        return row
    roles, groups = comes_to(backend, identity.groups or ())
    if not roles:
        raise NotLetInError("nothing", f"What {row.name} is in the directory comes to nothing here.")
    wanted = members.as_kept(row).model_copy(update={"roles": roles, "groups": groups})
    try:
        return await members.as_directory_says(backend, session, ENGINE, row.id, wanted)
    except InvalidError as exc:
        why = "; ".join(says for _, says in exc.fields)
        raise NotLetInError("impossible", f"What the directory says of {row.name} cannot be: {why}.") from exc


def comes_to(backend: Backend, groups: Iterable[str]) -> tuple[tuple[Role, ...], tuple[str, ...]]:
    """The roles, and the groups here, that being in some groups of the directory comes to."""
    granted = [backend.mapping[name] for name in groups if name in backend.mapping]
    roles = {role for one in granted for role in one.roles}
    return tuple(sorted(roles)), tuple(sorted({group for one in granted for group in one.groups}))


def _opened(backend: Backend, brought: str, state: str) -> _Attempt:
    """The attempt that an answer is to; its own cookie alone says so, which no other page can set."""
    try:
        sealed = base64.urlsafe_b64decode(brought.encode())
        attempt = _Attempt.model_validate_json(backend.sealer.open(sealed, _ATTEMPT))
    except (SealingError, ValueError, binascii.Error) as exc:
        raise NotLetInError("other", "No attempt to sign in was begun in this browser.") from exc
    if not secrets.compare_digest(attempt.state.encode(), state.encode()):
        raise NotLetInError("other", "That was an answer to another attempt to sign in.")
    if not timedelta(0) <= backend.clock() - attempt.at <= _LASTS:
        raise NotLetInError("late", "That took too long.")
    return attempt


async def _keep_refusal(backend: Backend, directory: Directory, caller: Caller, exc: NotLetInError) -> None:
    async with backend.database.transaction() as session:
        says = f"Somebody who came from {directory.name} was not let in."
        details = {"address": caller.address}
        record(
            session,
            ENGINE,
            Action.FAILED_SIGN_IN,
            says,
            backend.clock(),
            reason=exc.detail,
            details=details,
        )


def _directory(backend: Backend) -> Directory:
    if backend.directory is None:
        raise NotFoundError("Nobody signs in at a directory here.")
    return backend.directory


def _back(backend: Backend) -> str:
    """Where the directory sends browsers back to."""
    return f"{backend.source}/api/sign-in/back"
