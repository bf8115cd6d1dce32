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
	behind: (count: number, for_: string, commits: number | null) => `${counted(count, 'release')}${commits ? `, ${counted(commits, 'commit')}` : ''} behind for ${for_}`,
	commitsUnknown: (why: string) => `How many commits is not known: ${why}`,
	back: 'went back',
	arriving: { waiting: 'waits', cleared: 'cleared', moving: 'moves', halted: 'halted' } as Record<string, string>,
	incidents: (count: number) => counted(count, 'incident'),
	drift: (what: string) => `drift: ${what.replace(/^it /, '')}`,
	unseen: 'what runs is not known',
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

export const history = {
	title: (name: string) => `${name} · Estate · Dogana`,
	everything: 'Everything',
	sub: 'what landed, and how it went',
	service: 'Service',
	every: 'every service',
	everywhere: 'everywhere',
	place: 'Environment',
	landings: 'What landed',
	track: 'Closed times and policy',
	runs: 'runs',
	stamp: (one: { runs: boolean; taken_back: boolean; kind: string }) => (one.taken_back ? 'rolled back' : one.runs ? 'runs' : 'landed'),
	kinds: { rollback: 'went back', backfill: 'backfill', urgent: 'urgent' } as Record<string, string>,
	onTheAir: (ran: string, runs: boolean) => (runs ? `runs for ${ran}` : `ran for ${ran}`),
	notKept: 'what it brought was not kept',
	brought: (commits: number, tickets: number, files: number) => (commits ? `${counted(commits, 'commit')} for ${counted(tickets, 'ticket')}, ${counted(files, 'file')}` : 'no commits'),
	decided: (by: string, people: string[]) => `asked by ${by}${people.length ? `, let in by ${listed(people)}` : ', let in by the rules alone'}`,
	compare: 'Compare',
	with: (version: string) => `Compare ${version} with`,
	choose: 'another release',
	goBack: 'Roll back to it…',
	carryOn: (place: string) => `Carry on to ${place}…`,
	backfill: (place: string) => `Backfill ${place}…`,
	acts: (version: string) => `What to do with ${version}`,
	none: 'Nothing has landed here yet.',
	notGood: 'It is not offered to go back to.',
	older: 'Show older',
	reading: 'Reading…'
};

export const comparison = {
	heading: (before: string, after: string) => `From ${before} to ${after}`,
	commits: (count: number) => counted(count, 'commit'),
	lost: (count: number) => `${counted(count, 'commit')} not in it any more`,
	more: (count: number) => `and ${counted(count, 'further commit')}`,
	moreFiles: (count: number) => `and ${counted(count, 'further file')}`,
	files: (count: number) => counted(count, 'file'),
	lines: (added: number | null, removed: number | null) => (added === null || removed === null ? 'not text' : `+${added} −${removed}`),
	tickets: 'Tickets',
	new: (count: number) => (count ? `${counted(count, 'new finding')}` : 'No new findings that are known'),
	gone: (count: number) => (count ? `${counted(count, 'finding')} gone` : 'No findings gone'),
	parts: (count: number) => (count ? `${counted(count, 'component')} changed` : 'The same components, as far as they are known'),
	none: 'none',
	policy: (then: number, now: number) => (then === now ? `Policy version ${now} then and now` : `Policy version ${then} then, ${now} now`),
	samePolicy: 'It asks for the same.',
	unknown: 'Not all is known',
	reading: 'Reading what lies between them…',
	leave: 'Close'
};

export const charts = {
	heading: 'How it fares',
	spans: [
		{ id: '6h', label: '6 h', hours: 6 },
		{ id: 'day', label: 'a day', hours: 24 },
		{ id: 'week', label: 'a week', hours: 168 },
		{ id: 'month', label: '4 weeks', hours: 672 },
		{ id: 'quarter', label: '3 months', hours: 2184 }
	],
	which: 'How far back',
	choose: 'Draw',
	drawn: 'Monitors',
	own: 'of its policy',
	others: 'of other policies',
	limit: (text: string) => `limit: ${text}`,
	none: 'No policy has a monitor that can be drawn.',
	empty: 'Nothing was measured in this time.',
	unknown: (why: string) => `Not known: ${why}.`,
	reading: 'Reading what was measured…',
	hint: 'Draw over a stretch of a chart to ask what changed just before it.',
	marks: { landing: 'landed', rollback: 'went back', 'taken back': 'rolled back', step: 'next share', incident: 'incident', freeze: 'closed', closing: 'closed at once', policy: 'policy' } as Record<string, string>,
	marked: 'What happened',
	from: 'Stretch from',
	until: 'until',
	ask: 'What changed?'
};

