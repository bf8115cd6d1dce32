"""Baselines: what a class of environments asks for, and what an heir may make of it."""

from dogana.core.policy.document import Policy, SignOff
from dogana.core.strictness import Order, folded
from dogana.core.words import lasting, listed

_OF_THE_WHOLE = ("closes", "declares_urgent", "sign_off")


class HeirOfHeirError(ValueError):
    """A baseline inherits itself; taken by itself it would leave out what it has from there."""

    def __init__(self, baseline: Policy) -> None:
        super().__init__(
            f"{baseline.title} inherits from {baseline.inherits}, so nothing can inherit from it"
        )


def inherited(baseline: Policy, heir: Policy) -> Policy:
    """What holds: the baseline's rules, the heir's in place of its namesakes, then the heir's own.

    Raises:
        HeirOfHeirError: for a baseline that inherits itself.
    """
    if baseline.inherits is not None:
        raise HeirOfHeirError(baseline)
    own = {rule.id: rule for rule in heir.rules}
    rules = [own.pop(rule.id, rule) for rule in baseline.rules]
    kept = {field: getattr(heir, field) or getattr(baseline, field) for field in _OF_THE_WHOLE}
    return heir.model_copy(update={"rules": (*rules, *own.values()), "inherits": None, **kept})


def loosened(baseline: Policy, heir: Policy) -> list[tuple[str, str]]:
    """Where an heir asks for less than its baseline: a JSON Pointer (RFC 6901) and a sentence for each rule.

    An heir may add rules and tighten those of the baseline; what cannot be compared counts as loosened.
    """
    if baseline.inherits is not None:
        return [("/inherits", str(HeirOfHeirError(baseline)))]
    asked = {rule.id: rule for rule in baseline.rules}
    faults = []
    if heir.declares_urgent not in (None, baseline.declares_urgent):
        reason = f"{baseline.title} does not let {heir.declares_urgent} declare promotions urgent"
        faults.append(("/declares_urgent", reason))
    if baseline.closes and heir.closes not in (None, baseline.closes):
        faults.append(("/closes", f"{baseline.title} lets {baseline.closes} close it at once"))
    if baseline.sign_off and heir.sign_off and not _as_strict(baseline.sign_off, heir.sign_off):
        wanted = f"{baseline.sign_off.group} to confirm it within {lasting(baseline.sign_off.within)}"
        faults.append(("/sign_off", f"{baseline.title} asks {wanted}"))
    for n, rule in enumerate(heir.rules):
        if rule.id not in asked:
            continue
        before = asked[rule.id]
        if before.kind != rule.kind:
            reason = f"{rule.id} is of the kind {before.kind} in {baseline.title}, not {rule.kind}"
            faults.append((f"/rules/{n}/kind", reason))
            continue
        differences = before.compared(rule)
        if folded(differences) in (Order.LAXER, Order.INCOMPARABLE):
            wrong = [d.says for d in differences if d.order in (Order.LAXER, Order.INCOMPARABLE)]
            faults.append(
                (f"/rules/{n}", f"{rule.id} is not as strict as in {baseline.title}: {listed(wrong)}")
            )
    return faults


def _as_strict(baseline: SignOff, heir: SignOff) -> bool:
    return heir.group == baseline.group and heir.within <= baseline.within
