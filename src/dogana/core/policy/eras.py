"""Which policy holds when: the versions in force, and those adopted to come into force later."""

from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from itertools import groupby
from typing import NamedTuple

from dogana.core.policy.document import Policy, policy_of
from dogana.core.policy.inheritance import HeirOfHeirError, inherited
from dogana.core.time.forecast import Closing, succeeded
from dogana.core.time.intervals import Interval
from dogana.core.time.windows import Calendar


@dataclass(frozen=True, kw_only=True)
class Version:
    """One version of an environment's policy."""

    environment: str
    version: int
    document: str
    """As written: its canonical text, without what it inherits."""
    at: datetime
    """From when on it is in force; aware."""

    @property
    def inherits(self) -> str | None:
        """The class of environments whose policy is its baseline."""
        return policy_of(self.document).inherits


class Era(NamedTuple):
    """A policy that holds in an environment as things are, until the next era begins."""

    policy: Policy
    """With what its baseline asks for then."""
    begun_by: Version
    """The version that came into force with it: its own, or that of its baseline."""


def eras(in_force: Mapping[str, Version], coming: Iterable[Version]) -> dict[str, list[Era]]:
    """What holds in each environment from now on.

    Args:
        in_force: the versions in force by environment, baselines among them.
        coming: those that are yet to come into force, in that order.

    Returns:
        The eras in their order; the first is that of now, where anything holds there now.
    """
    held = dict(in_force)
    out = {name: [Era(policy, held[name])] for name, policy in together(held).items()}
    for _, some in groupby(coming, lambda one: one.at):
        begun = {one.environment: one for one in some}
        held |= begun
        for name, policy in together(held).items():
            so_far = out.setdefault(name, [])
            if not so_far or so_far[-1].policy != policy:
                by = begun.get(name) or begun.get(held[name].inherits or name, held[name])
                so_far.append(Era(policy, by))
    return out


def closed(held: Sequence[Era], calendars: Mapping[str, Calendar], within: Interval) -> list[Closing]:
    """What closes an environment, by the policy that holds then; what holds now counts for the past too."""
    closings: list[Closing] = []
    for n, era in enumerate(held):
        own = [one for rule in era.policy.rules for one in rule.closed(calendars, within)]
        closings = succeeded(closings, own, era.begun_by.at) if n else own
    return closings


def together(versions: Mapping[str, Version]) -> dict[str, Policy]:
    """The policies of versions in force, each with what its baseline among them asks for.

    One whose baseline has none, or inherits itself, is left out: nothing can enter there.
    """
    out = {}
    for name, one in versions.items():
        if one.inherits is None:
            out[name] = policy_of(one.document)
        elif one.inherits in versions:
            with suppress(HeirOfHeirError):
                out[name] = put_together(versions[one.inherits].document, one.document)
    return out


@lru_cache(maxsize=256)
def put_together(baseline: str, heir: str) -> Policy:
    """What two documents ask for together; versions never change, so it is worked out once for each pair.

    Raises:
        HeirOfHeirError: for a baseline that inherits itself.
    """
    return inherited(policy_of(baseline), policy_of(heir))
