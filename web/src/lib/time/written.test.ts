import { describe, expect, it } from 'vitest';
import { read, written } from './written';

const ROME = 'Europe/Rome';
const NOW = Date.parse('2026-11-27T13:00:00Z');
const at = (text: string, zone = ROME) => {
	const found = read(text, zone, NOW);
	return typeof found === 'number' ? new Date(found).toISOString().slice(0, 16) : found;
};

describe('an instant as it is written', () => {
	it('is read in the zone, with or without what it can do without', () => {
		for (const text of ['Fri 27 Nov 20:00', '27 Nov 20:00', '27 november 20.00', ' Fri, 27 Nov 2026 20:00 ', '20:00']) {
			expect([text, at(text)]).toEqual([text, '2026-11-27T19:00']);
		}
		expect(at('27 Nov 20:00', 'Asia/Tokyo')).toBe('2026-11-27T11:00');
	});

	it('is of the year that is nearest, and of the one that stands there', () => {
		expect([at('3 Jan 07:00'), at('1 Aug 07:00'), at('3 Jan 2026 07:00')]).toEqual(['2027-01-03T06:00', '2026-08-01T05:00', '2026-01-03T06:00']);
	});

	it('says what is wrong with it, and guesses nothing', () => {
		expect(['soon', '27/11 20:00', '27 Nov', 'Fri 20:00', '27 Nox 20:00', ''].map((text) => at(text))).toEqual(Array(6).fill('form'));
		expect(['30 Feb 10:00', '31 Nov 10:00', '27 Nov 24:00', '27 Nov 20:61', '0 Nov 10:00'].map((text) => at(text))).toEqual(Array(5).fill('date'));
		expect([at('Thu 27 Nov 20:00'), at('Sun 28 Mar 02:30')]).toEqual(['weekday', 'skipped']);
	});

	it('takes the first of two, and a leap day where there is one', () => {
		expect([at('25 Oct 02:30'), at('29 Feb 2028 12:00'), at('29 Feb 2027 12:00')]).toEqual(['2026-10-25T00:30', '2028-02-29T11:00', 'date']);
	});

	it('is written so that it is read as the same instant', () => {
		for (const zone of [ROME, 'America/Santiago', 'Asia/Kathmandu', 'Pacific/Apia']) {
			for (let days = -900; days < 900; days += 13) {
				const one = NOW + days * 86_400_000 + 17 * 60_000 * (days % 50);
				expect(read(written(one, zone, NOW), zone, NOW)).toBe(one);
			}
		}
		expect([written(NOW + 12_345, ROME, NOW + 12_345), written(NOW + 300 * 86_400_000, ROME, NOW)]).toEqual(['Fri 27 Nov 14:00', 'Thu 23 Sept 2027 15:00']);
	});
});
