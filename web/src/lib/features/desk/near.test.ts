// @vitest-environment happy-dom
import { beforeEach, expect, test, vi } from 'vitest';
import { busyElsewhere } from '$lib/state/keys';
import { lots, near, short } from './near';

let seen: (entries: { isIntersecting: boolean; target: Element }[]) => void;
const observed = new Set<Element>();
vi.stubGlobal(
	'IntersectionObserver',
	class {
		constructor(then: typeof seen) {
			seen = then;
		}
		observe = (element: Element) => observed.add(element);
		unobserve = (element: Element) => observed.delete(element);
	}
);

test('a long list is drawn in lots that lose nothing', () => {
	const all = Array.from({ length: 2003 }, (_, n) => n);
	expect(lots(all).flat()).toEqual(all);
	expect(Math.max(...lots(all).map((lot) => lot.length))).toBe(10);
	expect(lots([])).toEqual([]);
	expect(short(all)).toBe(false);
	expect(short(all.slice(0, 50))).toBe(true);
});

test('each is told once that it comes near, and no longer watched then', () => {
	const [one, other] = [document.createElement('li'), document.createElement('li')];
	const then = vi.fn();
	near(one, then);
	const gone = near(other, then);
	seen([{ isIntersecting: false, target: one }]);
	expect(then).not.toHaveBeenCalled();
	seen([{ isIntersecting: true, target: one }]);
	seen([{ isIntersecting: true, target: one }]);
	gone.destroy();
	seen([{ isIntersecting: true, target: other }]);
	expect(then).toHaveBeenCalledOnce();
	expect(observed.size).toBe(0);
});

/** The event of a key, pressed where the page says. */
function pressed(within: string, init: KeyboardEventInit = {}): KeyboardEvent {
	document.body.innerHTML = within;
	const target = document.querySelector('.here') ?? document.body;
	const event = new KeyboardEvent('keydown', { key: 'a', bubbles: true, ...init });
	target.dispatchEvent(event);
	return event;
}

beforeEach(() => (document.body.innerHTML = ''));

// "a" approves: it must never do so while somebody writes a reason with an a in it.
test.each([
	['in a field', '<textarea class="here"></textarea>', {}],
	['in an editor', '<div contenteditable="true"><span class="here"></span></div>', {}],
	['in a choice', '<select class="here"></select>', {}],
	['under a dialog', '<dialog open></dialog><p class="here"></p>', {}],
	['with a key held', '<p class="here"></p>', { ctrlKey: true }]
])('a key %s is not for the view', (_, within, init) => {
	expect(busyElsewhere(pressed(within, init))).toBe(true);
});

test('a key anywhere else is', () => {
	expect(busyElsewhere(pressed('<a class="here">row</a>'))).toBe(false);
	expect(busyElsewhere(pressed('<dialog></dialog><p class="here"></p>', { shiftKey: true }))).toBe(false);
});
