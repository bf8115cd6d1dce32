"""How strict one policy is beside another, rule by rule, with the reasons in words."""

from collections.abc import Iterator, Sequence

from dogana.core.document import Document
from dogana.core.policy.document import Policy, SignOff
from dogana.core.rules.base import Rule
from dogana.core.rules.registry import AnyRule
from dogana.core.strictness import Difference, Order, folded, lower, same
from dogana.core.words import lasting, listed, sentence, spoken

_BEST_FIRST = (Order.EQUAL, Order.STRICTER, Order.LAXER, Order.INCOMPARABLE)


class RuleComparison(Document):
    """How one rule of the second policy stands to its counterpart in the first."""

    kind: str
    title: str
    order: Order
    says: str


class Comparison(Document):
    """How the second of two policies stands to the first."""

    order: Order
    rules: tuple[RuleComparison, ...]


def compared(first: Policy, second: Policy) -> Comparison:
    """Hold two policies beside each other.

    Rules of a kind are paired by their id, else by what is nearest; one without a counterpart is asked for in
    one policy alone.
    """
    left = list(second.rules)
    lines: list[RuleComparison] = []
    for rule in first.rules:
        other = _counterpart(rule, left)
        if other is None and rule.advisory:
            continue
        if other is None:
            says = f"No longer asks: {rule.title}."
            lines.append(RuleComparison(kind=rule.kind, title=rule.title, order=Order.LAXER, says=says))
            continue
        left.remove(other)
        differences = rule.compared(other)
        lines.append(
            RuleComparison(
                kind=rule.kind, title=other.title, order=folded(differences), says=_said(differences)
            )
        )
    lines += [
        RuleComparison(
            kind=rule.kind, title=rule.title, order=Order.STRICTER, says=f"Asks as well: {rule.title}."
        )
        for rule in left
        if not rule.advisory
    ]
    lines += [
        RuleComparison(kind="policy", title=second.title, order=one.order, says=_said([one]))
        for one in of_the_whole(first, second)
    ]
    return Comparison(order=folded(Difference(line.order, line.says) for line in lines), rules=tuple(lines))


def of_the_whole(first: Policy, second: Policy) -> list[Difference]:
    """In what two policies differ beside their rules.

    That somebody may close at once asks for more, that somebody may declare something urgent lets more pass.
    """
    out = []
    for field, more, words in (
        ("closes", Order.STRICTER, "close it at once"),
        ("declares_urgent", Order.LAXER, "declare a promotion urgent"),
    ):
        before, after = getattr(first, field), getattr(second, field)
        if before == after:
            continue
        less = Order.LAXER if more is Order.STRICTER else Order.STRICTER
        order = less if after is None else more if before is None else Order.INCOMPARABLE
        now, was = (spoken(one) if one else "nobody" for one in (after, before))
        out.append(Difference(order, f"{now} may {words}, instead of {was}"))
    return [*out, *_sign_off(first.sign_off, second.sign_off)]


def _sign_off(before: SignOff | None, after: SignOff | None) -> Iterator[Difference]:
    if after is None and before is not None:
        yield Difference(Order.LAXER, f"{spoken(before.group)} no longer confirm what has landed")
    elif after is not None and before is None:
        yield Difference(
            Order.STRICTER, f"{spoken(after.group)} confirm what has landed, within {lasting(after.within)}"
        )
    elif after is not None and before is not None:
        yield from _WHO_CONFIRMS(before, after)
        yield from _WITHIN(before, after)


_WHO_CONFIRMS = same("group", "what has landed is confirmed by {}")
_WITHIN = lower("within", "what has landed is confirmed within {}")


def _counterpart(rule: Rule, others: Sequence[AnyRule]) -> AnyRule | None:
    same_kind = [other for other in others if type(other) is type(rule)]
    named = [other for other in same_kind if other.id == rule.id]
    return min(named or same_kind, key=lambda o: _BEST_FIRST.index(folded(rule.compared(o))), default=None)


def _said(differences: Sequence[Difference]) -> str:
    if not differences:
        return "The same."
    return sentence(listed([f"{d.says} ({d.order})" for d in differences]))
