import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Row } from './api/client';

const get = vi.fn();
vi.mock('./api/client', async (original) => ({ ...(await original<object>()), api: { GET: get } }));
const { DeskState } = await import('./desk.svelte');

function row(number: number, waits_for: Row['waits_for'], target = 'live', changed_at = '2026-03-10T08:00:00Z'): Row {
	return { number, waits_for, changed_at, target: { id: target, name: target, zone: 'UTC' } } as Row;
}

function answers(...rows: Row[]) {
	get.mockResolvedValue({ data: { at: '2026-03-10T09:00:00Z', rows } });
}

let station: string | null = null;
beforeEach(() => {
	station = null;
});

describe('the Desk', () => {
	it('groups by what a row waits for, mine first, and says so when nothing is mine', async () => {
		const desk = new DeskState(() => station);
		expect(desk.groups).toEqual([]);
		answers(row(1, 'time'), row(2, 'others'));
		await desk.load();
		expect(desk.groups.map((group) => [group.id, group.rows.map((one) => one.number)])).toEqual([
			['you', []],
			['others', [2]],
			['time', [1]]
		]);
	});

	it('shows one station alone when it is chosen', async () => {
		const desk = new DeskState(() => station);
		answers(row(1, 'you', 'bench'), row(2, 'you', 'live'));
		station = 'bench';
		await desk.load();
		expect(desk.order).toEqual([1]);
	});

	// A first look marks nothing; only what changed while one was looking is marked.
	it('marks rows that changed or came since the first look', async () => {
		const desk = new DeskState(() => station);
		answers(row(1, 'you'), row(2, 'you'));
		await desk.load();
		expect([...desk.changed]).toEqual([]);
		answers(row(1, 'you'), row(2, 'others', 'live', '2026-03-10T08:30:00Z'), row(3, 'you'));
		await desk.load();
		expect([...desk.changed]).toEqual([2, 3]);
	});

	it('keeps its rows when the server cannot be reached, and says why', async () => {
		const desk = new DeskState(() => station);
		answers(row(1, 'you'));
		await desk.load();
		get.mockRejectedValue(new TypeError('down'));
		await desk.load();
		expect(desk.order).toEqual([1]);
		expect(desk.failed).toContain('cannot be reached');
	});

	it('moves through the rows in the order shown and stops at both ends', async () => {
		const desk = new DeskState(() => station);
		answers(row(1, 'time'), row(2, 'you'), row(3, 'others'));
		await desk.load();
		expect([desk.beside(null, 1), desk.beside(2, 1), desk.beside(1, 1), desk.beside(2, -1)]).toEqual([2, 3, 1, 2]);
	});
});