export const suspects = {
	heading: (from: string, until: string) => `What changed in ${from} – ${until}, or just before`,
	none: 'Nothing that is on record.',
	back: 'Roll back to what ran before…',
	look: 'Look at it',
	leave: 'Close'
};

export const beside = {
	heading: 'Before and after',
	reading: 'Reading what was measured before and after…',
	none: 'No monitor is watched here.'
};

export const parts = {
	label: 'Parts of the estate',
	all: [
		{ path: '/estate', name: 'What runs' },
		{ path: '/estate/history', name: 'History' },
		{ path: '/estate/findings', name: 'Findings' },
		{ path: '/estate/incidents', name: 'Incidents' },
		{ path: '/estate/where', name: 'Where is it?' },
		{ path: '/estate/scopes', name: 'Scopes' },
		{ path: '/estate/boards', name: 'Boards' }
	]
};

export const findings = {
	title: 'Findings · Estate · Dogana',
	heading: 'Findings',
	sub: (open: number, held: number) => `${counted(open, 'finding')} in what runs${held ? `, ${held} accepted` : ''}`,
	hide: 'Hide what is accepted',
	severity: { critical: 'critical', high: 'high', unrated: 'not rated', medium: 'medium', low: 'low', info: 'note' } as Record<string, string>,
	since: (age: string) => `known for ${age}`,
	new: 'known since just now',
	mends: (version: string, place: string) => `${version} mends it in ${place}`,
	nothingMends: 'Nothing that waits mends it.',
	none: 'No scan of what runs found anything, as far as it was scanned.',
	allHeld: 'Everything that is known is accepted.',
	unknown: (count: number) => `${counted(count, 'release')} of what runs not scanned, or not wholly`,
	more: (count: number) => `and ${counted(count, 'further finding')}`,
	reading: 'Reading what scans found…',
	acts: 'Accept…',
	until: 'Until',
	why: 'Reason',
	twoHint: 'As grave as this, a second person has to agree; until then it stays on the list.',
	oneHint: 'It is off the list until that date, and back on it after that, or once it is graver.',
	accept: 'Accept',
	cancel: 'Cancel',
	asked: (who: string, until: string, why: string) => `${who} asks to accept it until ${until}: ${why}`,
	held: (who: string, until: string, why: string) => `Accepted until ${until} by ${who}: ${why}`,
	back: (who: string, until: string) => `On the list again: ${who} had accepted it until ${until}, or as less grave.`,
	grant: 'Agree',
	end: 'Accept no longer',
	where: 'Find a component…'
};

export const where = {
	title: 'Where is it? · Estate · Dogana',
	heading: 'Where is it?',
	label: 'A ticket, commit, component, digest or release',
	hint: 'MET-441, a commit, “frames < 3.0”, a digest, “Taps portal 12.1.0”',
	find: 'Find',
	kinds: { ticket: 'a ticket', commit: 'a commit', artifact: 'an artifact', component: 'a component', release: 'a release' } as Record<string, string>,
	found: (asked: string, kind: string) => `${asked} is ${kind}.`,
	nothing: (asked: string) => `Nothing on record holds ${asked}.`,
	unknown: 'Not all is known',
	states: { runs: 'runs', landed: 'landed', moving: 'moving', halted: 'halted', waiting: 'waits', cleared: 'cleared', 'taken back': 'rolled back' } as Record<string, string>,
	missing: 'not there',
	since: (at: string) => `since ${at}`,
	asked: (at: string) => `asked for ${at}`,
	reading: 'Looking…'
};

