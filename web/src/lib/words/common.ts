// What stands on many screens, and how things are counted and listed.
import { city, LOCALE } from '$lib/time/time';
import { read, written, type Unreadable } from '$lib/time/written';

export const common = {
	keys: 'Keys',
	backToTheDesk: 'Back to the Desk',
	close: 'Close',
	edit: 'Edit',
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
	save: 'Save',
	takeItAway: 'Delete',
	typedBack: 'What you had typed is back. It is not saved yet.'
};

/** `1 commit`, `2 commits`. */
export function counted(count: number, one: string, many = `${one}s`): string {
	return `${count} ${count === 1 ? one : many}`;
}

/** `north, south and west`. */
export function listed(names: string[]): string {
	return new Intl.ListFormat(LOCALE).format(names);
}

export const instants = {
	keys: 'Arrow keys move it by an hour, with Shift by a day.',
	wrong: {
		form: (example: string) => `Write it like ${example}.`,
		date: () => 'There is no such date or time.',
		weekday: () => 'That date is another day of the week.',
		skipped: (_: string, zone: string) => `The clock in ${city(zone)} skips that time.`
	} satisfies Record<Unreadable, (example: string, zone: string) => string>
};

/** What is wrong with an instant as it is written; an empty text for nothing. */
export function unreadable(text: string, zone: string, now: number): string {
	const found = read(text, zone, now);
	return typeof found === 'number' ? '' : instants.wrong[found](written(now, zone, now), zone);
}
