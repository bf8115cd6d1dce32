"""A small client of the HTTP API, for pipelines written in Python and for the command line.

with Dogana("https://dogana.example", token) as dogana:
    number = dogana.request("taps-portal", "12.4.0", to="bench", revision="v12.4.0")["number"]
    dogana.wait(number)
    departure = dogana.depart(number)
    dogana.landed(number)
"""

import hashlib
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any, Self
from urllib.parse import quote, urlencode, urlsplit
from urllib.request import getproxies, proxy_bypass

import urllib3
from urllib3.util import Timeout

GOOD = frozenset({"cleared", "moving", "landed"})
GONE = frozenset({"turned back", "withdrawn", "superseded"})
TAKEN_BACK = frozenset({"rolled back", "halted"})
WAITING, BARRED = "waiting", "barred"
_CHUNK = 1 << 20
_SECONDS = 30.0
_MOST_ASKED = 50
_REFUSED, _FAILED = 400, 500
_ELSE = "something else answers in its place"


class ProblemError(Exception):
    """Dogana refused, in its own words (RFC 9457)."""

    def __init__(self, status: int, problem: dict[str, Any]) -> None:
        self.status = status
        self.code: str = problem.get("code", "error")
        faults = [f"{one['pointer'] or '/'}: {one['reason']}" for one in problem.get("fields", [])]
        super().__init__("\n".join([str(problem.get("detail", "")), *faults]))

    @property
    def may_pass(self) -> bool:
        """Whether it is no refusal: Dogana failed, or what stands before it could not reach it."""
        return self.status >= _FAILED


class UnreachableError(Exception):
    """Dogana did not answer, or the line broke."""


