// @vitest-environment happy-dom
import { flushSync } from 'svelte';
import { beforeEach, expect, test } from 'vitest';
import { forgetAll, Typed } from './typed.svelte';

beforeEach(() => sessionStorage.clear());

/** A visit to a view with one form, which may be open. */
function visit(open: string | null = 'desk-1') {
	const state = $state({ open, text: '', typed: null as Typed<string> | null });
	const leave = $effect.root(() => {
		state.typed = new Typed<string>(
			() => state.open,
			() => state.text,
			(was) => (state.text = was),
			() => ''
		);
	});
	flushSync();
	return { state, leave, type: (text: string) => ((state.text = text), flushSync()) };
}

test('what was typed is there again at the next visit, and said to be', () => {
	const first = visit();
	first.type('Not before Monday.');
	first.leave();
	const second = visit();
	expect([second.state.text, second.state.typed?.back]).toEqual(['Not before Monday.', true]);
	second.leave();
});

test('one form never shows what was typed into another', () => {
	// A reason for one promotion must not end up with the next one that is chosen.
	const view = visit('reason-1');
	view.type('Alarms come twice.');
	view.state.open = 'reason-2';
	flushSync();
	expect([view.state.text, view.state.typed?.back]).toEqual(['', false]);
	view.state.open = 'reason-1';
	flushSync();
	expect(view.state.text).toBe('Alarms come twice.');
	view.leave();
});

test.each(['closed', 'emptied', 'signed out'])('a form that was %s is forgotten', (how) => {
	const first = visit();
	first.type('Something');
	if (how === 'closed') first.state.open = null;
	if (how === 'emptied') first.type('');
	flushSync();
	first.leave();
	if (how === 'signed out') forgetAll();
	const second = visit();
	expect([second.state.text, second.state.typed?.back]).toEqual(['', false]);
	second.leave();
});

test('what still stands in a form after it was sent is no longer typed', () => {
	const first = visit();
	first.type('90 days');
	first.state.typed?.sent();
	first.type('90 days ');
	first.type('90 days');
	first.leave();
	expect(visit().state.typed?.back).toBe(false);
});
