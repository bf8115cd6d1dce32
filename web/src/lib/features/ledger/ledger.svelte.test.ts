import { beforeEach, expect, test, vi } from 'vitest';

const GET = vi.fn();
vi.mock('$lib/api/client', async (original) => ({ ...(await original<object>()), api: { GET } }));
import type { Narrowed } from './ledger.svelte';
const { LedgerState } = await import('./ledger.svelte');

/** A ledger of entries 1 to `size`, given in pages of three. */
function holds(size: number) {
	GET.mockImplementation((path: string, given?: { params: { query: { before?: number } } }) => {
		if (path.endsWith('filters')) return Promise.resolve({ data: {} });
		const newest = (given?.params.query.before ?? size + 1) - 1;
		const entries = [newest, newest - 1, newest - 2].filter((id) => id > 0).map((id) => ({ id }));
		return Promise.resolve({ data: { entries, next: newest > 3 ? newest - 2 : null, total: size, checkpoint: null } });
	});
}
let asked: Narrowed = {};
const load = (ledger: InstanceType<typeof LedgerState>, narrowed: Narrowed) => ((asked = narrowed), ledger.load());
const shown = (ledger: InstanceType<typeof LedgerState>) => ledger.entries.map((one) => one.id);

beforeEach(() => void GET.mockReset());

test('older entries follow one another to the first', async () => {
	const ledger = new LedgerState(() => asked);
	holds(7);
	await load(ledger, {});
	await ledger.more();
	await ledger.more();
	expect([shown(ledger), ledger.next]).toEqual([[7, 6, 5, 4, 3, 2, 1], null]);
	await ledger.more();
	expect(GET).toHaveBeenCalledTimes(4);
});

// An entry that is written while one reads must not throw one back to the top of the book.
test('what was read further down stays when something new is written', async () => {
	const ledger = new LedgerState(() => asked);
	holds(9);
	await load(ledger, {});
	await ledger.more();
	holds(11);
	await load(ledger, {});
	expect([shown(ledger), ledger.next]).toEqual([[11, 10, 9, 8, 7, 6, 5, 4], 4]);
	await ledger.more();
	expect(shown(ledger)).toEqual([11, 10, 9, 8, 7, 6, 5, 4, 3, 2, 1]);
});

test('no gap is ever shown as if nothing were missing', async () => {
	const ledger = new LedgerState(() => asked);
	holds(9);
	await load(ledger, {});
	await ledger.more();
	holds(30);
	await load(ledger, {});
	expect([shown(ledger), ledger.next]).toEqual([[30, 29, 28], 28]);
});

test('older entries that come once something else is shown are not put below it', async () => {
	const ledger = new LedgerState(() => asked);
	holds(9);
	await load(ledger, {});
	for (const [size, narrowed] of [[12, {}], [12, { person: 'ilse' }]] as const) {
		const late = ledger.more();
		holds(size);
		await load(ledger, narrowed);
		await late;
		expect(shown(ledger)).toEqual([12, 11, 10]);
	}
	await ledger.more();
	expect(shown(ledger)).toEqual([12, 11, 10, 9, 8, 7]);
});

test('other filters begin at the top', async () => {
	const ledger = new LedgerState(() => asked);
	holds(9);
	await load(ledger, {});
	await ledger.more();
	await load(ledger, { person: 'ilse' });
	expect(shown(ledger)).toEqual([9, 8, 7]);
});

test('what could not be read is said, and what stands there stays', async () => {
	const ledger = new LedgerState(() => asked);
	holds(4);
	await load(ledger, {});
	GET.mockRejectedValue(new TypeError('down'));
	await load(ledger, {});
	expect([shown(ledger), ledger.failed]).toEqual([[4, 3, 2], 'Dogana cannot be reached. Nothing was decided; try again.']);
	expect(ledger.busy).toBe(false);
});
