import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Row } from '$lib/api/client';

const get = vi.fn();
const post = vi.fn();
vi.mock('$lib/api/client', async (original) => ({ ...(await original<object>()), api: { GET: get, POST: post } }));
const { DeskState, groupOf } = await import('./desk.svelte');

function row(number: number, waits_for: Row['waits_for'], target = 'live', changed_at = '2026-03-10T08:00:00Z', by = 'pipeline'): Row {
	return { number, waits_for, changed_at, requested_by: { id: by, name: by }, target: { id: target, name: target, zone: 'UTC' } } as Row;
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

	it('keeps apart what one asked for oneself while others have to do something', () => {
		expect(groupOf(row(1, 'others', 'live', undefined, 'noor'), 'noor')).toBe('asked');
		expect(groupOf(row(1, 'moving', 'live', undefined, 'noor'), 'noor')).toBe('moving');
		expect(groupOf(row(1, 'others', 'live', undefined, 'noor'), undefined)).toBe('others');
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
		desk.saw(3);
		expect([...desk.changed]).toEqual([2]);
	});

	// An approver who comes back in the morning sees what changed overnight, not everything and not nothing.
	it('marks what changed between two visits, and no more once it was seen', async () => {
		const evening = new DeskState(() => station);
		answers(row(1, 'you'), row(2, 'time'));
		await evening.load();
		const morning = new DeskState(() => station, undefined, evening.seen);
		answers(row(1, 'you'), row(2, 'you', 'live', '2026-03-11T06:00:00Z'), row(4, 'others'));
		await morning.load();
		expect([...morning.changed]).toEqual([2, 4]);
		const noon = new DeskState(() => station, undefined, morning.seen);
		await noon.load();
		expect([...noon.changed]).toEqual([]);
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

describe('approving several together', () => {
	const seats = (label: string) => [{ label, yours: true, taken_by: null }] as unknown as Row['seats'];
	const named = (number: number, label: string) => ({ ...row(number, 'you'), version: `${number}.0`, service: { id: 'a', name: 'App' }, seats: seats(label), shown: { policy: number } }) as unknown as Row;

	it('marks only what waits for me, and says which seat when it is the same', async () => {
		const desk = new DeskState(() => null);
		answers(named(1, 'desk'), named(2, 'desk'), named(3, 'security'), row(4, 'others'));
		await desk.load();
		[1, 2, 4].forEach((number) => desk.mark(number));
		expect(desk.together.map((one) => one.number)).toEqual([1, 2]);
		expect(desk.seat).toBe('desk');
		desk.mark(3);
		expect(desk.seat).toBeNull();
	});

	it('sends each what its row showed when it was marked; what is refused is said, and then sent what its row shows now', async () => {
		const desk = new DeskState(() => null);
		answers(named(1, 'desk'), named(2, 'desk'));
		await desk.load();
		[1, 2].forEach((number) => desk.mark(number));
		answers(named(1, 'desk'), { ...named(2, 'desk'), shown: { policy: 'another' } as unknown as Row['shown'] });
		await desk.load();
		post.mockImplementation((_: string, given: { params: { path: { number: number } } }) =>
			Promise.resolve(given.params.path.number === 2 ? { error: { code: 'x', detail: 'It changed.' } } : { data: {} })
		);
		expect(await desk.approve('Read both.')).toEqual(['App 2.0: It changed.']);
		expect(post.mock.calls.map(([, given]) => given.body)).toEqual([
			{ shown: { policy: 1 }, comment: 'Read both.' },
			{ shown: { policy: 2 }, comment: 'Read both.' }
		]);
		expect(desk.marked).toEqual([2]);
		await desk.approve('Read both.');
		expect(post.mock.lastCall?.[1].body.shown).toEqual({ policy: 'another' });
	});
});
