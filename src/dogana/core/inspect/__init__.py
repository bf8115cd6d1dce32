"""inspect(policy, facts, decisions, at) -> sheet: total, pure, the same bytes for the same input."""
