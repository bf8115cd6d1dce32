"""What several commands do alike: read a text or a policy from a file."""

from pathlib import Path
from typing import NoReturn

from dogana.core.policy.document import Policy, PolicyError, read_policy
from dogana.core.policy.inheritance import inherited, loosened
from dogana_client.refusal import refuse

_LARGEST = 16 << 20


def text_of(path: Path) -> str:
    """A file's text.

    What is larger than 16 MiB is refused: no promotion's facts come near it.
    """
    try:
        if path.stat().st_size > _LARGEST:
            refuse(f"{path} is larger than {_LARGEST >> 20} MiB.")
        return path.read_text()
    except (OSError, UnicodeDecodeError) as exc:
        refuse(f"{path} cannot be read: {exc}")


def policy_of(path: Path, baseline: Path | None = None, *, whole: bool = False) -> Policy:
    """The policy in a file, with what its baseline asks for; every fault is named with its place.

    Args:
        path: the policy.
        baseline: the one it inherits from, where it does.
        whole: whether it has to be known what it asks for: one that inherits needs its baseline then.
    """
    try:
        policy = read_policy(text_of(path))
    except PolicyError as exc:
        _refuse_policy(path, exc.faults)
    if baseline is None and policy.inherits is not None and whole:
        refuse(f"{path} inherits from {policy.inherits}; give that policy with --baseline.")
    if baseline is None:
        return policy
    if policy.inherits is None:
        refuse(f"{path} inherits from nothing, so it takes no baseline.")
    asked = policy_of(baseline)
    if faults := loosened(asked, policy):
        _refuse_policy(path, faults)
    return inherited(asked, policy)


def _refuse_policy(path: Path, faults: list[tuple[str, str]]) -> NoReturn:
    refuse("\n".join(f"{path}{pointer}: {reason}" for pointer, reason in faults))
