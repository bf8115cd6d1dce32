import { expect, test } from 'vitest';
import { parse } from 'yaml';
import { windowIn, withFreeze } from './freeze';

const SOURCE = `format: dogana.policy/1
rules:
- id: storm-watch
  kind: freeze
  windows:
  - {name: the storm, from: '2026-11-24T20:00:00', until: '2026-11-25T06:00:00'}
`;
const TONIGHT = { name: 'the concert', from: '2026-11-23T20:00', until: '2026-11-24T06:00' };

test('a drawn freeze gets a rule of its own, a second one joins it', () => {
	const once = withFreeze(SOURCE, TONIGHT, 'Europe/Rome');
	const twice = parse(withFreeze(once, { ...TONIGHT, name: 'the match' }, 'Europe/Rome'));
	expect(twice.rules).toHaveLength(2);
	expect(twice.rules[1]).toMatchObject({ id: 'closed-by-hand', zone: 'Europe/Rome' });
	expect(twice.rules[1].windows.map((one: { name: string }) => one.name)).toEqual(['the concert', 'the match']);
	expect(twice.rules[1].windows[0].from).toBe('2026-11-23T20:00:00');
});

test('a window that is moved stays in its rule', () => {
	const moved = parse(withFreeze(SOURCE, { name: 'the storm', from: '2026-11-24T21:00', until: '2026-11-25T08:00' }, 'Europe/Rome', { rule: 'storm-watch', name: 'the storm', from: '2026-11-24T20:00', until: '2026-11-25T06:00' }));
	expect(moved.rules).toHaveLength(1);
	expect(moved.rules[0].windows).toEqual([{ name: 'the storm', from: '2026-11-24T21:00:00', until: '2026-11-25T08:00:00' }]);
});

const BILLING = `rules:
- id: billing
  kind: freeze
  windows:
  - {name: the billing run, every: FREQ=MONTHLY, starting: '2020-01-01T00:00:00', lasting: P1D}
`;
const DECEMBER = { rule: 'billing', name: 'the billing run', from: '2026-12-01T00:00', until: '2026-12-03T00:00' };

test('of a recurring one, one occurrence goes elsewhere or all of them do', () => {
	const drawn = { name: 'the billing run', from: '2026-12-01T06:00', until: '2026-12-01T18:00' };
	const one = parse(withFreeze(BILLING, drawn, 'Europe/Rome', DECEMBER)).rules;
	expect(one[0].windows[0].except).toEqual(['2026-12-01', '2026-12-02']);
	expect(one[1].windows[0].from).toBe('2026-12-01T06:00:00');
	const all = parse(withFreeze(BILLING, drawn, 'Europe/Rome', DECEMBER, true)).rules;
	expect(all).toHaveLength(1);
	expect(all[0].windows[0]).toMatchObject({ every: 'FREQ=MONTHLY', starting: '2020-01-01T06:00:00', lasting: 'PT720M' });
});

test('what a shared calendar closes does not stand in the policy', () => {
	expect(windowIn(BILLING, DECEMBER)).toBe('again');
	expect(windowIn(BILLING, { ...DECEMBER, name: 'a holiday' })).toBeNull();
});
