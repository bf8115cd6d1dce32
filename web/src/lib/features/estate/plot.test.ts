// What is drawn of a monitor, and which of what happened the pointer tells.
import { describe, expect, it } from 'vitest';
import { nearest, spanOf, type Line, type Occurrence } from './charts.svelte';
import { range, series } from './plot.svelte';
import { addressOf } from '$lib/state/places';

const line = (more: Partial<Line> = {}): Line => ({ name: 'lag', at: [10, 20], mean: [3, 4], low: [2, 3], high: [4, 6], at_most: null, at_least: null, unknown: null, ...more });
const happened = (at: string, says = at): Occurrence => ({ kind: 'landing', at, until: null, says, promotion: 1, service: null, version: null });

describe('the range of a chart', () => {
	it('holds the highest and the lowest, not only the means', () => {
		const [low, high] = range(line());
		expect(low).toBeLessThanOrEqual(2);
		expect(high).toBeGreaterThanOrEqual(6);
	});
	it('holds a limit that is near, and is not flattened by one that is far', () => {
		expect(range(line({ at_most: 9 }))[1]).toBeGreaterThanOrEqual(9);
		expect(range(line({ at_most: 900 }))[1]).toBeLessThan(20);
		expect(range(line({ at_least: 1 }))[0]).toBeLessThanOrEqual(1);
	});
	it('never goes below nothing for what never does, and is a range for what never moves', () => {
		expect(range(line({ low: [0.01, 0.02], high: [0.03, 0.04] }))[0]).toBeGreaterThanOrEqual(0);
		for (const still of [0, 5, -5]) {
			const [low, high] = range(line({ low: [still], high: [still] }));
			expect(high).toBeGreaterThan(low);
		}
		expect(range(line({ at: [], mean: [], low: [], high: [] }))).toEqual([0, 1]);
	});
	it('draws a limit as long as the line, and none where there is none', () => {
		expect(series(line({ at_most: 6 })).slice(4)).toEqual([
			[6, 6],
			[null, null]
		]);
	});
});

describe('what happened', () => {
	const some = [happened('2026-11-28T10:00:00Z'), happened('2026-11-28T12:00:00Z')];
	it('is told where the pointer is near it, the nearer of two', () => {
		expect(nearest(some, Date.parse('2026-11-28T11:20:00Z'), 3_600_000)?.at).toBe('2026-11-28T12:00:00Z');
		expect(nearest(some, Date.parse('2026-11-28T14:00:00Z'), 3_600_000)).toBeNull();
		expect(nearest([], 0, 3_600_000)).toBeNull();
	});
	it('is read for a week unless another span is asked for', () => {
		expect(spanOf('month').hours).toBe(672);
		for (const odd of [null, '', 'constructor']) expect(spanOf(odd).id).toBe('week');
	});
});

it('puts a service and a version into an address and nothing beyond their places', () => {
	expect(addressOf('https://x/{service}?v={version}&s={service}', 'a/b', '1 &x')).toBe('https://x/a%2Fb?v=1%20%26x&s=a%2Fb');
});
