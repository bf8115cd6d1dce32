// How long a rehearsed policy would have delayed what departed, as bars of a distribution.
import { delayed as say } from '$lib/words/policies';

const HOUR = 3_600;
const EDGES = [HOUR, 4 * HOUR, 12 * HOUR, 24 * HOUR, 72 * HOUR, Infinity];

export interface Bar {
	label: string;
	count: number;
}

/**
 * One bar for each stretch of delay, and one for what time alone would not have let go.
 * @param known seconds, of those that time alone would have let go
 * @param stopped how many were stopped in all
 */
export function delays(known: number[], stopped: number): Bar[] {
	const bars = EDGES.map((to, n) => {
		const from = EDGES[n - 1] ?? 0;
		return { label: say.upTo[n] ?? '', count: known.filter((delay) => delay >= from && delay < to).length };
	});
	return [...bars, { label: say.untilSomebodyActs, count: stopped - known.length }];
}
