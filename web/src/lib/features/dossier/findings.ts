/** The order in which findings are read. */
import type { Finding } from '$lib/api/client';

const WEIGHT: Record<Finding['outcome'], number> = { unmet: 0, unknown: 1, pending: 2, waived: 3, met: 4, 'not applicable': 5 };

/**
 * What stands in the way first; then what would, did its rule hold anything; then what is met. Each part by
 * outcome, and within one as the policy has it. What does not concern the promotion is a part of its own.
 */
export function inOrder(findings: Finding[]) {
	const byOutcome = [...findings].sort((a, b) => WEIGHT[a.outcome] - WEIGHT[b.outcome]);
	const isOpen = (one: Finding) => WEIGHT[one.outcome] < WEIGHT.waived;
	const concerned = byOutcome.filter((one) => one.outcome !== 'not applicable');
	return {
		stands: concerned.filter((one) => isOpen(one) && !one.advisory),
		others: [...concerned.filter((one) => isOpen(one) && one.advisory), ...concerned.filter((one) => !isOpen(one))],
		unconcerned: byOutcome.filter((one) => one.outcome === 'not applicable')
	};
}
