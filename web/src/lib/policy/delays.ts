// How long a rehearsed policy would have delayed what departed, as bars of a distribution.
import type { Rehearsal } from '$lib/api/client';

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

/** Seconds of an ISO 8601 duration of days, hours, minutes and seconds. */
export function seconds(duration: string): number {
	const found = /^P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:([\d.]+)S)?)?$/.exec(duration);
	if (!found) return Number.NaN;
	const [days = 0, hours = 0, minutes = 0, rest = 0] = found.slice(1).map((part) => Number(part ?? 0));
	return days * 86_400 + hours * HOUR + minutes * 60 + rest;
}

/** One bar for each stretch of delay, and one for what time alone would not have let go. */
export function delays(turned: Rehearsal['turned']): Bar[] {
	const held = turned.filter((one) => one.turn === 'newly held' || one.turn === 'newly barred');
	const known = held.flatMap((one) => (one.delay === null ? [] : [seconds(one.delay)]));
	const bars = EDGES.map(({ to, label }, n) => {
		const from = EDGES[n - 1]?.to ?? 0;
		return { label, count: known.filter((delay) => delay >= from && delay < to).length };
	});
	return [...bars, { label: 'until somebody acts', count: held.length - known.length }];
}
