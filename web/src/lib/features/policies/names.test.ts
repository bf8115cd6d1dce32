import { expect, test, vi } from 'vitest';
import { properties } from '$lib/api/json-schema';

const answers: Record<string, unknown> = {
	'/api/groups': [{ id: 'release-desk', name: 'release desk' }],
	'/api/people': [{ id: 'ilse', name: 'Ilse Brandt' }],
	'/api/calendars': { 'public-holidays': {} },
	'/api/services': { portal: { title: 'Portal' }, untitled: {} }
};
vi.mock('$lib/api/client', async (original) => ({ ...(await original<object>()), api: { GET: (path: string) => Promise.resolve({ data: answers[path] }) } }));
const { choosing, namesOfAll } = await import('./names');

const text = { type: 'string' };
const list = { type: 'array', items: { type: 'string' } };

test('settings that name something are chosen by what it is called', async () => {
	const schema = { properties: { group: text, people: list, service: text, title: text, seats: { type: 'array', items: { $ref: '#/$defs/Seat' } } }, $defs: { Seat: { properties: { group: text } } } };
	const found = Object.fromEntries(choosing(properties(schema), await namesOfAll()).map((one) => [one.name, one]));
	expect([found.group?.kind, found.group?.called]).toEqual(['choice', { 'release-desk': 'release desk' }]);
	expect([found.people?.kind, found.people?.called]).toEqual(['choices', { ilse: 'Ilse Brandt' }]);
	expect(found.service?.called).toEqual({ portal: 'Portal', untitled: 'untitled' });
	expect(found.title?.kind).toBe('text');
	expect(found.seats?.of[0]?.kind).toBe('choice');
});

// Boxes for hundreds of people would be no choice; names are typed then, as the source has them.
test('of very many, names are typed', async () => {
	answers['/api/people'] = Array.from({ length: 30 }, (_, n) => ({ id: `p${n}`, name: `Person ${n}` }));
	const [people] = choosing(properties({ properties: { people: list } }), await namesOfAll());
	expect(people?.kind).toBe('list');
});

test('where there is nothing to choose, nothing is made a choice', async () => {
	answers['/api/groups'] = [];
	const [group] = choosing(properties({ properties: { group: text } }), await namesOfAll());
	expect(group?.kind).toBe('text');
});
