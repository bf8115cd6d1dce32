import { expect, test } from 'vitest';
import { keysFor, kindAt, placeOf, placeOfRule, rulesOf, written } from './places';

const SOURCE = `format: dogana.policy/1
title: Live
rules:
- id: seats
  kind: reviewers
  seats:
  - group: security
- id: night
  kind: freeze
  windows: []
`;

test('a pointer leads to its value, and to what is around it when it is missing', () => {
	const group = placeOf(SOURCE, '/rules/0/seats/0/group');
	expect(SOURCE.slice(group.from, group.to)).toBe('security');
	const missing = placeOf(SOURCE, '/rules/1/zone');
	expect(SOURCE.slice(missing.from, missing.to)).toContain('id: night');
	expect(placeOf(SOURCE, '').from).toBe(0);
});

test('one value is written and the rest stays as it is', () => {
	const more = written(SOURCE.replace('id: night', 'id: night # of the month'), ['rules', 0, 'seats', 1], { group: 'desk', count: 2 });
	expect(more).toContain('- group: security\n  - group: desk\n    count: 2');
	expect(more).toContain('id: night # of the month');
	const less = written(more, ['rules', 0, 'seats', 0], undefined);
	expect(rulesOf(less)[0]).toEqual({ id: 'seats', kind: 'reviewers', seats: [{ group: 'desk', count: 2 }] });
	expect(rulesOf('rules: none')).toEqual([]);
});

test('a rule is found by its name, and a place by the rule it is in', () => {
	const night = placeOfRule(SOURCE, 'night');
	expect(SOURCE.slice(night!.from, night!.to)).toMatch(/^id: night/);
	expect(placeOfRule(SOURCE, 'gone')).toBeNull();
	expect(kindAt(SOURCE, SOURCE.indexOf('security'))).toBe('reviewers');
	expect(kindAt(SOURCE, 3)).toBeNull();
});

test('the keys of a kind come from the schema', () => {
	const schema = {
		properties: { title: {}, rules: { items: { discriminator: { mapping: { freeze: '#/$defs/Freeze' } } } } },
		$defs: { Freeze: { properties: { windows: { description: 'The closed times.' } } } }
	};
	expect(keysFor(schema, 'freeze')).toEqual([{ key: 'windows', says: 'The closed times.' }]);
	expect(keysFor(schema, null).map((one) => one.key)).toEqual(['title', 'rules']);
});
