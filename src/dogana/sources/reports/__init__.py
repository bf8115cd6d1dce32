"""Reports that come with releases, read into the content that policies and people look at.

Whatever is uploaded is somebody else's: it is bounded, nothing in it is fetched or run, and what does not fit
is refused with a reason.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from pydantic import ValidationError

from dogana.core.facts import ReportKind
from dogana.core.policy.text import UnreadableTextError, refuse_double
from dogana.sources.reports import components, coverage, packages, plans, scans, tests
from dogana.sources.reports.common import Content, UnusableReportError
from dogana.sources.reports.unpack import unpacked

Format = Literal["junit", "cobertura", "sarif", "cyclonedx", "spdx", "plan", "file"]
LARGEST = 8 << 20
"""Bytes that may be uploaded."""


@dataclass(frozen=True, kw_only=True)
class Reader:
    """How a format is read, and what kind of evidence it makes."""

    kind: ReportKind
    title: str
    read: Callable[[list[bytes]], Content]
    keyed: bool = True
    """Whether what it holds stands under keys, of which none may stand twice; not, for XML alone."""


FORMATS: dict[Format, Reader] = {
    "junit": Reader(kind="tests", title="JUnit XML", read=tests.results, keyed=False),
    "cobertura": Reader(kind="coverage", title="Cobertura XML", read=coverage.coverage, keyed=False),
    "sarif": Reader(kind="scan", title="SARIF", read=scans.findings),
    "cyclonedx": Reader(kind="components", title="CycloneDX, JSON or XML", read=components.bill),
    "spdx": Reader(kind="components", title="SPDX, JSON or tags and values", read=packages.packages),
    "plan": Reader(kind="plan", title="plan summary, JSON", read=plans.summary),
    "file": Reader(kind="file", title="a file as it is", read=lambda _: Content({})),
}

_PARTS, _MOST_PARTS = (b"<", b",", b":"), 3_000_000
"""What elements, entries and keys begin or end with: built, each takes a hundred times its length."""


def content_of(form: Format, body: bytes) -> Content:
    """What a report says.

    Args:
        form: its format.
        body: its bytes, plain, gzip, or a zip of several of them.

    Raises:
        UnusableReportError: with the reason.
    """
    if form == "file":
        return Content({})
    reader = FORMATS[form]
    try:
        documents = unpacked(body)
        if sum(one.count(sign) for one in documents for sign in _PARTS) > _MOST_PARTS:
            raise UnusableReportError(f"It has more than {_MOST_PARTS:,} parts.")
        if reader.keyed:
            for one in documents:
                refuse_double(one.decode(errors="replace"))
        return reader.read(documents)
    except UnreadableTextError as exc:
        raise UnusableReportError(f"This is no {reader.title}: {exc}.") from exc
    except ValidationError as exc:
        first = exc.errors(include_url=False)[0]
        where = ".".join(str(step) for step in first["loc"])
        raise UnusableReportError(f"This is no {reader.title}: {where}: {first['msg']}") from exc
    except RecursionError as exc:
        raise UnusableReportError("It is nested too deeply.") from exc
