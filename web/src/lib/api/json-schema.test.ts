// Forms from schemas: nothing typed is lost or guessed at.
import { expect, test } from 'vitest';
import { choosing } from '$lib/features/policies/names';
import { properties, sent, shown } from './json-schema';

const SCHEMA = {
	required: ['address'],
	properties: {
		header: { type: 'string', default: 'Authorization' },
		closed: { type: 'array', items: { type: 'string' }, default: ['done', 'shut'] },
		seconds: { anyOf: [{ type: 'integer' }, { type: 'number' }], default: 3 },
		link: { anyOf: [{ type: 'string' }, { type: 'null' }], default: null, description: 'Where.' },
		prefer: { type: 'boolean', default: false },
		address: { type: 'string' }
	}
};

test('fields in an order for people: the address first, limits last', () => {
	const fields = properties(SCHEMA);
	expect(fields.map((one) => one.name)).toEqual(['address', 'closed', 'link', 'prefer', 'header', 'seconds']);
	expect(fields.map((one) => one.kind)).toEqual(['text', 'list', 'text', 'yes', 'text', 'number']);
	expect(fields[1]?.initial).toBe('done, shut');
});

test('what was typed is sent as values, what was left empty is left out', () => {
	const typed = { address: ' http://t ', closed: 'done, ,shut', seconds: '2.5', link: '', prefer: 'true' };
	expect(sent(properties(SCHEMA), typed)).toEqual({ address: 'http://t', closed: ['done', 'shut'], seconds: 2.5, prefer: true });
});

test('times are typed as people write them', () => {
	const fields = properties({ properties: { every: { type: 'string', format: 'duration', default: 'PT15S' } } });
	expect(fields[0]?.initial).toBe('15 s');
	for (const [typed, iso] of [['2 min', 'PT2M'], ['1 h', 'PT1H'], ['3 days', 'P3D'], ['1 day', 'P1D'], ['1 day 12 h', 'P1DT12H'], ['2 h 5 min', 'PT2H5M'], ['soon', 'soon'], ['PT9M', 'PT9M']]) {
		expect(sent(fields, { every: typed! })).toEqual({ every: iso });
	}
	expect(['PT1H', 'P3D', 'P1DT2H', 'P1W', 'P1.5D'].map(shown)).toEqual(['1 h', '3 days', '1 day 2 h', 'P1W', 'P1.5D']);
});

test('choices, rows and groups come from references, and are called what people call them', () => {
	const schema = {
		$defs: { Span: { required: ['days'], properties: { days: { type: 'array', items: { enum: ['MO', 'TU'] } }, group: { type: 'string' } } } },
		properties: { open: { type: 'array', items: { $ref: '#/$defs/Span' } }, set: { anyOf: [{ $ref: '#/$defs/Span' }, { type: 'null' }] }, which: { enum: ['all', 'any'] } }
	};
	const [open, set, which] = choosing(properties(schema, { which: 'Of these' }), { group: { desk: 'the release desk' } });
	expect([open?.kind, set?.kind, which?.kind, which?.label]).toEqual(['rows', 'group', 'choice', 'Of these']);
	expect(open?.of.map((one) => [one.name, one.kind, one.choices])).toEqual([['days', 'choices', ['MO', 'TU']], ['group', 'choice', ['desk']]]);
	expect(set?.of[1]?.called).toEqual({ desk: 'the release desk' });
});

test('a number that is none is sent as it was typed, for the server to refuse', () => {
	expect(sent(properties(SCHEMA), { seconds: 'soon', prefer: '' }).seconds).toBe('soon');
	expect(shown(['a', 'b'])).toBe('a, b');
});
