// What a report comes to, and what stands out in it.
import { describe, expect, test } from 'vitest';
import type { Dossier } from '$lib/api/client';
import { groupsOf, said } from './reports';

type Report = Dossier['evidence'][number];
const report = (kind: Report['kind'], content: Report['content']): Report => ({
	name: 'r',
	kind,
	content,
	by: 'a build',
	produced_at: '2026-03-10T09:00:00Z',
	link: null
});

describe('a report in one line', () => {
	test.each([
		[report('tests', { passed: 9, failed: 0, skipped: 0 }), '9 passed, none failed'],
		[report('tests', { passed: 9, failed: 2, flaky: 1 }), '9 passed, 2 failed, 1 only passed when run again'],
		[report('scan', { critical: 0, high: 2, low: 1 }), '2 high, 1 low'],
		[report('components', { components: 1, critical: 0 }), '1 component, nothing found'],
		[report('components', { components: 2 }), '2 components, tells of no vulnerabilities'],
		[report('plan', { to_add: 1, to_change: 0, to_destroy: 2 }), '1 to add, 0 to change, 2 to destroy'],
		[report('tests', { ok: 'yes' }), 'ok yes'],
		[report('plan', {}), 'does not say what came of it'],
		[{ ...report('tests', { passed: 9, failed: 0 }), unknown: 'it was cut' }, 'cannot be relied on; it says: 9 passed, none failed'],
		[report('attestation', { built_by: 'a', nested: {} }), 'built by a']
	])('%#', (one, words) => expect(said(one)).toBe(words));
});

test('failures come with their message, and what is destroyed before what is added', () => {
	const failed = groupsOf(report('tests', { failures: [{ suite: 's', name: 'n', message: 'm', text: 't' }] }));
	expect(failed).toEqual([{ title: 'Failed', lines: [{ name: 'n', where: 's', words: 'm', text: 't' }] }]);
	const plan = groupsOf(report('plan', { add: ['a'], change: [], destroy: ['d'] }));
	expect(plan.map((group) => group.title)).toEqual(['To destroy', 'To add']);
});

test('a list that is not whole says so', () => {
	const parts = Array.from({ length: 100 }, (_, n) => ({ name: `p${n}` }));
	expect(groupsOf(report('components', { components: 512, parts })).map((one) => one.title)).toEqual(['Components: the first 100 of 512']);
	expect(groupsOf(report('components', { components: 100, parts })).map((one) => one.title)).toEqual(['Components']);
});

test('content of another shape is left alone', () => {
	expect(groupsOf(report('tests', { failures: 'no', findings: [7, null] }))[0]?.lines).toHaveLength(2);
});
