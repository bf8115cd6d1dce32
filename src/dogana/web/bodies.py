"""Bodies of requests that are files."""

from fastapi import Request

from dogana.core.errors import TooLargeError


async def bounded(request: Request, most: int) -> bytes:
    """The body of a request, read no further than it may be long.

    Raises:
        TooLargeError: when it is longer.
    """
    parts, size = [], 0
    async for part in request.stream():
        size += len(part)
        if size > most:
            raise TooLargeError(f"At most {most >> 20} MiB are taken.")
        parts.append(part)
    return b"".join(parts)
