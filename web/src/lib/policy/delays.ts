// How long a rehearsed policy would have delayed what departed, as bars of a distribution.

const HOUR = 3_600;
const EDGES = [
	{ to: HOUR, label: 'under 1 h' },
	{ to: 4 * HOUR, label: '1 to 4 h' },
	{ to: 12 * HOUR, label: '4 to 12 h' },
	{ to: 24 * HOUR, label: '12 to 24 h' },
	{ to: 72 * HOUR, label: '1 to 3 days' },
	{ to: Infinity, label: 'over 3 days' }
];

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
	const bars = EDGES.map(({ to, label }, n) => {
		const from = EDGES[n - 1]?.to ?? 0;
		return { label, count: known.filter((delay) => delay >= from && delay < to).length };
	});
	return [...bars, { label: 'until somebody acts', count: stopped - known.length }];
}
