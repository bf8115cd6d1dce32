import { describe, expect, it } from 'vitest';
import { unparted } from '.';

describe('a figure and its unit', () => {
	it('stay together', () => {
		expect(unparted('Has run for 2 days 4 h; 20 h and 10 % asked, 3 min late')).toBe('Has run for 2\u00a0days 4\u00a0h; 20\u00a0h and 10\u00a0% asked, 3\u00a0min late');
	});

	it('and no other word is tied to a figure', () => {
		for (const said of ['version 2 has', '4 seats', '3 monitors', 'Tue 1 Dec', '5 hosts', '1 data store']) expect(unparted(said)).toBe(said);
	});
});
