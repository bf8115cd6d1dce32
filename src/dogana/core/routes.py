"""Which releases an urgent route lets in: by version, and by where their source comes from."""

from fnmatch import fnmatchcase
from typing import Annotated

from pydantic import AfterValidator, Field

from dogana.core.document import Document, Slug
from dogana.core.versions import Version, a_version
from dogana.core.words import listed

AVersion = Annotated[str, AfterValidator(a_version)]


class LetsIn(Document):
    """The rules of an urgent route; a release that breaks one of them takes the standard route."""

    at_least: AVersion | None = None
    """The first version let in."""
    below: AVersion | None = None
    """The first version not let in any more."""
    patches_only: bool = False
    """Whether all but the last number must be those of what runs where the route ends."""
    branches: tuple[str, ...] = Field(default=(), max_length=20)
    """The branches one of which must hold the source revision, `*` for any text."""

    waivable: Slug | None = None
    """The group that may let in a release that breaks them, by a waiver; nobody when left out."""

    def against(
        self, version: str, runs: list[str], branches: tuple[str, ...], *, known: bool = True
    ) -> str | None:
        """Why a release is not let in; None where it is, or where that hangs on branches that are not known.

        Args:
            version: the release's.
            runs: what runs now in the environments the route ends with.
            branches: the branches that hold its revision.
            known: whether they were read.
        """
        try:
            asked = Version(version)
        except ValueError as exc:
            return str(exc)
        if self.at_least is not None and asked < Version(self.at_least):
            return f"it lets in {self.at_least} and later"
        if self.below is not None and not asked < Version(self.below):
            return f"it lets in what is below {self.below}"
        if self.patches_only and not any(_is_patch(version, one) for one in runs):
            return f"it lets in patches of what runs there, {listed(runs, 'or') or 'and nothing does'}"
        if known and self.branches and not any(fnmatchcase(b, p) for b in branches for p in self.branches):
            return f"its source must be on {listed(list(self.branches), 'or')}"
        return None


def _is_patch(version: str, of: str) -> bool:
    try:
        return version.rpartition(".")[0] == of.rpartition(".")[0] and Version(of) < Version(version)
    except ValueError:
        return False
