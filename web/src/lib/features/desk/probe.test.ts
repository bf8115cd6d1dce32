import { expect, test } from 'vitest';
import type { Row } from '$lib/api/client';
import { probed } from './probe';

const NINE = Date.parse('2026-11-26T08:00:00Z');
const REACH = NINE + 86_400_000;

function row(change: Partial<Row> = {}): Row {
	return { waits_for: 'time', verdict: 'held', seats: [], closings: [], next_departure_at: null, ...change } as unknown as Row;
}
const storm = { rule: 'storm', texture: 'freeze', name: 'the storm', start: '2026-11-26T07:00:00Z', end: '2026-11-26T08:00:00Z' } as Row['closings'][number];

test('closed to the last moment, and open at the end', () => {
	expect(probed(row({ closings: [storm] }), NINE - 1, REACH)).toEqual({ verdict: 'held', says: 'closed by the storm.' });
	expect(probed(row({ closings: [storm] }), NINE, REACH)?.verdict).toBe('cleared');
});

test('time alone settles neither seats nor facts', () => {
	const seats = [{ taken_by: null }, { taken_by: { id: 'ilse', name: 'Ilse' } }] as unknown as Row['seats'];
	expect(probed(row({ seats }), NINE, REACH)?.says).toBe('one seat still open.');
	expect(probed(row({ verdict: 'barred', waits_for: 'facts' }), NINE, REACH)?.verdict).toBe('barred');
	expect(probed(row({ waits_for: 'facts' }), NINE, REACH)?.verdict).toBe('held');
});

test('nothing is said of what departed, wherever it stands, nor beyond the forecast', () => {
	for (const waits_for of ['moving', 'halted', 'ended'] as const) expect(probed(row({ waits_for }), NINE, REACH)).toBeNull();
	expect(probed(row(), REACH + 1, REACH)).toBeNull();
});