class Dogana:
    """One Dogana, as somebody with a token."""

    def __init__(self, url: str, token: str) -> None:
        self._url = url.rstrip("/")
        self._headers = {"Authorization": f"Bearer {token}"}
        self._pool = _pool(self._url)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, exc: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._pool.clear()

    def request(
        self,
        service: str,
        version: str,
        *,
        to: str,
        revision: str | None = None,
        repository: str | None = None,
        artifacts: Sequence[Path] = (),
        artifacts_at: str | None = None,
        note: str = "",
        route: str | None = None,
        kind: str | None = None,
        plan: dict[str, Any] | str | None = None,
        key: str | None = None,
        anew: bool = False,
    ) -> dict[str, Any]:
        """Ask for a promotion; sent again under the same key it is answered as before.

        People can fetch the artifacts by their names below `artifacts_at`. With `anew`, what was asked for
        under the key and was taken back after its deployment failed is asked for once more. A plan given as
        text is read as YAML or JSON.
        """
        asking = {
            "service": service,
            "version": version,
            "to": to,
            "revision": revision,
            "repository": repository,
            "route": route,
            "kind": kind,
            "plan": plan,
        }
        body: dict[str, Any] = {name: value for name, value in asking.items() if value is not None}
        body |= {"note": note, "artifacts": [described(path, artifacts_at) for path in artifacts]}
        if key is None:
            return self._object("POST", "/api/promotions", json=body)
        for n in range(1, _MOST_ASKED + 1):
            headers = {"Idempotency-Key": key if n == 1 else f"{key} {n}"}
            row = self._object("POST", "/api/promotions", json=body, headers=headers)
            if not anew or self.promotion(row["number"])["state"] not in TAKEN_BACK:
                return row
        raise TimeoutError(f"asked for {_MOST_ASKED} times under {key}, and taken back each time")

    def register(
        self, service: str, version: str, *, revision: str, artifacts: Sequence[Path]
    ) -> dict[str, Any]:
        """Put a release on record before anything is asked for."""
        body = {
            "version": version,
            "revision": revision,
            "artifacts": [described(path) for path in artifacts],
        }
        return self._object("POST", f"/api/services/{service}/releases", json=body)

    def attach(
        self, service: str, version: str, name: str, form: str, file: Path, *, by: str = ""
    ) -> dict[str, Any]:
        """Send a report to be kept with a release; gives what was read out of it."""
        params = {"format": form, "file": file.name, "by": by}
        path = f"/api/services/{service}/releases/{version}/evidence/{name}"
        headers = {"Content-Type": "application/octet-stream"}
        return self._object("PUT", path, params=params, body=file.read_bytes(), headers=headers)

    def promotion(self, number: int) -> dict[str, Any]:
        """One promotion as it stands.

        Raises:
            UnreachableError: when what answers tells of no such promotion.
        """
        row = self._object("GET", f"/api/promotions/{number}", wants=("state", "sentence"))
        if row.get("number") != number:
            raise UnreachableError(_ELSE)
        return row

    def promotions(self, state: str) -> list[dict[str, Any]]:
        """Every promotion in a state, the latest asked for first."""
        query: dict[str, Any] = {"state": state, "limit": 100}
        rows: list[dict[str, Any]] = []
        while True:
            page = self._object("GET", "/api/promotions", params=query)
            rows += page["rows"]
            if page["next"] is None:
                return rows
            query["after"] = page["next"]

    def estate(self, *, at: str | None = None, service: str | None = None) -> dict[str, Any]:
        """What runs where, or ran there at an instant (ISO 8601 with its offset); every service."""
        query = {"at": at, "service": service, "skip": 0}
        found: dict[str, Any] = {}
        while True:
            given = {name: value for name, value in query.items() if value is not None}
            page = self._object("GET", "/api/estate", params=given)
            found = found or page | {"rows": []}
            found["rows"] += page["rows"]
            if page["next"] is None:
                return found
            query["skip"] = page["next"]

    def estate_changes(self, since: str, until: str | None = None) -> dict[str, Any]:
        """What changed in the estate between two instants; until now if the second is left out."""
        query = {"since": since} | ({"until": until} if until else {})
        return self._object("GET", "/api/estate/changes", params=query)

    def where(self, what: str) -> dict[str, Any]:
        """Where a ticket, commit, component, artifact or release is."""
        return self._object("GET", "/api/estate/where", params={"what": what})

    def orders(self, number: int, *, after: int = 0, wait: float = 0.0) -> dict[str, Any]:
        """The orders of a course after one; with `wait`, the next is waited for that many seconds."""
        params = {"after": after, "wait": wait}
        path, wants = f"/api/promotions/{number}/orders", ("orders", "ended", "halted", "state")
        return self._object("GET", path, params=params, seconds=wait + _SECONDS, wants=wants)

    def course(self, number: int) -> dict[str, Any] | None:
        """How it goes in, step by step; None where it goes in all at once."""
        found: dict[str, Any] | None = self._object("GET", f"/api/promotions/{number}/course")
        return found

    def set_to(self, number: int, share: int) -> None:
        """Report what share of the requests it gets now, in percent."""
        self._object("POST", f"/api/promotions/{number}/shares", json={"share": share})

    def keys(self) -> dict[str, Any]:
        """The public keys of clearances, a JWK Set."""
        return self._object("GET", "/.well-known/jwks.json")

    def wait(
        self,
        number: int,
        *,
        seconds: float = 3600.0,
        every: float = 2.0,
        say: Callable[[str], None] = lambda _: None,
        unless_barred: bool = False,
    ) -> dict[str, Any]:
        """Wait until a promotion waits no longer, saying each new sentence.

        That Dogana is away, or something answers in its place, is waited out.

        With `unless_barred`, waiting also ends once a fact bars it that somebody must change.

        Raises:
            TimeoutError: when the time is up.
        """
        said, ends = "", time.monotonic() + seconds
        while True:
            try:
                row = self.promotion(number)
            except (UnreachableError, ProblemError) as exc:
                if isinstance(exc, ProblemError) and not exc.may_pass:
                    raise
                row = {"sentence": f"Dogana cannot be reached ({exc}); trying again.", "state": WAITING}
            if row["sentence"] != said:
                said = row["sentence"]
                say(said)
            if row["state"] != WAITING or (unless_barred and row.get("verdict") == BARRED):
                return row
            left = ends - time.monotonic()
            if left <= 0:
                raise TimeoutError(said)
            time.sleep(min(every, left))

    def depart(self, number: int) -> dict[str, Any]:
        """Let a cleared promotion go, or take over one that went: `promotion` and `clearance`."""
        path = f"/api/promotions/{number}/depart"
        return self._object("POST", path, wants=("promotion", "clearance"))

    def values(self, clearance: str) -> dict[str, str]:
        """The sealed values that a clearance opens."""
        return self._object("POST", "/api/clearances/values", json={"clearance": clearance})

    def introspect(self, clearance: str, *, use: bool = False) -> dict[str, Any]:
        """Whether a clearance is good now; `use` makes it used."""
        return self._object("POST", "/api/clearances/introspect", json={"clearance": clearance, "use": use})

    def prepared(self, number: int, note: str = "") -> dict[str, Any]:
        """Report that everything is ready for a quick departure."""
        return self._object("POST", f"/api/promotions/{number}/prepared", json={"comment": note})

    def landed(self, number: int, note: str = "", artifacts: Sequence[Path] = ()) -> dict[str, Any]:
        """Report that it runs; with what was read back, if it was."""
        body = {"note": note, "artifacts": [described(path) for path in artifacts]}
        return self._object("POST", f"/api/promotions/{number}/land", json=body)

    def failed(self, number: int, note: str = "") -> dict[str, Any]:
        """Report that it failed and what ran before runs again."""
        return self._object("POST", f"/api/promotions/{number}/roll-back", json={"comment": note})

    def setup(self) -> dict[str, Any]:
        """Everything that Set-up keeps, as one document."""
        return self._object("GET", "/api/setup")

    def apply_setup(self, document: dict[str, Any], *, dry_run: bool = False) -> dict[str, Any]:
        """Set up what a document says, all of it or nothing; or say what that would change."""
        params = {"dry_run": str(dry_run).lower()}
        return self._object("PUT", "/api/setup", json=document, params=params)

    def close_now(self, environment: str, until: str, reason: str) -> dict[str, Any]:
        """Close an environment at once, until an instant."""
        body = {"environment": environment, "until": until, "reason": reason}
        return self._object("POST", "/api/closings", json=body)

    def open_again(self, closing: int, reason: str) -> dict[str, Any]:
        """Ask to open before the end, or agree to it."""
        return self._object("POST", f"/api/closings/{closing}/open", json={"reason": reason})

    def _object(
        self,
        method: str,
        path: str,
        *,
        params: dict[str, Any] | None = None,
        headers: dict[str, str] | None = None,
        seconds: float = _SECONDS,
        wants: Sequence[str] = (),
        **given: Any,
    ) -> dict[str, Any]:
        """What a route answers, with what it wants of it at least; `given` is a `json` or a `body`.

        Raises:
            ProblemError: when it refuses.
            UnreachableError: when it does not answer, or something else does.
        """
        try:
            response = self._pool.request(
                method,
                f"{self._url}{path}" + (f"?{urlencode(params)}" if params else ""),
                headers=self._headers | (headers or {}),
                timeout=Timeout(_SECONDS, read=seconds),
                retries=False,
                redirect=False,
                **given,
            )
        except urllib3.exceptions.HTTPError as exc:
            raise UnreachableError(str(exc)) from exc
        try:
            answer: dict[str, Any] = response.json()
        except ValueError as exc:
            if response.status < _REFUSED:
                raise UnreachableError(_ELSE) from exc
            answer = {}
        if response.status >= _REFUSED:
            why = {"detail": f"Dogana answered {response.status} without saying why."}
            raise ProblemError(response.status, answer if isinstance(answer, dict) and answer else why)
        if wants and not (isinstance(answer, dict) and set(wants) <= answer.keys()):
            raise UnreachableError(_ELSE)
        return answer


def _pool(url: str) -> urllib3.PoolManager:
    """Connections, by way of the proxy that the environment names for that address."""
    to = urlsplit(url)
    proxy = None if proxy_bypass(to.hostname or "") else getproxies().get(to.scheme)
    return urllib3.ProxyManager(proxy) if proxy else urllib3.PoolManager()


def described(path: Path, below: str | None = None) -> dict[str, Any]:
    """Name, digest and size of a built file; and where it can be fetched, if below some address."""
    made = hashlib.sha256()
    with path.open("rb") as file:
        while chunk := file.read(_CHUNK):
            made.update(chunk)
        size = file.tell()
    link = {"link": f"{below.rstrip('/')}/{quote(path.name)}"} if below else {}
    return {"name": path.name, "digest": f"sha256:{made.hexdigest()}", "size": size, **link}
