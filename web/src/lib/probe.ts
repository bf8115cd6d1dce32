// What a promotion's verdict is at another instant, if nobody and nothing but time moves until then.
import type { Row } from './api/client';

export interface Probed {
	verdict: 'cleared' | 'held' | 'barred';
	says: string;
}

/** Null for what departed or ended, and for an instant the forecast does not reach. */
export function probed(row: Row, at: number, reach: number): Probed | null {
	if (row.waits_for === 'moving' || row.waits_for === 'ended' || at > reach) return null;
	if (row.verdict === 'barred') return { verdict: 'barred', says: 'A fact has to change first.' };
	const closed = row.closings.filter((one) => Date.parse(one.start) <= at && at < Date.parse(one.end));
	const vacant = row.seats.filter((seat) => seat.taken_by === null);
	const lacks = [];
	if (closed.length) lacks.push(`closed by ${[...new Set(closed.map((one) => one.name))].join(' and ')}`);
	if (vacant.length) lacks.push(`${vacant.length === 1 ? 'one seat' : `${vacant.length} seats`} still open`);
	if (row.waits_for === 'facts' && !closed.length) lacks.push('a fact is missing');
	if (lacks.length) return { verdict: 'held', says: `${lacks.join(', ')}.` };
	return { verdict: 'cleared', says: row.taken_in_at ? 'cleared; taken in at the next set time.' : 'could depart.' };
}
