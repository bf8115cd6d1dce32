// What names a thing of ours, and how words are formed; the wording of each view stands beside this.
import type { Row } from '$lib/api/client';

export type Group = Row['waits_for'] | 'asked';

export const GROUPS: { id: Group; title: string; empty?: string }[] = [
	{ id: 'you', title: 'Waits for you', empty: 'No promotion waits for you.' },
	{ id: 'halted', title: 'Halted: to be taken back, or accepted' },
	{ id: 'nothing', title: 'Ready to depart' },
	{ id: 'moving', title: 'On its way in' },
	{ id: 'asked', title: 'You asked for' },
	{ id: 'others', title: 'Waits for others' },
	{ id: 'facts', title: 'A fact must change first' },
	{ id: 'time', title: 'Only time is missing' },
	{ id: 'ended', title: 'Ended within the hour' }
];

export const TEXTURES = [
	{ id: 'open', label: 'open' },
	{ id: 'freeze', label: 'freeze' },
	{ id: 'hours', label: 'outside hours' },
	{ id: 'soak', label: 'soak, notice, pace' }
] as const;

/** What a promotion's stamp says. */
export function stampOf(row: Pick<Row, 'state' | 'verdict'>): string {
	return row.state === 'waiting' ? row.verdict : row.state;
}

export function initials(name: string): string {
	const words = name.split(' ');
	return ((words[0]?.[0] ?? '') + (words.length > 1 ? (words.at(-1)?.[0] ?? '') : '')).toUpperCase();
}

/** For a sentence that goes on: its first letter small, unless it begins with a name in capitals. */
export function lowerFirst(text: string): string {
	return /^[A-Z][a-z]* [a-z]/.test(text) || /^[A-Z] [a-z]/.test(text) ? text.charAt(0).toLowerCase() + text.slice(1) : text;
}

/** What stands in a field that takes several, with blanks or commas between them. */
export function wordsOf(text: string): string[] {
	return text.split(/[\s,]+/).filter(Boolean);
}

/** A figure and its unit do not part at the end of a line. */
export function unparted(text: string): string {
	return text.replace(/(\d) (?=(?:%|s|h|d|min|days?|weeks?|[kMG]B)(?!\w))/g, '$1\u00a0');
}

export function capital(text: string): string {
	return text.charAt(0).toUpperCase() + text.slice(1);
}

export function bytes(size: number): string {
	if (size < 1000) return `${size} B`;
	if (size < 1_000_000) return `${(size / 1000).toFixed(0)} kB`;
	return `${(size / 1_000_000).toFixed(1)} MB`;
}

export const VIEWS = [
	{ path: '/desk', name: 'Desk', key: 'd' },
	{ path: '/policies', name: 'Policies', key: 'p' },
	{ path: '/calendar', name: 'Calendar', key: 'c' },
	{ path: '/estate', name: 'Estate', key: 'e' },
	{ path: '/ledger', name: 'Ledger', key: 'l' },
	{ path: '/set-up', name: 'Set-up', key: 's' }
];

export const SHORTCUTS: { where: string; keys: [string, string][] }[] = [
	{
		where: 'Everywhere',
		keys: [
			['Ctrl+K', 'find anything and go there'],
			...VIEWS.map((view): [string, string] => [`g ${view.key}`, `go to the ${view.name}`]),
			['?', 'these keys']
		]
	},
	{
		where: 'On the Desk',
		keys: [
			['j k', 'the next promotion, the one before'],
			['Enter', 'open it beside the Desk; there a approves, r writes the reason, Esc closes it'],
			['o', 'open it whole'],
			['x', 'mark it, to approve several together'],
			['/', 'find on the Desk'],
			['t', 'the time probe; arrows move it by an hour, Page Up and Down by a day'],
			['Esc', 'close what is open beside it, or back to now']
		]
	},
	{
		where: 'In a dossier',
		keys: [
			['a', 'approve'],
			['r', 'write the reason'],
			['n', 'the next one that waits for you'],
			['u', 'back to the Desk']
		]
	}
];

export const DAYS = [
	{ id: 'MO', name: 'Mon' },
	{ id: 'TU', name: 'Tue' },
	{ id: 'WE', name: 'Wed' },
	{ id: 'TH', name: 'Thu' },
	{ id: 'FR', name: 'Fri' },
	{ id: 'SA', name: 'Sat' },
	{ id: 'SU', name: 'Sun' }
] as const;

export const ROLES = ['approver', 'policy owner', 'requester', 'auditor', 'administrator'] as const;
