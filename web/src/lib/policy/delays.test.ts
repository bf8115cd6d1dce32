import { expect, test } from 'vitest';
import { delays, seconds } from './delays';

function turned(turn: string, delay: string | null) {
	return { number: 1, at: '2026-11-23T09:00:00Z', turn, badly: false, because: '', delay };
}

test('durations are read', () => {
	expect(seconds('PT1H30M')).toBe(5400);
	expect(seconds('P1DT0.5S')).toBe(86_400.5);
});

test('each that was held falls into one bar, and those cleared into none', () => {
	const bars = delays([
		turned('newly held', 'PT59M'),
		turned('newly held', 'P2D'),
		turned('newly held', 'P9D'),
		turned('newly barred', null),
		turned('newly cleared', null)
	]);
	expect(bars.filter((bar) => bar.count).map((bar) => [bar.label, bar.count])).toEqual([
		['under 1 h', 1],
		['1 to 3 days', 1],
		['over 3 days', 1],
		['until somebody acts', 1]
	]);
});
