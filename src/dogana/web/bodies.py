"""Bodies of requests: read no further than they may be long."""

from fastapi import Request

from dogana.core.errors import TooLargeError

LARGEST_JSON = 1 << 20


async def bounded(request: Request, most: int) -> bytes:
    """The body of a request, which is kept for whoever reads it next.

    Args:
        request: whose.
        most: bytes it may be long.

    Raises:
        TooLargeError: when it is longer, or says that it will be.
    """
    said = request.headers.get("content-length", "")
    if said.isascii() and said.isdigit() and (len(said) > 15 or int(said) > most):  # noqa: PLR2004
        raise _too_large(most)
    parts, size = [], 0
    async for part in request.stream():
        size += len(part)
        if size > most:
            raise _too_large(most)
        parts.append(part)
    body = b"".join(parts)
    request._body = body  # noqa: SLF001 - what the framework itself keeps once it was read
    return body


def _too_large(most: int) -> TooLargeError:
    return TooLargeError(f"At most {most >> 20} MiB are taken.")
