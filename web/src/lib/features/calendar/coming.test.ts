import { expect, test } from 'vitest';
import type { Timeline } from '$lib/api/client';
import { coming } from './coming';

const AT = (text: string) => Date.parse(`2026-11-${text}:00Z`);

function lane(name: string, closings: [string, string, string, string?][], starts: [string, string][] = []): Timeline['lanes'][number] {
	return {
		environment: { id: name, name, zone: 'Europe/Rome' },
		closings: closings.map(([what, start, end, texture]) => ({ rule: 'r', texture: texture ?? 'freeze', name: what, start: `2026-11-${start}:00Z`, end: `2026-11-${end}:00Z` })),
		starts: starts.map(([what, at], n) => ({ number: n + 1, name: what, at: `2026-11-${at}:00Z` })),
		departures_at: [],
		landings: []
	} as unknown as Timeline['lanes'][number];
}

test('what comes is in order, from now on; one freeze of two places comes once', () => {
	const north = lane('North', [['billing', '26T00:00', '28T00:00'], ['over', '23T00:00', '24T02:00'], ['night', '24T20:00', '25T06:00', 'hours']], [['Leak watch 4', '24T02:00']]);
	const south = lane('South', [['billing', '26T00:00', '28T00:00'], ['storm', '24T01:00', '25T08:00']], [['Meter 7', '24T09:00']]);
	const found = coming([north, south], AT('24T05:00'), AT('27T00:00'));
	expect(found.map((one) => [one.what, one.places.join('+'), one.at])).toEqual([
		['Leak watch 4', 'North', AT('24T05:00')],
		['storm', 'South', AT('24T05:00')],
		['Meter 7', 'South', AT('24T09:00')],
		['billing', 'North+South', AT('26T00:00')]
	]);
	expect(found.at(-1)?.until).toBe(AT('28T00:00'));
	expect(coming([north, south], AT('24T05:00'), AT('25T00:00'))).toHaveLength(3);
});
