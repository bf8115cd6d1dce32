// The calendar: lanes of environments over time.
import { counted, listed } from './common';

export const calendar = {
	title: 'Calendar · Dogana',
	name: 'Calendar',
	span: (day: string, day2: string, ZONE: string) => `${day} to ${day2}, ${ZONE}`,
	couldStart: 'could start',
	landed: 'landed',
	rolledBack: 'rolled back',
	texturesOfTime: 'Textures of time',
	back: '‹ week',
	weekEarlier: 'A week earlier',
	today: 'today',
	on: 'week ›',
	weekLater: 'A week later',
	whichDays: 'Which days',
	toThePolicies: 'To the policies',
	byTheClockOf: (city: string) => `by the clock of ${city}`,
	closeItTonight: 'Close it tonight…',
	landingsFrom: (when: string) => `So much landed in these days that only what did from ${when} on is drawn.`,
	hint: 'Draw over a lane to close it; move a freeze, or stretch it by its ends. You see what it delays before anything is saved.',
	recurring: 'It comes again and again. Change',
	onlyThis: 'only this one',
	everyOne: 'the time and length of every one',
	lapse: (approvals: number) => `${counted(approvals, 'approval')} would lapse with the new version.`,
	firstStart: (at: string | null) => `first start ${at ?? 'not within 14 days'}`,
	insteadOf: (at: string | null) => `instead of ${at ?? 'none'}`,
	aFreezeDrawnByHand: 'A freeze drawn by hand',
	weeks: (weeks: number) => counted(weeks, 'week'),
	move: (place: string) => `Move a freeze of ${place}`,
	close: (place: string) => `Close ${place}`,
	delaysNothing: 'It delays nothing that is pending.',
	touches: (count: number, pending: number) => `It touches ${count} of ${counted(pending, 'pending promotion')}.`,
	byHand: 'closed by hand',
	drafted: (version: number, place: string) => `Version ${version} of the policy of ${place} is drafted; it closes nothing until a second person adopts it.`,
	ruleByHand: 'Closed by hand',
	takesIn: 'takes in',
	alsoZone: 'Also by the clock of',
	noOther: 'no other place',
	shared: 'Import, export, subscribe'
};

export const coming = {
	whatComes: 'What comes',
	nothing: (day: string) => `Until ${day} nothing is closed and nothing pending could start.`,
	couldStart: 'could start',
	into: (place: string | undefined) => `into ${place}`,
	closes: (places: string[], until: string) => `closes ${listed(places)} until ${until}`,
	more: (count: number) => `And ${count} more in the lanes above.`,
	now: 'now',
	there: (at: string, place: string) => `${at} ${place}`
};

export const lane = {
	closing: (name: string, when: string, when2: string) => `${name}, ${when} to ${when2}`,
	takesInAt: (clock: string) => `takes in at ${clock}`,
	landed: (name: string, at: string, badly: boolean) => `${name} landed ${at}${badly ? ', rolled back' : ''}`,
	couldStart: (name: string) => `${name} could start`,
	couldStartAt: (name: string, when: string) => `${name} could start ${when}`,
	landing: (name: string, badly: boolean) => `${name} ${badly ? 'rolled back' : 'landed'}`,
	moveIt: (name: string, from: string, until: string) => `Move ${name}, ${from} to ${until}`
};
