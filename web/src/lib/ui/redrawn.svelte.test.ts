// @vitest-environment happy-dom
// When a chart is drawn anew: with what it shows, not under somebody's hands.
import { flushSync } from 'svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { redrawn } from './redrawn.svelte';

class Never {
	observe(): void {}
	disconnect(): void {}
}
const mouse = (what: string, on: EventTarget) => on.dispatchEvent(new MouseEvent(what, { bubbles: true }));

/** A chart of a number, which can be set: what was drawn in turn, and how often something drawn was let go. */
function chart() {
	const element = document.body.appendChild(document.createElement('div'));
	const drawn: number[] = [];
	const destroy = vi.fn();
	let set: (value: number) => void = () => undefined;
	let gone: (() => void) | undefined;
	const leave = $effect.root(() => {
		let value = $state(1);
		set = (to) => {
			value = to;
			flushSync();
		};
		const attach = redrawn(
			() => value,
			(_, now) => {
				drawn.push(now);
				return { destroy, setSize: () => undefined };
			},
			() => 10
		);
		gone = attach(element);
	});
	flushSync();
	return { element, drawn, destroy, set, leave: () => (gone?.(), leave()) };
}

describe('a chart', () => {
	beforeEach(() => {
		vi.stubGlobal('ResizeObserver', Never);
		document.body.replaceChildren();
	});

	it('is drawn anew with what it shows, and the last one is let go', () => {
		const { drawn, destroy, set, leave } = chart();
		set(2);
		expect(drawn).toEqual([1, 2]);
		expect(destroy).toHaveBeenCalledTimes(1);
		leave();
		expect(destroy).toHaveBeenCalledTimes(2);
	});

	it('stays while somebody drags over it, and shows the last of what came once they let go', () => {
		const { element, drawn, destroy, set, leave } = chart();
		mouse('mousedown', element);
		set(2);
		set(3);
		expect(drawn).toEqual([1]);
		expect(destroy).not.toHaveBeenCalled();
		mouse('mouseup', document.body);
		expect(drawn).toEqual([1, 3]);
		set(4);
		expect(drawn).toEqual([1, 3, 4]);
		leave();
	});

	it('is not drawn anew for a click that nothing came with, and hears nothing once it is gone', () => {
		const { element, drawn, set, leave } = chart();
		mouse('mousedown', element);
		mouse('mouseup', element);
		expect(drawn).toEqual([1]);
		mouse('mousedown', element);
		set(2);
		leave();
		mouse('mouseup', element);
		expect(drawn).toEqual([1]);
	});
});
