import { expect, test } from 'vitest';
import { parse } from 'yaml';
import { withFreeze } from './freeze';

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
	const moved = parse(withFreeze(SOURCE, { name: 'the storm', from: '2026-11-24T21:00', until: '2026-11-25T08:00' }, 'Europe/Rome', { rule: 'storm-watch', name: 'the storm', from: '2026-11-24T20:00' }));
	expect(moved.rules).toHaveLength(1);
	expect(moved.rules[0].windows).toEqual([{ name: 'the storm', from: '2026-11-24T21:00:00', until: '2026-11-25T08:00:00' }]);
});
