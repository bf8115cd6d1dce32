// What a promotion's verdict is at another instant, if nobody and nothing but time moves until then.
import type { Row } from '$lib/api/client';
import { probed as say } from '$lib/words/desk';

export interface Probed {
	verdict: 'cleared' | 'held' | 'barred';
	says: string;
}

/** Whether it waits still: what moves, stands still on its way or ended has no verdict of another time. */
export const isPending = (row: Pick<Row, 'waits_for'>) => !['moving', 'halted', 'ended'].includes(row.waits_for);

/** Null for what departed or ended, and for an instant the forecast does not reach. */
export function probed(row: Row, at: number, reach: number): Probed | null {
	if (!isPending(row) || at > reach) return null;
	if (row.verdict === 'barred') return { verdict: 'barred', says: say.factFirst };
	const closed = row.closings.filter((one) => Date.parse(one.start) <= at && at < Date.parse(one.end));
	const vacant = row.seats.filter((seat) => seat.taken_by === null);
	const lacks = [];
	if (closed.length) lacks.push(say.closedBy([...new Set(closed.map((one) => one.name))]));
	if (vacant.length) lacks.push(say.vacant(vacant.length));
	if (row.waits_for === 'facts' && !closed.length) lacks.push(say.factMissing);
	if (lacks.length) return { verdict: 'held', says: say.lacks(lacks) };
	return { verdict: 'cleared', says: row.next_departure_at ? say.takenIn : say.couldDepart };
}
