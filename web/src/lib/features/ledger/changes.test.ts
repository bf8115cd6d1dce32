import { describe, expect, it } from 'vitest';
import { changes } from './changes';

describe('what a setting was and is', () => {
	it('says field by field what was and what is to be, and nothing of what stays', () => {
		const before = { name: 'Ilse', roles: ['approver'], groups: ['security'], other_emails: [], machine: false };
		const after = { name: 'Ilse', roles: ['administrator', 'approver'], groups: [], other_emails: ['i@x.example'], machine: false };
		expect(changes({ old: before, new: after })).toEqual([
			{ field: 'Roles', was: 'approver', is: 'administrator and approver' },
			{ field: 'Groups', was: 'security', is: 'nothing' },
			{ field: 'Other addresses', was: 'nothing', is: 'i@x.example' }
		]);
	});

	it('says of something new what it is to be, and leaves out what is empty', () => {
		const told = changes({ old: null, new: { name: 'Zoe', roles: ['auditor'], groups: [], machine: false } });
		expect(told.map((one) => [one.field, one.is])).toEqual([
			['Name', 'Zoe'],
			['Roles', 'auditor']
		]);
	});

	it('says names of groups as people do, and leaves addresses as they are', () => {
		const told = changes({ old: { groups: [], other_emails: [] }, new: { groups: ['release-desk'], other_emails: ['i-b@x.example'] } });
		expect(told.map((one) => one.is)).toEqual(['release desk', 'i-b@x.example']);
	});

	it('goes into settings, and names the legs of a route', () => {
		const told = changes({ old: { title: 'T', settings: { address: 'a', seconds: 3 } }, new: { title: 'T', settings: { address: 'b', seconds: 3 } } });
		expect(told).toEqual([{ field: 'Address', was: 'a', is: 'b' }]);
		expect(changes({ old: null, new: { legs: [['bench'], ['north', 'south']] } })[0]?.is).toBe('bench → north and south');
	});

	it('tells apart what has the same name within, and calls a source’s settings as its form does', () => {
		const read = { kind: 'address', address: 'http://fleet/v' };
		const told = changes({ old: { address: 'http://fleet/open', version_from: read }, new: { address: 'http://fleet/open' } });
		expect(told.map((one) => [one.field, one.was, one.is])).toEqual([
			['What runs is read', 'address', 'nothing'],
			['What runs is read at', 'http://fleet/v', 'nothing']
		]);
		const slower = changes({ kind: 'source', old: { settings: { seconds: 3 } }, new: { settings: { seconds: 9 } } });
		expect(slower).toEqual([{ field: 'Time limit, seconds', was: '3', is: '9' }]);
	});

	// Two lines of one name ended the whole ledger, in which the entry was one of fifty.
	it('calls no two fields the same, whatever stands within', () => {
		const made = { title: 'Previews', departs: 'never', template: { departs: 'at once', lasts: 'P3D' } };
		expect(changes({ old: null, new: made }).map((one) => one.field)).toEqual(['Title', 'Departs', 'Its previews depart', 'Its previews last']);
		const told = changes({ old: null, new: { title: 'T', projects: { title: 'a', kind: 'b' }, links: { title: 'c' } } });
		expect(told.map((one) => one.field)).toEqual(['Title', 'Title (projects)', 'Kind', 'Title (links)']);
	});

	it('tells an address that stands alone', () => {
		expect(changes({ old: 'ilse@x.example', new: 'i@x.example' })).toEqual([{ field: 'Mail address', was: 'ilse@x.example', is: 'i@x.example' }]);
	});

	it('tells the closed times of a calendar by name and time, and counts what is too many to name', () => {
		const storm = (from: string) => ({ name: 'storm', from });
		const told = changes({ old: { windows: [storm('2026-03-01T08:00')] }, new: { windows: [storm('2026-03-02T08:00')] } });
		expect(told).toEqual([{ field: 'Windows', was: 'storm 2026-03-01 08:00', is: 'storm 2026-03-02 08:00' }]);
		const many = changes({ old: { windows: [] }, new: { windows: Array.from({ length: 9 }, () => storm('2026-03-01T08:00')) } });
		expect(many[0]?.is.endsWith('and 3 more')).toBe(true);
	});
});
