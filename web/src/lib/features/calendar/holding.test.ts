import { expect, test } from 'vitest';
import { HOUR } from '$lib/time/time';
import { drag, take } from './holding';

const NEAR = HOUR / 4;
const freeze = { start: '2026-11-27T20:00:00Z', end: '2026-11-28T06:00:00Z' };
const at = (text: string) => Date.parse(text);
const told = (found: [number, number] | null) => found?.map((one) => new Date(one).toISOString().slice(0, 16));

test('on bare paper a freeze is drawn, either way, in half hours', () => {
	const held = take(at('2026-11-27T10:07:00Z'), NEAR, [freeze]);
	expect(drag(held, at('2026-11-27T10:12:00Z'))).toBeNull();
	expect(told(drag(held, at('2026-11-27T12:20:00Z')))).toEqual(['2026-11-27T10:00', '2026-11-27T12:30']);
	expect(told(drag(held, at('2026-11-27T08:00:00Z')))).toEqual(['2026-11-27T08:00', '2026-11-27T10:00']);
});

test('by its middle it is moved whole, by an edge it is stretched, also past the other', () => {
	const middle = take(at('2026-11-28T00:00:00Z'), NEAR, [freeze]);
	expect(told(drag(middle, at('2026-11-28T03:00:00Z')))).toEqual(['2026-11-27T23:00', '2026-11-28T09:00']);
	const end = take(at('2026-11-28T06:10:00Z'), NEAR, [freeze]);
	expect([end.closing, told(drag(end, at('2026-11-28T08:00:00Z')))]).toEqual([freeze, ['2026-11-27T20:00', '2026-11-28T08:00']]);
	const start = take(at('2026-11-27T19:50:00Z'), NEAR, [freeze]);
	expect(told(drag(start, at('2026-11-28T09:00:00Z')))).toEqual(['2026-11-28T06:00', '2026-11-28T09:00']);
});
