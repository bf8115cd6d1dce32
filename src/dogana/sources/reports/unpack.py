"""Taking compressed reports apart, never into more than a fixed size."""

import io
import zipfile
import zlib

from dogana.sources.reports.common import UnusableReportError

LARGEST = 64 << 20
_MOST_FILES = 500
_GZIP, _ZIP = b"\x1f\x8b", b"PK\x03\x04"


def unpacked(body: bytes) -> list[bytes]:
    """The documents in an upload: one, or those of a zip.

    Raises:
        UnusableReportError: when it is damaged, or would become too large.
    """
    if body.startswith(_GZIP):
        return [_gunzipped(body)]
    if body.startswith(_ZIP):
        return _unzipped(body)
    return [body]


def _too_large() -> UnusableReportError:
    return UnusableReportError(f"Unpacked it is larger than {LARGEST >> 20} MiB.")


def _gunzipped(body: bytes) -> bytes:
    unpacker = zlib.decompressobj(wbits=zlib.MAX_WBITS | 16)
    try:
        out = unpacker.decompress(body, LARGEST + 1)
    except zlib.error as exc:
        raise UnusableReportError("It is no whole gzip file.") from exc
    if len(out) > LARGEST:
        raise _too_large()
    if not unpacker.eof or unpacker.unused_data:
        raise UnusableReportError("It is no whole gzip file.")
    return out


def _unzipped(body: bytes) -> list[bytes]:
    out, left = [], LARGEST
    try:
        with zipfile.ZipFile(io.BytesIO(body)) as archive:
            files = [entry for entry in archive.infolist() if not entry.is_dir()]
            if len(files) > _MOST_FILES:
                raise UnusableReportError(f"It holds more than {_MOST_FILES} files.")
            for entry in files:
                with archive.open(entry) as file:
                    part = file.read(left + 1)
                left -= len(part)
                if left < 0:
                    raise _too_large()
                out.append(part)
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError) as exc:
        raise UnusableReportError("It is no whole zip file that can be opened here.") from exc
    if not out:
        raise UnusableReportError("There is nothing in it.")
    return out
