import { expect, test } from 'vitest';
import { delays } from './delays';

test('each that was stopped falls into one bar', () => {
	const bars = delays([3_540, 172_800, 777_600], 4);
	expect(bars.filter((bar) => bar.count).map((bar) => [bar.label, bar.count])).toEqual([
		['under 1 h', 1],
		['1 to 3 days', 1],
		['over 3 days', 1],
		['until somebody acts', 1]
	]);
});
