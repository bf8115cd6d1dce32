"""The built front end: its files as they are, and its one page for every other address that is no API's."""

import asyncio
import base64
import hashlib
from html.parser import HTMLParser
from mimetypes import guess_type
from pathlib import Path

from fastapi import Request, Response
from starlette.exceptions import HTTPException
from starlette.staticfiles import StaticFiles
from starlette.types import Receive, Scope, Send

_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; script-src 'self'{scripts}; "
    "object-src 'none'; frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
)
STRICT_POLICY = _POLICY.format(scripts="")
"""The Content-Security-Policy of everything but the page: no script stands in any other answer."""
_NOT_OURS = ("api", ".well-known")
_LONGEST = 1000
_PACKED = (("br", ".br"), ("gzip", ".gz"))
"""As what the build packed each file, the smallest first."""
_PAGE = "index.html"


class FrontEnd:
    """Answers whatever no route does."""

    def __init__(self, folder: Path) -> None:
        self._files = StaticFiles(directory=folder, check_dir=False)
        self._policies: dict[float, str] = {}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer with a file or the page.

        Raises:
            HTTPException: 404 for what is neither, 405 for another method than GET.
        """
        if scope["type"] == "http":
            request = Request(scope, receive)
            answer = await asyncio.to_thread(self._answer, request, scope["path"].lstrip("/"))
            await answer(scope, receive, send)

    def _answer(self, request: Request, path: str) -> Response:
        if path.partition("/")[0] in _NOT_OURS:
            raise HTTPException(404, "There is no such address.")
        if request.method not in {"GET", "HEAD"}:
            raise HTTPException(405, "Only GET is answered here.", headers={"Allow": "GET, HEAD"})
        answer = self._file(request, path) if path != _PAGE else None
        if answer is not None:
            lasts = "public, max-age=31536000, immutable" if "immutable" in path else "no-cache"
            answer.headers["Cache-Control"] = lasts
            return answer
        answer = self._file(request, _PAGE)
        if answer is None:
            raise HTTPException(404, "The front end has not been built; ./dogana demo builds it.")
        answer.headers["Cache-Control"] = "no-cache"
        answer.headers["Content-Security-Policy"] = self._policy()
        return answer

    def _file(self, request: Request, path: str) -> Response | None:
        """A file inside the folder, packed where the browser takes that; None where there is none."""
        if len(path) > _LONGEST or not path.isprintable():
            return None
        try:
            full, found = self._files.lookup_path(path)
            if found is None or not Path(full).is_file():
                return None
            taken = {
                part.partition(";")[0].strip()
                for part in request.headers.get("Accept-Encoding", "").split(",")
            }
            kind = guess_type(path)[0] or "application/octet-stream"
            for encoding, ending in _PACKED:
                packed, there = self._files.lookup_path(path + ending) if encoding in taken else ("", None)
                if there is not None:
                    answer = self._files.file_response(packed, there, request.scope)
                    answer.headers["Content-Encoding"] = encoding
                    break
            else:
                answer = self._files.file_response(full, found, request.scope)
        except (OSError, ValueError):
            return None
        answer.headers["Content-Type"] = kind
        answer.headers["Vary"] = "Accept-Encoding"
        return answer

    def _policy(self) -> str:
        """What the page may run: the scripts that stand in it, and ours."""
        page, found = self._files.lookup_path(_PAGE)
        written = found.st_mtime if found is not None else 0.0
        if written not in self._policies:
            self._policies = {written: _POLICY.format(scripts=_allowed(Path(page).read_text()))}
        return self._policies[written]


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
