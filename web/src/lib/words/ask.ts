// Asking for a promotion, a bundle or a rollback; closing at once.
import { counted } from './common';

export const ask = {
	title: 'Ask for a promotion · Dogana',
	heading: 'Ask for a promotion',
	about: 'Pipelines ask by themselves. Here a person asks: for one release, for several that cross together, or to go back.',
	release: 'Release',
	choose: 'choose…',
	into: 'Into',
	what: 'What for',
	kinds: { ordinary: 'the usual way', rollback: 'going back to what has run there', backfill: 'bringing an urgent fix to what it skipped' },
	note: 'Note',
	noteHint: 'For the people who decide; ticket keys in it count.',
	another: 'Another that crosses with it',
	remove: 'Remove',
	bundleTitle: 'What they are together',
	bundleHint: (count: number) => `${counted(count, 'release')} cross together or not at all.`,
	ask: 'Ask for it',
	askAll: 'Ask for all of them',
	noReleases: 'No release of it is on record yet; a pipeline puts one there.',
	nobodyHere: 'You may not ask for promotions; requesters and approvers may.'
};

export const closing = {
	closeIt: (place: string) => `Close ${place} at once…`,
	closing: (place: string) => `Close ${place} at once`,
	reopening: (place: string) => `Open ${place} again before its end`,
	about: 'Nothing enters until then. One person closes; opening it earlier takes two.',
	howLong: 'How long',
	hours: [[1, '1 hour'], [4, '4 hours'], [12, '12 hours'], [24, '1 day'], [72, '3 days'], [168, '7 days']] as [number, string][],
	close: 'Close it',
	closedBy: (place: string, name: string, until: string, reason: string) => `${place} was closed by ${name} until ${until}: ${reason}`,
	open: 'Open it again…',
	agree: 'Agree to open it…',
	askedBy: (name: string) => `${name} asked to open it; a second person has to agree.`,
	openIt: 'Open it',
	askToOpen: 'Ask to open it'
};
