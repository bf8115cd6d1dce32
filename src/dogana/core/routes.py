"""Routes: in which order releases travel, and which of them an urgent route lets in."""

from fnmatch import fnmatchcase
from typing import Annotated

from pydantic import AfterValidator, Field

from dogana.core.document import Document, Slug, with_examples
from dogana.core.versions import Version, a_version
from dogana.core.words import listed

AVersion = Annotated[str, AfterValidator(a_version)]
Title = Annotated[str, Field(min_length=1, max_length=80)]


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

    def lets_in_no_more(self, than: "LetsIn") -> bool:
        """Whether whatever these rules let in, those do too, and nobody else may waive them.

        Patterns of branches are not compared by what they match: another one counts as more.
        """
        later = than.at_least is None or (
            self.at_least is not None and Version(self.at_least) >= Version(than.at_least)
        )
        sooner = than.below is None or (self.below is not None and Version(self.below) <= Version(than.below))
        fewer = not than.branches or (bool(self.branches) and set(self.branches) <= set(than.branches))
        patches = self.patches_only or not than.patches_only
        return later and sooner and fewer and patches and self.waivable in (None, than.waivable)


class Route(Document):
    """The order in which releases travel; environments of one leg stand side by side."""

    model_config = with_examples(
        {"title": "Standard route", "legs": [["bench"], ["rehearsal"], ["live-north", "live-south"]]},
        {
            "title": "Urgent route",
            "legs": [["live-north", "live-south"]],
            "lets_in": {"patches_only": True, "branches": ["main"]},
        },
    )

    title: Title
    legs: tuple[Annotated[tuple[Slug, ...], Field(min_length=1)], ...] = Field(min_length=1, max_length=30)
    lets_in: LetsIn | None = None
    """For an urgent route, which releases may take it."""
    one_is_enough: tuple[Annotated[int, Field(ge=0, lt=30)], ...] = ()
    """The legs, from 0, of which one environment is enough before the next leg is asked for.

    Of others all are.
    """

    def asks_no_less(self, than: "Route") -> bool:
        """Whether it leads nowhere that the other does not, and wants no less before anything enters there.

        As each environment wants what the leg before it has, that leg is what is compared: with all that the
        other wants, and all of it wanted.
        """
        if (self.lets_in is None) != (than.lets_in is None):
            return False
        if self.lets_in and than.lets_in and not self.lets_in.lets_in_no_more(than.lets_in):
            return False
        ours, theirs = self.wants_before(), than.wants_before()
        return all(name in theirs and _wants_no_less(wanted, theirs[name]) for name, wanted in ours.items())

    def wants_before(self) -> dict[str, tuple[frozenset[str], bool]]:
        """Of each environment, what stands in the leg before it, and whether one of that is enough."""
        before = ((), *self.legs)
        return {
            name: (frozenset(before[n]), n - 1 in self.one_is_enough and len(before[n]) > 1)
            for n, leg in enumerate(self.legs)
            for name in leg
        }


def _wants_no_less(wanted: tuple[frozenset[str], bool], than: tuple[frozenset[str], bool]) -> bool:
    (ours, one_of_ours), (theirs, one_of_theirs) = wanted, than
    if one_of_ours:
        return one_of_theirs and ours == theirs
    # All of some of which one was enough, too: that one would have been enough.
    return ours >= theirs or (one_of_theirs and bool(ours & theirs))


def _is_patch(version: str, of: str) -> bool:
    try:
        return version.rpartition(".")[0] == of.rpartition(".")[0] and Version(of) < Version(version)
    except ValueError:
        return False
