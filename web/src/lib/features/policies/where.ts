// Where on the board one is, as it stands in the address.
import { here } from '$lib/state/here.svelte';

/** The source of a policy, at a rule. */
export function opened(environment: string, rule?: string): string {
	return here({ of: environment, rule: rule ?? null, in: null, kind: null });
}

/** A cell that is edited where it stands: one of its rules, or a new one of its kind. */
export function cellAt(environment: string, kind: string, rule: string | null): string {
	return here({ in: environment, kind, rule, of: null });
}

export function closed(): string {
	return here({ of: null, rule: null, in: null, kind: null });
}
