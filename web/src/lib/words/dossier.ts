// One promotion's whole file.
import { capital, lowerFirst } from '.';
import { counted, listed } from './common';

export const dossier = {
	title: (what: string) => `${what} · Dogana`,
	crossesWith: (name: string) => `Crosses together with “${name}”, or not at all.`,
	missingIn: (places: string[]) => `Still missing in ${listed(places)}.`,
	promotion: 'Promotion',
	writtenBy: (names: string[]) => `; written by ${listed(names)}`,
	itsDeployerIsReady: '; its deployer is ready',
	course: 'Course',
	earlierEntries: 'The entries before these stand in the ledger.',
	of: (release: string, place: string) => `${release} into ${place}`,
	from: (source: string | null, place: string) => `${source ? `from ${source} ` : ''}into ${place}`,
	askedBy: (name: string, waited: string) => `, asked by ${name} ${waited} ago`,
	byRoute: (route: string) => `, by the ${route.toLowerCase()}`
};

export const cargo = {
	cargo: 'Cargo',
	changeUnread: (why: string | null | undefined) => `The change could not be read: ${why}.`,
	sinceWhatRunsThere: 'since what runs there,',
	nothingRunsYet: '; nothing of it runs there yet',
	files: { added: 'new', removed: 'removed', changed: '' } as Record<string, string>,
	tickets: 'Tickets',
	noTicket: 'None is named by the change.',
	unread: (source: string, why: string | null | undefined) => `${capital(source)} could not be read: ${why}. It is asked again by itself.`,
	rolloutPlan: 'Rollout plan',
	note: 'Note',
	counts: (commits: number, files: number) => `${counted(commits, 'commit')}, ${counted(files, 'file')}`,
	unknownTicket: 'not in the tracker',
	filesChanged: 'Files',
	commitUnread: (why: string | null | undefined) => `The commit could not be read: ${why}.`,
	reading: 'Reading it…',
	patchOf: (path: string) => `What changed in ${path}`,
	noText: 'It is no text.',
	moreLines: (count: number) => `And ${counted(count, 'further line')}.`,
	moreFiles: (count: number) => `And ${counted(count, 'further file')}.`,
	showMore: (count: number, one: string) => `Show more: ${counted(count, one)} left`,
	strangers: (names: string[]) => `${listed(names)} wrote part of it, and ${names.length === 1 ? 'has' : 'have'} no account here.`
};

export const artifacts = {
	artifacts: 'Artifacts',
	same: (place: string, at: string) => `Byte for byte what landed in ${place} ${at}.`,
	differs: (place: string, at: string) => `Not the bytes that landed in ${place} ${at}.`,
	notIn: (place: string) => `It has not landed in ${place}.`,
	fetch: 'Fetch it',
	compare: 'and compare its SHA-256 with this one.',
	noLink: 'Who asked did not say where it can be fetched.'
};

export const reports = {
	reports: 'Reports',
	by: (by: string, when: string) => `sent by ${by} · made ${when}, as it says`,
	maker: (maker: string) => `made by ${maker}, as it says`,
	unknown: (why: string) => `It counts as unknown: ${why}.`,
	openWhereItIs: 'open where it is',
	noneCameWithIt: 'None came with it.',
	kept: 'Kept as it came.',
	nothing: 'Nothing stands out in it.'
};

export const inspection = {
	inspection: 'Inspection',
	policy: (title: string, version: number) => `Policy of ${title}, version ${version}`,
	overBaseline: (baseline: string) => `, over the baseline of ${baseline}`,
	adoptedBy: (name: string, day: string) => `, adopted by ${name} ${day}`,
	coming: (version: number, baseline: string | null, from: string) => `From ${from} version ${version}${baseline ? ` of ${baseline}` : ''} holds`,
	asThingsAre: (verdict: string, because: string) => `; as things are, this would be ${verdict}: ${lowerFirst(because)}`,
	doNotConcern: (count: number) => (count === 1 ? 'One rule does not concern this promotion' : `${count} rules do not concern this promotion`),
	shouldBe: (wanted: string) => `should be ${wanted}`,
	approvalCounted: (name: string, when: string, because: string) => `${name}'s approval counted until ${when}: ${because}`,
	was: 'was',
	until: (when: string, because: string) => `until ${when}: ${because}`,
	before: 'What it was before',
	people: 'People settle it',
	time: 'Time settles it',
	facts: 'A fact must change',
	rule: 'The rule',
	askAgain: 'Ask again',
	advisory: 'Only shown: it holds nothing.',
	askedSince: (version: number, adopter: string, at: string) => `the same since version ${version}, adopted by ${adopter}, ${at}`
};

export const waiver = {
	asks: (when: string, reason: string) => `asks to waive this rule until ${when}: ${reason}`,
	mayGrant: (waivable_by: string) => `${waivable_by} may grant it.`,
	granting: 'Granting lets this promotion pass this one rule until then, and no other promotion.',
	grantTheWaiver: 'Grant the waiver',
	askForAWaiver: 'Ask for a waiver',
	asking: (waivable_by: string) => `Lets this promotion pass this one rule for a time. ${waivable_by} must grant it; the record keeps who asked, who granted, and why.`,
	why: 'Why it is to be waived',
	howLong: 'For',
	until: (when: string) => `until ${when}`,
	askForTheWaiver: 'Ask for the waiver',
	revoke: 'Revoke the waiver',
	refuse: 'Refuse the waiver',
	spans: [[4, '4 hours'], [24, '1 day'], [72, '3 days'], [168, '1 week']] as [number, string][]
};