export const incidentList = {
	title: 'Incidents · Estate · Dogana',
	heading: 'Incidents',
	open: 'what nobody has closed',
	every: 'every one',
	also: 'Closed ones too',
	restored: (median: string, count: number) => `Over after ${median}, at the median of ${count}.`,
	none: 'Nothing goes wrong that somebody told of.',
	earlier: 'Show earlier ones'
};

export const boards = {
	title: 'Boards · Estate · Dogana',
	titleOf: (name: string) => `${name} · Dogana`,
	heading: 'Boards',
	sub: 'your own choice of services and charts',
	none: 'No board yet. A board shows the services and charts you look at together; its link is good for everybody who may read.',
	make: 'Make a board',
	name: 'Title',
	services: 'Services',
	everyService: 'Every service, while none is chosen.',
	charts: 'Charts',
	place: 'Environment',
	monitor: 'Monitor',
	add: 'Add a chart',
	remove: 'Remove',
	back: 'Charts go back',
	hours: [[6, '6 h'], [24, 'a day'], [168, 'a week'], [672, '4 weeks']] as [number, string][],
	save: 'Save',
	cancel: 'Cancel',
	edit: 'Edit',
	drop: 'Delete',
	sure: (name: string) => `Delete the board ${name}? Its wall shows nothing from then on.`,
	of: (owner: string) => `${owner}’s`,
	count: (services: number, charts: number) => `${services ? counted(services, 'service') : 'every service'}, ${counted(charts, 'chart')}`,
	wall: 'Put it on a wall…',
	hangs: (until: string) => `on a wall until ${until}`,
	takeDown: 'Take it off its wall',
	wallHint: 'Whoever has this address sees the board, and nothing else, without signing in. It is shown once, and ends in 90 days.',
	open: 'Open the wall',
	reading: 'Reading the board…',
	asOf: (at: string) => `as of ${at}`,
	lost: 'Not read for a while; what you see may be old.',
	nothing: 'Nothing has landed of these services yet.'
};

export const scopes = {
	title: 'Scopes · Estate · Dogana',
	titleOf: (name: string) => `${name} · Scopes · Dogana`,
	heading: 'Scopes',
	sub: 'tickets that are to come out together',
	none: 'No scope yet. A scope is a named set of tickets with a date; it says where each of them is, and what holds it.',
	make: 'Make a scope',
	name: 'Title',
	due: 'Date',
	themes: 'Themes',
	themesHint: 'With commas between them.',
	tickets: 'Tickets',
	ticketsHint: 'With blanks or commas between them.',
	query: 'Query',
	queryHint: 'Of a tracker that answers queries: it keeps the tickets up from then on.',
	source: 'Tracker',
	typed: 'none; they are typed',
	save: 'Save',
	cancel: 'Cancel',
	edit: 'Edit',
	count: (tickets: number) => counted(tickets, 'ticket'),
	dueOn: (at: string) => `due ${at}`,
	states: { everywhere: 'everywhere', 'on its way': 'on its way', nowhere: 'in nothing yet' } as Record<string, string>,
	agreed: (who: string, at: string) => `${who} agreed on it ${at}.`,
	notAgreed: 'Nobody has agreed on it yet.',
	declared: (who: string, at: string, why: string) => `${who} declared it complete ${at}${why ? `: ${why}` : '.'}`,
	isAgreed: 'agreed',
	isDeclared: 'complete',
	agree: 'Agree on it',
	agreeHint: 'What comes in or goes out from then on is told apart.',
	declare: 'Declare it complete',
	declareHint: 'It changes no more. Where something is not everywhere yet, say why.',
	comment: 'What is to be said to it',
	pack: 'Evidence pack',
	changes: 'What changed since it was agreed',
	changesBefore: 'What changed',
	noChanges: 'Nothing.',
	added: (keys: string[]) => `${listed(keys)} came in`,
	removed: (keys: string[]) => `${listed(keys)} went out`,
	unknown: 'Not all is known',
	where: 'Where it is',
	reading: 'Reading where its tickets are…'
};
