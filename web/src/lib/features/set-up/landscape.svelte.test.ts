// @vitest-environment happy-dom
import { flushSync } from 'svelte';
import { beforeEach, expect, test, vi } from 'vitest';
import { Refusal } from '$lib/api/client';
import { seconding } from '$lib/words/set-up';
import { Landscape } from './landscape.svelte';
import type { ChangeOutcome } from './second.svelte';

interface Thing {
	title: string;
	repository: string;
}
const MADE: ChangeOutcome = { waits: null, alone: false, invitation: null, mailed: false };
const kept = vi.fn();
const removed = vi.fn();
let things: Record<string, Thing>;

beforeEach(() => {
	sessionStorage.clear();
	things = { portal: { title: 'Portal', repository: 'portal' } };
	kept.mockReset().mockImplementation((name: string, thing: Thing) => {
		things[name] = thing;
		return Promise.resolve(MADE);
	});
});

/** A visit to the list of services; `seen` is what the server says of the state of one. */
function visit(seen = '"1"') {
	let setting!: Landscape<Thing, object>;
	const leave = $effect.root(() => {
		setting = new Landscape<Thing, object>(
			() => Promise.resolve({ things }),
			(name) => Promise.resolve({ data: { ...things[name]! }, response: new Response(null, { headers: { ETag: seen } }) }),
			kept,
			() => ({ title: '', repository: '' }),
			'service',
			removed,
			() => ['taps', { title: 'Taps' }]
		);
	});
	flushSync();
	return { setting, leave };
}

test('what is there is kept only on the state one saw, what is new on none', async () => {
	const { setting, leave } = visit();
	await setting.edit('portal');
	setting.draft!.title = 'The portal';
	await setting.keep();
	setting.begin();
	setting.name = 'intake';
	setting.draft!.title = 'Intake';
	await setting.keep();
	expect(kept.mock.calls).toEqual([
		['portal', { title: 'The portal', repository: 'portal' }, { 'If-Match': '"1"' }],
		['intake', { title: 'Intake', repository: '' }, {}]
	]);
	expect(setting.open).toBeNull();
	leave();
});

test('what waits for a second person says so, and the list stays as it was', async () => {
	const { setting, leave } = visit();
	await setting.edit('portal');
	setting.draft!.repository = 'elsewhere';
	kept.mockResolvedValueOnce({ ...MADE, waits: 7 });
	await setting.keep();
	expect([setting.open, setting.outcome.says]).toEqual([null, seconding.waits]);
	expect(setting.found?.things.portal?.repository).toBe('portal');
	leave();
});

// Somebody else changed it while one was away: sent on the new state, their change would be lost without a word.
test('what was typed before one left is sent on the state one saw then', async () => {
	const first = visit('"1"');
	await first.setting.edit('portal');
	flushSync();
	first.setting.draft!.title = 'The portal';
	flushSync();
	first.leave();
	things.portal!.title = 'Customer portal';
	const second = visit('"2"');
	await second.setting.edit('portal');
	flushSync();
	expect([second.setting.draft?.title, second.setting.typed.back]).toEqual(['The portal', true]);
	await second.setting.keep();
	expect(kept.mock.calls[0]?.[2]).toEqual({ 'If-Match': '"1"' });
	second.leave();
});

test('what is refused stays open with its faults; what is left alone is let go of', async () => {
	const { setting, leave } = visit();
	await setting.edit('portal');
	setting.draft!.repository = '../etc';
	kept.mockRejectedValueOnce(new Refusal('invalid', 'It is not valid.', [{ pointer: '/repository', reason: 'below the root' }]));
	await setting.keep();
	expect([setting.open, setting.draft?.repository, setting.refused, setting.faults]).toEqual(['portal', '../etc', 'It is not valid.', { '/repository': 'below the root' }]);
	setting.close();
	flushSync();
	await setting.edit('portal');
	flushSync();
	expect([setting.draft?.repository, setting.typed.back, setting.faults]).toEqual(['portal', false, {}]);
	leave();
});

test('a second press while the first is on its way sends nothing', async () => {
	const { setting, leave } = visit();
	await setting.edit('portal');
	let done: (outcome: ChangeOutcome) => void = () => undefined;
	kept.mockImplementationOnce(() => new Promise((then) => (done = then)));
	const first = setting.keep();
	await setting.keep();
	done(MADE);
	await first;
	expect(kept).toHaveBeenCalledOnce();
	leave();
});

test('one begins with an example, and what is taken away is closed once it is gone', async () => {
	const { setting, leave } = visit();
	setting.begin(true);
	expect([setting.name, setting.draft, setting.anew]).toEqual(['taps', { title: 'Taps', repository: '' }, true]);
	setting.close();
	expect(await setting.drop()).toBeNull();
	await setting.edit('portal');
	removed.mockRejectedValueOnce(new Refusal('conflict', 'Promotion 7 would lose it.'));
	expect([await setting.drop(), setting.open, setting.refused]).toEqual([null, 'portal', 'Promotion 7 would lose it.']);
	removed.mockResolvedValueOnce({ how: 'retired' });
	expect([await setting.drop(), setting.open]).toEqual(['retired', null]);
	leave();
});
