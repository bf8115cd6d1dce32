"""What weighs most takes a fresh sign-in: waivers, adoption, roles and tokens."""

from dogana.core.document import SKEW
from dogana.core.errors import StepUpError
from dogana.service.actor import Actor
from dogana.service.backend import Backend


def must_be_fresh(backend: Backend, actor: Actor, *, tokens: bool = False) -> None:
    """Let pass only who has signed in lately enough, and strongly enough where the directory says how.

    Args:
        backend: what is asked for.
        actor: who acts.
        tokens: whether a token will do, which took a fresh sign-in to make.

    Raises:
        StepUpError: for anybody else.
    """
    asked = backend.step_up
    if asked is None or (tokens and actor.token is not None):
        return
    said = actor.sign_in
    if said is None or said.at is None or not -SKEW <= backend.clock() - said.at <= asked.within:
        raise StepUpError
    if asked.acr and said.directory and said.acr != asked.acr:
        raise StepUpError
