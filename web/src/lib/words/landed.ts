// What comes after a landing: who says how it is, what goes wrong, the way back.
import { counted } from './common';

export const signOff = {
	heading: 'How it is there',
	yours: 'Landed: you say how it is',
	others: 'Landed, not signed off yet',
	stamps: { asked: 'landed', confirmed: 'confirmed', issues: 'issues', 'to come': 'to come' } as Record<string, string>,
	overdue: 'overdue',
	what: 'What you saw',
	whatHint: '(needed to close it with issues)',
	ticket: 'Ticket',
	confirm: 'It is well',
	confirmHint: 'Its soak counts from now where the next policy says so.',
	othersConfirm: 'Somebody else confirms that it is well: you asked for it, or may have written part of it.',
	issues: 'Close with issues',
	issuesHint: 'Its soak ends, and it is not offered to go back to any more.',
	say: 'Say how it is'
};

export const incidents = {
	desk: 'Incidents',
	stamp: (over: boolean) => (over ? 'over' : 'incident'),
	of: (service: string, place: string) => `${service} in ${place}`,
	after: 'It came after',
	more: 'Notes and what to do',
	atIt: 'I am at it',
	note: 'Note',
	write: 'Write it',
	close: 'Close it',
	closeHint: 'A note says how it ended.',
	othersClose: 'Somebody else closes it: you asked for what it came after, or wrote part of it.',
	goBack: 'Go back to what ran before…',
	shut: (place: string) => `Close ${place}…`,
	report: 'Something goes wrong…',
	reportHint: 'It restarts the soak, stops what goes in there as its plan says, and stands on the Desk until somebody closes it.',
	what: 'What goes wrong',
	open: 'Report an incident',
	notes: 'Notes',
	earlier: (count: number) => `Show ${counted(count, 'earlier note')}`
};

export const drifts = {
	desk: 'Something else runs than landed',
	stamp: 'drift',
	since: (at: string) => `Seen since ${at}. The history of that place says what landed, and who let it in.`
};

export const goingBack = {
	heading: (place: string) => `What has landed in ${place}`,
	about: 'Choose what to go back to.',
	only: 'Nothing else has landed there yet.',
	runs: 'runs now',
	not: 'not good',
	takes: (version: string) => `Going back to ${version}`,
	commits: (count: number) => `${counted(count, 'commit')} would not be there any more`,
	more: (count: number) => `and ${counted(count, 'further commit')}`,
	tickets: 'What they were for',
	findings: (count: number) => (count ? `${counted(count, 'finding')} would come back` : 'No finding that is known would come back'),
	unknown: 'Not all is known',
	reading: 'Reading what would come back…'
};
