import { describe, expect, it } from 'vitest';
import { city, HOUR, instant, span, stretch, ticks, wall, when } from './time';

const ROME = 'Europe/Rome';

describe('instants for people', () => {
	it('leaves the day out only when it is the same day in the zone shown', () => {
		const now = new Date('2026-03-10T22:30:00Z');
		expect(when(new Date('2026-03-10T22:45:00Z'), ROME, now)).toBe('23:45');
		expect(when(new Date('2026-03-10T23:15:00Z'), ROME, now)).toBe('Wed 11 Mar 00:15');
	});

	it('names a zone by its city', () => {
		expect(city('America/Port_of_Spain')).toBe('Port of Spain');
	});

	it('says how long in one unit', () => {
		expect([span(40_000), span(90 * 60_000), span(50 * HOUR)]).toEqual(['1\u00a0min', '2\u00a0h', '2\u00a0d']);
	});
});

describe('the axis', () => {
	// A day on which the clock skips an hour has one tick fewer, and midnight stays midnight.
	it('ticks by the wall clock across a change of summer time', () => {
		const start = Date.parse('2026-03-28T12:00:00Z');
		const labels = ticks(start, 48 * HOUR, 12, ROME).map((tick) => tick.label);
		expect(labels).toEqual(['Sun 29 Mar', '12:00', 'Mon 30 Mar', '12:00']);
	});

	it('clips a stretch to what is shown', () => {
		expect(stretch(-5, 50, 0, 100)).toEqual({ left: 0, width: 0.5 });
		expect(stretch(120, 150, 0, 100)).toBeNull();
		expect(stretch(-9, 0, 0, 100)).toBeNull();
	});
});

it('what a field says leads back to its instant, also around a change of the clocks', () => {
	for (const text of ['2026-11-26T09:00', '2026-10-25T01:30', '2026-10-25T03:30', '2026-03-29T03:00']) {
		const at = instant(text, 'Europe/Rome');
		expect(at).not.toBeNull();
		expect(wall(at!, 'Europe/Rome')).toBe(text);
	}
	expect(new Date(instant('2026-10-25T02:30', 'Europe/Rome')!).toISOString()).toBe('2026-10-25T00:30:00.000Z');
	expect(instant('2026-03-29T02:30', 'Europe/Rome')).toBeNull();
	expect(instant('', 'Europe/Rome')).toBeNull();
});
