// The policy board, its cells and drafts.
import { counted, listed } from './common';

export const board = {
	noEnvironment: 'No environment is on a route yet; once one is, what it asks for stands here.',
	setOneUp: 'Set one up',
	title: 'Policies · Dogana',
	policies: 'Policies',
	whatEachEnvironmentAsksFor: 'what each environment asks for',
	laxer: 'asks for less than the leg before',
	fromTheBaseline: 'from the baseline',
	marks: 'Marks',
	rule: 'Rule',
	coming: (version: number, from: string) => `version ${version} from ${from}`,
	changedNotSavedYet: 'changed, not saved yet',
	drafted: (version: number) => `version ${version} waits to be adopted`,
	notAskedFor: 'not asked for',
	askFor: (rule: string, place: string | undefined) => `Ask for ${rule} in ${place}`,
	none: 'no policy: nothing can enter',
	version: (version: number, adopter: string | null) => `version ${version}${adopter ? `, ${adopter}` : ''}`,
	askedFor: 'asked for'
};

export const cell = {
	place: (name: string) => `in ${name}`,
	theWholeSource: 'The whole source',
	backToTheBoard: 'Back to the board',
	askForThisNoLonger: 'Ask for this no longer',
	askForAnotherOfThe: 'Ask for another of the kind',
	notAsked: (name: string, inherits: boolean) => `${name} does not ask for it${inherits ? ', unless its baseline does' : ''}.`,
	askForIt: 'Ask for it',
	named: (name: string, name2: string) => `${name} in ${name2}`
};

export const changes = {
	refused: (refused: string) => `${refused} Nothing is lost: it stays as you typed it.`,
	whatItChanges: 'What it changes',
	nothing: 'Nothing.',
	whatIsPending: 'What is pending',
	cannotBeAdopted: 'What has to change first',
	reach: 'What its monitors take',
	wouldLapse: (approvals: number) => `${counted(approvals, 'approval')} would lapse`,
	whyTheyLapse: ': it asks for less than what they were given under, or for something else.',
	into: (environment: string) => `into ${environment}`,
	flip: (verdict: string, start: string | null, before: string | null) => `${verdict}, first start ${start ?? 'not within 14 days'} instead of ${before ?? 'none'}`,
	rehearsal: 'Rehearsal',
	progress: (done: number, all: number) => `${done} of ${counted(all, 'past promotion')} held against it.`,
	rehearsedSoFar: 'Rehearsed so far',
	stop: 'Stop',
	overTheLast: 'over the last',
	days: (days: number) => `${days} days`,
	outcome: (all: number, departed: number, badly: number) => `Of ${counted(all, 'promotion')}, ${departed} departed and ${badly || 'none'} of those went badly.`,
	nothingTurns: 'It would have decided all of them as they were decided.',
	stopped: (count: number) => `It would have stopped ${count || 'none'}`,
	stoppedBadly: (count: number) => `, ${count || 'none'} of which ended badly`,
	delays: 'How long it would have delayed them',
	latest: (count: number, all: number) => `These are the latest ${count} of ${all}.`,
	hint: 'Change something: what it would change stands here as you type, before anything is saved.',
	order: {
		stricter: 'Stricter than what is in force.',
		laxer: 'Laxer than what is in force.',
		equal: 'It asks for the same.',
		incomparable: 'Stricter in some things, laxer in others.'
	},
	flips: (count: number, pending: number) =>
		count === 0
			? `None of ${counted(pending, 'pending promotion')} would be decided otherwise or start later.`
			: `${count} of ${counted(pending, 'pending promotion')} would be decided otherwise, or start at another time.`,
	again: 'Rehearse again',
	rehearse: 'Rehearse',
	letGo: (count: number) => `, and let go ${count} that were not`,
	rolledBack: ', went badly'
};

export const editor = {
	source: 'Source of the policy'
};

export const keep = {
	undoTheChanges: 'Undo the changes',
	hint: 'A draft changes nothing until a second person adopts it.',
	drafted: (version: number) => `Version ${version} is drafted. Somebody else has to adopt it.`
};

