import { afterEach, beforeEach, expect, test, vi } from 'vitest';

const POST = vi.fn();
const lines = vi.fn();
vi.mock('$lib/api/client', async (original) => ({ ...(await original<object>()), api: { POST }, lines }));
const { Writing } = await import('./writing.svelte');
const TYPED = 400;

beforeEach(() => {
	vi.useFakeTimers();
	POST.mockReset().mockImplementation((_: string, given: { body: { document: string } }) => Promise.resolve({ data: { differences: [given.body.document] } }));
});
afterEach(() => vi.useRealTimers());

test('what it would change is asked for once one pauses, not at every key', async () => {
	const writing = new Writing('live', 'at_least: 1', null);
	for (const text of ['at_least: 2', 'at_least: 25', 'at_least: 250']) writing.write(text);
	expect(POST).not.toHaveBeenCalled();
	await vi.advanceTimersByTimeAsync(TYPED);
	expect(POST).toHaveBeenCalledTimes(1);
	expect(writing.preview?.differences).toEqual(['at_least: 250']);
});

test('a slow answer to what stood there before is dropped', async () => {
	const writing = new Writing('live', 'a', null);
	let late: (answer: unknown) => void = () => undefined;
	POST.mockImplementationOnce(() => new Promise((done) => (late = done)));
	writing.write('b');
	await vi.advanceTimersByTimeAsync(TYPED);
	writing.write('c');
	await vi.advanceTimersByTimeAsync(TYPED);
	late({ data: { differences: ['b'] } });
	await vi.advanceTimersByTimeAsync(0);
	expect(writing.preview?.differences).toEqual(['c']);
});

test('faults stand beside what was typed, which stays; they go once it is right', async () => {
	const writing = new Writing('live', 'a', null);
	POST.mockResolvedValueOnce({ error: { code: 'invalid', detail: 'The policy is not valid.', fields: [{ pointer: '/rules/0', reason: 'not a span of time' }] } });
	writing.write('soon');
	await vi.advanceTimersByTimeAsync(TYPED);
	expect([writing.source, writing.refused, writing.faults[0]?.pointer]).toEqual(['soon', 'The policy is not valid.', '/rules/0']);
	writing.write('PT2H');
	await vi.advanceTimersByTimeAsync(TYPED);
	expect([writing.refused, writing.faults]).toEqual(['', []]);
});

test('what is neither in force nor drafted counts as not kept', async () => {
	const writing = new Writing('live', 'in force', 'drafted');
	expect([writing.source, writing.unkept]).toEqual(['drafted', false]);
	writing.write('typed');
	expect(writing.unkept).toBe(true);
	POST.mockResolvedValue({ data: { version: 4 } });
	expect(await writing.draft()).toBe(4);
	expect(writing.unkept).toBe(false);
	writing.write('typed again');
	writing.undo();
	expect([writing.source, writing.unkept]).toEqual(['drafted', false]);
});

// Somebody else adopts a version while one writes: their words must not take the place of one's own.
test('a version that came meanwhile stands beside what is typed, and takes the place of what is not', () => {
	const typing = new Writing('live', 'one', null);
	typing.write('mine');
	typing.beside('two', null);
	expect([typing.source, typing.before]).toEqual(['mine', 'two']);
	const reading = new Writing('live', 'one', null);
	reading.beside('two', 'three');
	expect(reading.source).toBe('three');
});

test('a rehearsal tells how far it is, and what it found stays until something is typed', async () => {
	const writing = new Writing('live', 'a', 'b');
	const outcome = { of: 2, departed: 2, badly: 0, turns: [], delays: [], turned: [] };
	lines.mockImplementation(async function* () {
		yield { done: 1, of: 2, outcome: null, names: null };
		expect([writing.rehearsing, writing.progress?.done]).toEqual([true, 1]);
		yield { done: 2, of: 2, outcome, names: { 7: 'Taps portal 1.2.0' } };
	});
	await writing.rehearse(90);
	expect(lines.mock.calls[0]?.slice(0, 2)).toEqual(['/api/environments/live/policies/rehearsal?days=90', { document: 'b' }]);
	expect([writing.outcome?.of, writing.names[7], writing.rehearsing]).toEqual([2, 'Taps portal 1.2.0', false]);
	writing.write('c');
	expect(writing.outcome).toBeNull();
});

test('a rehearsal that is stopped ends the request and shows nothing of it', async () => {
	const writing = new Writing('live', 'a', 'b');
	lines.mockImplementation(async function* (_: string, __: unknown, signal: AbortSignal) {
		yield { done: 1, of: 9, outcome: null, names: null };
		writing.stop();
		expect(signal.aborted).toBe(true);
		throw new DOMException('stopped', 'AbortError');
	});
	await writing.rehearse(30);
	expect([writing.progress, writing.outcome, writing.refused]).toEqual([null, null, '']);
});
