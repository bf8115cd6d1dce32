"""What a release would change of the infrastructure it runs on: a summary in JSON.

`{"add": ["queue/readings"], "change": [], "destroy": ["disk/old"]}`, each a list of names.
"""

from typing import Annotated

from pydantic import ConfigDict, Field, StringConstraints

from dogana.sources.reports.common import MOST_NAMES, Content, Loose, read_json, text

_Names = Annotated[list[Annotated[str, StringConstraints(min_length=1)]], Field(max_length=10_000)]


class _Summary(Loose):
    model_config = ConfigDict(extra="forbid")

    add: _Names
    change: _Names
    destroy: _Names


def summary(bodies: list[bytes]) -> Content:
    """How many things it adds, changes and destroys, with their names."""
    read: _Summary = read_json(_Summary, bodies, "plan summary")
    names = {"add": read.add, "change": read.change, "destroy": read.destroy}
    counts = {f"to_{verb}": len(listed) for verb, listed in names.items()}
    return Content(
        counts | {verb: [text(name) for name in listed[:MOST_NAMES]] for verb, listed in names.items()}
    )
