// What people are told, when they choose to be, and what they answer by a link.
import type { Kind } from '$lib/api/client';

/** The kinds in the order in which they matter, those that ask for something first. */
export const KINDS: Record<Kind, string> = {
	seat: 'A seat is yours to take',
	reminder: 'It is still open',
	lapsed: 'Your approval counts no longer',
	waiver: 'A waiver waits for you',
	'sign-off': 'You are to say how it is there',
	draft: 'A policy draft waits for you',
	change: 'A change waits for you to confirm it',
	comment: 'A comment names you',
	'answer refused': 'An answer in your name was refused',
	held: 'What you asked for waits',
	cleared: 'It is cleared',
	ended: 'It was turned back, withdrawn or superseded',
	departed: 'It is on its way in',
	'moved on': 'It went a step further',
	halted: 'It stands still, or takes too long',
	landed: 'It landed',
	'rolled back': 'It was taken back',
	incident: 'An incident where you decide or yours runs',
	drift: 'Something else runs there than landed',
	closed: 'An environment that yours is to enter was closed',
	'seat taken': 'A seat you were asked for was taken by another',
	invitation: 'You are to choose a password',
	address: 'Your mail address here was changed',
	'break glass': 'Somebody signed in by a password though those are closed',
	source: 'A source cannot be read'
};

export const told = {
	list: 'What you were told',
	none: 'Nothing yet. Whatever asks for you, or becomes of what you asked for, will stand here.',
	more: 'Earlier',
	over: (why: string) => `Over: ${why}`
};

export const choosing = {
	goesTo: (address: string) => `Mail goes to ${address}.`,
	noMail: 'No mail is set up here (DOGANA_MAIL_SERVER). Everything still stands under Messages.',
	kind: 'What',
	when: 'By mail',
	everybody: 'Everybody, always',
	timings: { 'at once': 'At once', gathered: 'Gathered', never: 'Never' },
	otherwise: (timing: string) => `As is usual here: ${timing.toLowerCase()}`,
	usual: 'As is usual',
	ofGroup: 'Members of a group',
	ofGroupHint: 'who have not chosen themselves are mailed like this; of several groups the soonest counts.',
	noGroup: 'choose a group',
	forGroup: (kind: string) => `For the group: ${kind}`,
	insisted: 'Everybody is told of this here.',
	quietFrom: 'Quiet from',
	quietUntil: 'until',
	quietHint: 'Nothing is mailed then; it follows afterwards. Leave both empty to be told at any hour.',
	gatheredAt: 'Gathered mail comes at',
	gatheredHint: 'Times of working days, such as 08:30, 13:30.',
	zone: 'Time zone of these hours',
	save: 'Save',
	saved: 'Saved.'
};

export const answer = {
	title: 'Answer · Dogana',
	asks: (person: string) => `Dogana asks ${person}`,
	noLink: 'This address has no link in it. Open it from the mail, whole.',
	ends: (at: string) => `This link is good once, until ${at}.`,
	ifApproved: 'If you approve',
	cargo: 'Cargo',
	brings: (commits: number, files: number) => `${commits} ${commits === 1 ? 'commit' : 'commits'}, ${files} ${files === 1 ? 'file' : 'files'} changed`,
	notRead: (why: string) => `Not known: ${why}`,
	tickets: (keys: string[]) => `Tickets: ${keys.join(', ')}`,
	note: 'Note',
	comment: 'Comment',
	optional: 'optional; needed to turn it back',
	needed: 'needed',
	approve: 'Approve',
	turnBack: 'Turn back',
	whole: 'Open the whole dossier'
};

export const chat = {
	notSetUp: 'No chat is set up here. Whoever runs this installation sets it up.',
	you: 'You',
	linked: 'You are, in the rooms,',
	unlinked: 'You are nobody in the rooms yet: what you say there decides nothing. A code shows who you are.',
	getCode: 'Get a code',
	write: 'Write in a room:',
	until: (at: string) => `It is good once, until ${at}.`,
	end: 'End it',
	endIt: 'You are nobody in the rooms any more, and decide nothing there. End it?',
	rooms: 'Rooms',
	none: 'No room is told of anything yet.',
	toldOf: (service: string | null, environment: string | null) => `${service ?? 'every service'} into ${environment ?? 'every environment'}`,
	add: 'Add a room',
	dropIt: (title: string) => `The room ${title} is told no more. Delete it?`,
	editRoom: (title: string) => `Edit ${title}`,
	address: 'Address',
	addressHint: 'What the homeserver calls it, such as !abc:chat.example or #releases:chat.example. Invite us there first. Or an address of the web that is posted to, signed; nobody is heard there.',
	secretOnce: (title: string) => `What is posted to ${title} is signed with this, shown once:`,
	ofService: 'Service',
	every: 'every one',
	into: 'Environment',
	everyEnvironment: 'every one'
};
