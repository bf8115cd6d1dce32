"""The built front end: its files as they are, and its one page for every other address that is no API's."""

import base64
import hashlib
from html.parser import HTMLParser
from mimetypes import guess_type
from pathlib import Path

from fastapi import Request, Response
from fastapi.responses import FileResponse
from starlette.exceptions import HTTPException
from starlette.types import Receive, Scope, Send

_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; script-src 'self'{scripts}; "
    "object-src 'none'; frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
)
STRICT_POLICY = _POLICY.format(scripts="")
"""The Content-Security-Policy of everything but the page: no script stands in any other answer."""
_NOT_OURS = ("api", ".well-known")
_LONGEST = 1000


class FrontEnd:
    """Answers whatever no route does."""

    def __init__(self, folder: Path) -> None:
        self._root = folder.resolve()
        self._policies: dict[float, str] = {}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer with a file or the page.

        Raises:
            HTTPException: 404 for what is neither, 405 for another method than GET.
        """
        if scope["type"] == "http":
            answer = self._answer(Request(scope, receive), scope["path"].lstrip("/"))
            await answer(scope, receive, send)

    def _answer(self, request: Request, path: str) -> Response:
        if path.partition("/")[0] in _NOT_OURS:
            raise HTTPException(404, "There is no such address.")
        if request.method not in {"GET", "HEAD"}:
            raise HTTPException(405, "Only GET is answered here.", headers={"Allow": "GET, HEAD"})
        wanted = self._file(path)
        if wanted is None:
            return self._page()
        lasts = "public, max-age=31536000, immutable" if "immutable" in path else "no-cache"
        headers = {"Cache-Control": lasts, "Vary": "Accept-Encoding"}
        packed = wanted.with_name(f"{wanted.name}.gz")
        if "gzip" not in request.headers.get("Accept-Encoding", "") or not packed.is_file():
            return FileResponse(wanted, headers=headers)
        kind = guess_type(wanted.name)[0] or "application/octet-stream"
        return FileResponse(packed, media_type=kind, headers=headers | {"Content-Encoding": "gzip"})

    def _file(self, path: str) -> Path | None:
        """The file of a path inside the folder; None where there is none, or there can be none."""
        if len(path) > _LONGEST or not path.isprintable():
            return None
        try:
            wanted = (self._root / path).resolve()
            return wanted if wanted.is_relative_to(self._root) and wanted.is_file() else None
        except (OSError, ValueError):
            return None

    def _page(self) -> Response:
        page = self._root / "index.html"
        if not page.is_file():
            raise HTTPException(404, "The front end has not been built; ./dogana demo builds it.")
        written = page.stat().st_mtime
        if written not in self._policies:
            self._policies = {written: _POLICY.format(scripts=_allowed(page.read_text()))}
        headers = {"Cache-Control": "no-cache", "Content-Security-Policy": self._policies[written]}
        return FileResponse(page, headers=headers)


def _allowed(page: str) -> str:
    """The scripts that stand in the page, by their digests (CSP Level 3, section 2.3.1): no others run."""
    found = _Scripts()
    found.feed(page)
    digests = (hashlib.sha256(text.encode()).digest() for text in found.texts)
    return "".join(f" 'sha256-{base64.b64encode(one).decode()}'" for one in digests)


class _Scripts(HTMLParser):
    """Collects the texts of scripts that stand in a page."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=False)
        self.texts: list[str] = []
        self._inside = False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Begin a text at a script without a source."""
        if tag == "script" and "src" not in dict(attrs):
            self._inside = True
            self.texts.append("")

    def handle_endtag(self, tag: str) -> None:
        """End it."""
        self._inside = self._inside and tag != "script"

    def handle_data(self, data: str) -> None:
        """Add to it."""
        if self._inside:
            self.texts[-1] += data
