// The Desk and its rows.
import { counted, listed } from './common';
import type { Schemas } from '$lib/api/client';

export const desk = {
	title: (mine: number) => `${mine ? `(${mine}) ` : ''}Desk · Dogana`,
	desk: 'Desk',
	forYou: (count: number) => `${count} ${count === 1 ? 'waits' : 'wait'} for you`,
	nothingWaitsForYou: 'Nothing waits for you',
	ask: 'Ask for a promotion…',
	find: 'Find /',
	findOnTheDesk: 'Find on the Desk',
	firstStart: 'first start',
	texturesOfTime: 'Textures of time',
	howFar: 'How far the time bars reach',
	asThingsStand: 'As things stand,',
	probe: 'Probe',
	atAnotherTime: 'See how things stand at another time',
	beyondReach: 'Beyond two weeks nothing is forecast; rows show how they stand now.',
	backToNow: 'Back to now',
	noneUnderWay: 'No promotion is under way. A pipeline asks with',
	appearsHere: '; what it asks for appears here at once.',
	noneHasTheseWords: 'Nothing under way has these words.',
	noneInto: 'Nothing is under way into this environment.',
	showEveryEnvironment: 'Show every environment',
	marked: (count: number) => `${count} marked`,
	approve: (count: number) => `Approve ${count}`,
	unmark: 'Unmark',
	approveTogether: 'Approve together',
	landedCut: 'There are more than two hundred incidents, or landings not signed off; the others stand here as these are dealt with.',
	pending: (count: number) => `of ${count} pending`,
	noneOfThese: 'Nothing of what is shown waits for you.',
	oneSeat: (releases: string, seat: string) => `${releases}: each for the seat of ${seat}, each with an entry of its own`,
	manySeats: 'They wait for different seats of yours; mark only those of one seat.'
};

export const row = {
	goingIn: (share: number, left: number) => `${share} % of the requests go to it; ${left === 0 ? 'that is the last step' : `${counted(left, 'step')} left`}`,
	atTheProbe: (says: string) => `At the probe: ${says}`,
	asksYou: (name: string) => `${name} asks you:`,
	askedBy: (name: string, waited: string) => `asked by ${name} ${waited} ago`,
	leg: (source: string | null, target: string) => (source ? `${source} → ${target}` : `into ${target}`),
	crosses: (bundle: string) => ` · crosses with “${bundle}”`,
	changed: ' · changed since you looked',
	marked: ' · marked'
};

export const filters = {
	everything: 'Everything',
	forget: (name: string) => `Forget “${name}”`,
	saveThisFilter: 'Save this filter…',
	nameOfTheFilter: 'Name of the filter',
	save: 'Save',
	savedFilters: 'Saved filters'
};

export const looking = {
	looking: (names: string[], too: boolean) => `${listed(names)} ${names.length === 1 ? 'is' : 'are'} looking${too ? ' too' : ''}`
};

export const timeAxis = {
	now: 'now'
};

export const timeBar = {
	noStart: 'No start in sight.',
	now: 'Time allows it now.',
	firstStart: (at: string) => `First start ${at}.`,
	until: (name: string, at: string) => `${name} until ${at}.`
};

export const timeProbe = {
	name: 'Time probe',
	draw: 'Draw along the axis to see every row at another time (t)',
	now: 'now'
};

export const seats = {
	for: (name: string) => `for ${name}`,
	alsoFor: (label: string) => `, for ${label}`,
	noSeats: 'No seats',
	later: ', later',
	open: ', open'
};

export const beside = {
	theWholeFile: 'The whole file',
	askedBy: (name: string) => `, asked by ${name}`,
	writtenBy: (names: string[]) => `; written by ${listed(names)}`,
	besideTheDesk: 'Beside the Desk'
};

const NUMBERS = ['no', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve'];

export const probed = {
	factFirst: 'A fact has to change first.',
	closedBy: (names: string[]) => `closed by ${listed(names)}`,
	vacant: (seats: number) => `${NUMBERS[seats] ?? seats} ${seats === 1 ? 'seat' : 'seats'} still open`,
	factMissing: 'a fact is missing',
	lacks: (lacks: string[]) => `${lacks.join(', ')}.`,
	takenIn: 'cleared; taken in at the next set time.',
	couldDepart: 'could depart.'
};

export const confirming = {
	heading: 'For you to confirm',
	stamp: 'change',
	asked: (who: string, title: string) => `${who} asked for ${title}.`,
	/** Where in Set-up a change of each kind stands. */
	parts: { person: 'people', invitation: 'people', enabling: 'people', 'stand-in': 'stand-ins', calendar: 'calendars', environment: 'environments', route: 'routes', service: 'services', source: 'sources', token: 'tokens', sender: 'events-in' } satisfies Record<Schemas['ProposalView']['kind'], string>
};

export const drafts = {
	heading: 'A policy waits to be adopted',
	stamp: 'draft',
	version: (number: number) => `version ${number}`,
	wrote: (name: string, at: string) => `${name} wrote it ${at}; somebody else adopts it, and that may be you.`
};
