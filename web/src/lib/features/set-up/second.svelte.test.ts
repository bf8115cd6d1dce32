import { describe, expect, it, vi } from 'vitest';
import type { Schemas } from '$lib/api/client';
import { oneAlone, Outcome } from './second.svelte';

const person = (more: Partial<Schemas['PersonView']>): Schemas['PersonView'] => ({
	id: 'dario',
	name: 'Dario Conti',
	email: 'dario@corvale.example',
	other_emails: [],
	roles: ['administrator'],
	groups: [],
	machine: false,
	can_sign_in: true,
	disabled_at: null,
	...more
});

describe('what came of a change', () => {
	it('is that it waits, that nobody could confirm it, or an address to hand over', () => {
		vi.stubGlobal('location', { origin: 'https://d.example' });
		const outcome = new Outcome();
		outcome.take({ waits: 3, alone: false, invitation: null, mailed: false });
		expect([outcome.says.includes('Somebody else'), outcome.opens]).toEqual([true, '']);
		outcome.take({ waits: null, alone: true, invitation: 'secret', mailed: false });
		expect([outcome.says.includes('on record'), outcome.opens]).toEqual([true, 'https://d.example/welcome#secret']);
		outcome.take({ waits: null, alone: false, invitation: null, mailed: false });
		expect([outcome.says, outcome.opens]).toEqual(['', '']);
		outcome.take({ waits: null, alone: true, invitation: null, mailed: true });
		expect([outcome.says.includes('on record'), outcome.says.includes('are mailed'), outcome.opens]).toEqual([true, true, '']);
	});
});

describe('one alone', () => {
	it('is whoever could set up people and has nobody to confirm it', () => {
		expect(oneAlone([person({})])).toBe(true);
		expect(oneAlone([person({}), person({ id: 'marco', roles: ['policy owner'] })])).toBe(false);
		expect(oneAlone([person({}), person({ id: 'marco', roles: ['policy owner'], can_sign_in: false })])).toBe(true);
		expect(oneAlone([person({}), person({ id: 'ilse', roles: ['approver'] })])).toBe(true);
	});
});