export const setting = {
	takeAwayNth: (label: string, nth: number) => `Delete ${label} ${nth}`,
	takeAway: 'Delete this one',
	oneMore: 'One more',
	leaveOut: (label: string) => `Leave out ${label}`,
	leaveItOut: 'Delete this setting'
};

export const settings = {
	more: 'More…',
	another: 'Another setting'
};

export const sheet = {
	atOnce: 'at once',
	allEnvironments: 'All environments',
	changes: 'Changes',
	versions: 'Versions',
	openingTheSource: 'Opening the source…',
	adoptVersion: (version: number | null) => `Adopt version ${version}`,
	deleteDraft: (version: number) => `Delete the draft of version ${version}`,
	deleteDraftNow: (version: number) => `Delete the draft of version ${version}? It stays on record, and its number is not given again.`,
	deleted: (version: number) => `The draft of version ${version} is deleted.`,
	yours: 'You wrote it; somebody else has to adopt it.',
	inForceFrom: 'In force from',
	adopt: 'Adopt',
	none: 'No policy yet',
	inForce: (version: number) => `version ${version} in force`,
	coming: (version: number, from: string) => `, version ${version} from ${from}`,
	until: (version: number, at: string) => `Version ${version}, adopted before, takes its place ${at}. To keep what this one asks for, adopt it from then on too.`,
	adds: (baseline: string) => `, adds to the baseline ${baseline}`,
	drafted: (version: number, author: string | undefined) => `; version ${version} drafted by ${author}`,
	adoptedFrom: (version: number) => `Version ${version} is adopted, in force from the time you chose.`,
	adopted: (version: number) => `Version ${version} is in force.`
};

export const versions = {
	version: (version: number) => `Version ${version}`,
	adopted: (adopter: string | null, from: string) => `adopted by ${adopter ?? 'nobody'}, in force from ${from}`,
	draft: 'a draft, waits for a second person',
	letBe: 'a draft that was deleted',
	drafted: (author: string, drafted_at: string) => `drafted by ${author}, ${drafted_at}`,
	whatVersion: 'What version',
	changedAgainst: 'changed against',
	same: 'Nothing: both ask for the same.',
	adoptions: 'Adoptions in the ledger'
};

export const delayed = {
	upTo: ['under 1 h', '1 to 4 h', '4 to 12 h', '12 to 24 h', '1 to 3 days', 'over 3 days'],
	untilSomebodyActs: 'until somebody acts'
};

export const thresholds = {
	heading: 'What went in step by step',
	none: 'Nothing went in step by step in that time.',
	of: (count: number) => `Its monitors are held against what was read of ${counted(count, 'release')}:`,
	stopped: (count: number, wrongly: number) => (count ? `they would have stopped ${count}, ${wrongly || 'none'} of them wrongly` : 'they would have stopped none'),
	missed: (count: number) => (count ? `, and let in ${count} that turned out bad.` : '.'),
	unread: (count: number) => `Of ${count}, something that they ask was not read.`,
	wrongly: 'wrongly',
	stoppedAt: (share: number | null, at: string, monitor: string, says: string) => `stopped ${share === null ? '' : `at ${share} %, `}${at}, by ${monitor}: ${says}`,
	letIn: 'turned out bad, and would have gone in',
	notRead: (names: string[]) => `not read at the time: what ${listed(names)} ${names.length === 1 ? 'asks' : 'ask'}`
};

export const starts = {
	heading: 'Begin with',
	about: 'Each is a whole policy for this environment. Pick one, change what you like, and save it as a draft; somebody else adopts it.',
	first: 'The first seat is for',
	second: 'the second for',
	noGroups: 'There is no group yet, so no seats either; set one up under Set-up, People.',
	names: {
		open: { title: 'Open', about: 'Lets in what was built, and keeps a record. For where developers try things.' },
		'two-seats': { title: 'Two seats', about: 'Two people who did not write it agree. For where testers or customers are.' },
		guarded: { title: 'Guarded', about: 'Two seats, hours in which somebody is there, and a day in the leg before. For live environments.' }
	}
};

