// The estate: what runs where, and what became of it.
import { counted, listed } from './common';

export const estate = {
	title: 'Estate · Dogana',
	name: 'Estate',
	now: 'what runs where now',
	then: (at: string) => `what ran where ${at}`,
	spans: 'Which instant',
	ago: [
		{ id: '', label: 'now', ms: 0 },
		{ id: 'day', label: 'a day ago', ms: 86_400_000 },
		{ id: 'week', label: 'a week ago', ms: 7 * 86_400_000 },
		{ id: 'month', label: 'four weeks ago', ms: 28 * 86_400_000 }
	],
	at: 'As it was',
	since: 'What changed since',
	find: 'Service',
	group: 'Whose',
	anyGroup: 'anybody’s',
	services: 'Services',
	nothing: 'nothing',
	ranFor: (for_: string) => `for ${for_}`,
	letIn: (people: string[]) => (people.length ? `let in by ${listed(people)}` : 'let in by the rules alone'),
	behind: (count: number, for_: string) => `${counted(count, 'release')} behind, ${for_}`,
	back: 'went back',
	arriving: { waiting: 'waits', cleared: 'cleared', moving: 'moves', halted: 'halted' } as Record<string, string>,
	incidents: (count: number) => counted(count, 'incident'),
	unconfirmed: 'not confirmed',
	overdue: 'overdue',
	none: 'Nothing has landed anywhere yet. What lands stands here from then on.',
	noService: 'No services are set up yet.',
	setUp: 'Set up services',
	noneFits: 'No service fits.',
	before: (at: string) => `The first landing on record was ${at}; what ran before that is not known.`,
	more: (count: number) => `Show ${count} more`,
	reading: 'Reading…',
	past: 'Of the past it is not told what waited, went wrong or was confirmed.'
};

export const changed = {
	heading: (since: string, until: string) => `From ${since} until ${until}`,
	now: 'now',
	otherwise: 'What runs otherwise',
	happened: 'What happened',
	before: (version: string | null) => version ?? 'nothing',
	landed: 'landed',
	back: 'went back',
	takenBack: 'rolled back',
	same: 'The same runs everywhere.',
	notWhole: 'Only the last five hundred are shown.',
	leave: 'Close'
};