export const otherBytes = {
	heading: 'Landed otherwise than cleared',
	cleared: 'cleared',
	landed: 'landed',
	notCleared: 'nothing of that name',
	missing: 'it is missing',
	hint: 'Accepting these bytes takes two people; until then it has not landed.',
	asked: (who: string, at: string) => `${who} asked for them to be accepted, ${at}:`
};

export const decision = {
	decision: 'Decision',
	lapsed: (when: string, when2: string, because: string) => `Your approval of ${when} counts no longer since ${when2}: ${because}`,
	asStandIn: (name: string) => `You would sit for ${name}, as their stand-in; the record names you both.`,
	letItDepart: 'Let it depart',
	turnBack: 'Turn back',
	takeMyApprovalBack: 'Take my approval back',
	youApproved: (names: string) => `You approved ${names}.`,
	takeBack: (count: number) => (count === 1 ? 'Take it back' : 'Take them back'),
	tookBack: (names: string) => `You took your approval of ${names} back.`,
	withdrawTheRequest: 'Withdraw the request',
	endsIt: (turnsBack: boolean) => `${turnsBack ? 'Turning back or withdrawing' : 'Withdrawing'} ends this promotion; to try again, it must be asked for anew.`,
	accept: 'Accept what landed',
	askToAccept: 'Ask to accept what landed',
	cancel: 'Order it back',
	silentHint: (name: string, at: string, says: string) => `Nothing was heard of it since ${at}: ${says} If ${name} is gone, look yourself and say how it ended, with how you know.`,
	itLanded: 'It landed',
	itFailed: 'It failed',
	cancelHint: 'Ordering it back halts it, and its clearance is worthless for good; its deployer takes it back.',
	revoke: 'Revoke the clearance',
	urgent: 'Declare it urgent',
	urgentHint: 'Declaring it urgent lets it pass what the policy lets urgent fixes pass; approvals given before lapse.',
	exchange: 'Put another release in its place…',
	exchangeTo: 'Version',
	exchangeHint: 'Its place in the queue stays, and approvals lapse.',
	exchangeIt: 'Exchange',
	goBack: (release: string) => `Go back to ${release}…`,
	needed: '(needed)',
	neededToTurnBack: '(needed to turn it back)'
};

export const reschedule = {
	putOffUntil: (when: string, by: string | null) => (by ? `${by} put it off until ${when}.` : `Put off until ${when}.`),
	asSoonAsItCan: 'Let it go as soon as it can',
	setAnotherStart: 'Set another start',
	putItOffUntil: 'Put it off until…',
	notBefore: 'Not before',
	putItOff: 'Put it off',
	keepAsItIs: 'Cancel',
	putOff: 'Put off',
	stands: 'Approvals stand. It goes at the first open time from then on.',
	notAhead: 'A start has to be ahead.'
};

export const comment = {
	comment: 'Comment',
	standsInTheLedger: '(stands in the ledger)',
	ask: 'Ask',
	somebody: 'somebody…',
	writeIt: 'Write it'
};

export const entries = {
	noPlace: 'Written; its place follows within a second',
	place: (place: number) => `Entry ${place}`,
	byInspection: 'by inspection',
	byApi: 'by API',
	atTheDesk: 'at the desk'
};

export const report = {
	tests: (passed: number, failed: number, skipped: number, flaky: number) =>
		[`${passed} passed`, failed ? `${failed} failed` : 'none failed', skipped && `${skipped} skipped`, flaky && `${flaky} only passed when run again`].filter(Boolean).join(', '),
	coverage: (lines?: number, branches?: number) => [lines === undefined ? 'lines not measured' : `${lines} % of lines`, branches === undefined ? 'branches not measured' : `${branches} % of branches`].join(', '),
	tellsOfNone: 'tells of no vulnerabilities',
	components: (count: number) => counted(count, 'component'),
	nothingFound: 'nothing found',
	plan: (add: number, change: number, destroy: number) => `${add} to add, ${change} to change, ${destroy} to destroy`,
	failed: 'Failed',
	flaky: 'Only passed when run again',
	found: 'Found',
	leastCovered: 'Least covered',
	ofLines: (share: string) => `${share} % of lines`,
	to: { destroy: 'To destroy', change: 'To change', add: 'To add' },
	parts: 'Components',
	theFirst: (title: string, listed: number, of: number) => `${title}: the first ${listed} of ${of}`,
	tellsOfNothing: 'does not say what came of it',
	notToBeReliedOn: (figures: string) => `cannot be relied on; it says: ${figures}`
};

export const shared = {
	title: 'How it stands · Dogana',
	howItStands: 'How it stands',
	asked: 'Asked for',
	first: 'Could go',
	departed: 'Departed',
	over: 'Over',
	ends: (at: string) => `This address is good until ${at}. It follows by itself.`,
	share: 'Share how it stands',
	hint: 'Whoever has the address reads what it is, how it stands and which rules it meets, without an account; no names, no cargo, and nothing to decide.',
	goodFor: 'Good for',
	make: 'Make an address',
	once: (at: string) => `Good until ${at}, and shown once:`,
	endAll: (count: number) => `End ${count === 1 ? 'the one address there is' : count === 2 ? 'both addresses' : `all ${count} addresses`}`
};
