// What stands on many screens, and how things are counted and listed.
import { LOCALE } from '$lib/time/time';

export const common = {
	keys: 'Keys',
	backToTheDesk: 'Back to the Desk',
	close: 'Close',
	showEverything: 'Show everything',
	reason: 'Reason',
	name: 'Name',
	cancel: 'Cancel',
	leaveIt: 'Cancel',
	approve: 'Approve',
	keepAsADraft: 'Save as a draft',
	no: 'no',
	yes: 'yes',
	from: 'From',
	until: 'Until',
	exportIt: 'Export',
	administratorsOnly: 'Administrators change these.',
	service: 'Service',
	title: 'Title',
	titleHint: 'What sentences call it.',
	route: 'Route',
	keepIt: 'Save',
	environment: 'Environment',
	zone: 'Zone',
	nameHint: 'Small letters, figures and hyphens.',
	groups: 'Groups',
	takeItAway: 'Delete',
	typedBack: 'What you had typed is back. It is not kept yet.'
};

/** `1 commit`, `2 commits`. */
export function counted(count: number, one: string, many = `${one}s`): string {
	return `${count} ${count === 1 ? one : many}`;
}

/** `north, south and west`. */
export function listed(names: string[]): string {
	return new Intl.ListFormat(LOCALE).format(names);
}
