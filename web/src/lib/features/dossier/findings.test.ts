import { describe, expect, it } from 'vitest';
import type { Finding } from '$lib/api/client';
import { inOrder } from './findings';

const one = (rule: string, outcome: Finding['outcome'], advisory = false) => ({ rule, outcome, advisory }) as Finding;
const rules = (findings: Finding[]) => findings.map((finding) => finding.rule);

describe('the order of findings', () => {
	it('puts what stands in the way before what is only shown, and both before what is met', () => {
		const found = inOrder([
			one('met', 'met'),
			one('shown', 'unmet', true),
			one('elsewhere', 'not applicable'),
			one('pending', 'pending'),
			one('waived', 'waived'),
			one('shown-met', 'met', true),
			one('unmet', 'unmet'),
			one('unread', 'unknown')
		]);
		expect(rules(found.stands)).toEqual(['unmet', 'unread', 'pending']);
		expect(rules(found.others)).toEqual(['shown', 'waived', 'met', 'shown-met']);
		expect(rules(found.unconcerned)).toEqual(['elsewhere']);
	});

	it('keeps the order of the policy where outcomes are alike, and leaves none out', () => {
		const all = ['c', 'a', 'b'].map((rule) => one(rule, 'met'));
		expect(rules(inOrder(all).others)).toEqual(['c', 'a', 'b']);
	});
});
