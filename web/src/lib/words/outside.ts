// Set-up: what Dogana reads from and tells, and what it keeps for others.
export const sources = {
	none: 'No source is set up. Without a ticket tracker, every rule about tickets is unknown and clears nothing.',
	setUpAnother: 'Set up another:',
	nameHint: 'Small letters, figures and hyphens; policies call it by this.',
	secret: 'Secret',
	askIt: 'Ask it',
	tryIt: 'Try it',
	ms: (milliseconds: number) => `${milliseconds} ms`,
	kinds: {
		tickets: { title: 'Ticket tracker', asks: 'A ticket’s key, such as TAPS-204' },
		metrics: { title: 'Metrics server', asks: 'A query, such as up' },
		scrape: { title: 'Page of metrics', asks: '' },
		calendar: { title: 'Calendar at an address', asks: '' },
		git: { title: 'Place with git repositories', asks: 'The address of one of its repositories' }
	},
	labels: {
		seconds: 'Time limit, seconds',
		header: 'Header for the secret',
		kind: 'Where the type stands',
		status: 'Where the status stands',
		title: 'Where the title stands',
		link: 'Where a link stands',
		blockers: 'Where its blockers stand',
		blocker_key: 'Key of a blocker',
		blocker_status: 'Status of a blocker',
		closed: 'Statuses that are closed',
		good_for: 'Last answer counts for',
		every: 'Read again every',
		keep: 'Kept for',
		names: 'Metrics to keep',
		prefer: 'Asked first'
	} as Record<string, string>,
	secretKept: 'One is kept, and never shown. Type another to replace it.',
	secretHint: 'Sent whole in the header named below, such as Bearer …',
	works: 'It works.',
	fails: (why: string) => `It does not work: ${why}.`,
	keepTheChanges: 'Keep the changes',
	setItUp: 'Set it up',
	takeAway: (title: string) => `Take “${title}” away? What only it knows will be unknown.`,
	justNow: 'just now',
	ago: (span: string) => `${span} ago`,
	failing: (since: string, why: string) => `failing since ${since}: ${why}`,
	readWell: (at: string) => `read well ${at}`,
	notRead: 'not read yet'
};

export const eventsIn = {
	actsAsWho: (name: string) => `acts as ${name}`,
	takeNoMore: 'Take no more',
	none: 'Nobody sends events yet. A builder can tell what it built and tested, a deployer what runs, a monitor what went wrong.',
	sendsTo: (title: string) => `“${title}” sends to`,
	secretOnce: ', signed with this secret, shown this once:',
	letASystemSendEvents: 'Let a system send events',
	choose: 'choose',
	actsAs: 'Acts as',
	actsAsHint: 'It may do what this person may, and the record names them.',
	letItSend: 'Let it send',
	whatCame: 'What came',
	came: (when: string, source: string) => `${when} from ${source}`,
	noneCame: 'No event has come yet.',
	takeNone: (name: string) => `Take no more events of “${name}”? The list of what it sent goes too; what followed from it stays.`,
	testSuiteRun: 'test suite run'
};

export const eventsOut = {
	tellItNoMore: 'Tell it no more',
	none: 'Nobody is told yet. A subscriber gets each decision and step as a signed event.',
	secretOnce: (title: string) => `The secret that signs what “${title}” is sent, shown this once:`,
	haveSomebodyTold: 'Have somebody told',
	address: 'Address',
	addressHint: 'Where signed events are sent, with POST.',
	toldOf: 'Told of',
	everythingHint: '(everything when none is chosen)',
	haveItTold: 'Have it told',
	couldNotBeTold: 'Could not be told',
	to: (at: string, subscriber: string) => `${at}, to ${subscriber}`,
	givenUp: (why: string | null, attempts: number) => `${why}; given up after ${attempts} attempts`,
	sendItAgain: 'Send it again',
	noneDead: 'Everything that was to be told has been, or is still being tried.',
	stillToBeTold: 'Still to be told',
	told: (actions: string[]) => (actions.length ? `told of: ${actions.join(', ')}` : 'told of everything'),
	again: (why: string, at: string) => `${why}; again ${at}`,
	aboutToBeSent: 'about to be sent',
	tellNone: (name: string) => `Tell “${name}” no more? What it was still to be told is dropped.`
};

export const values = {
	who: 'Administrators set these. Deployers read them with a clearance, and every reading stands in the ledger.',
	forPlace: (environment: string) => `for ${environment}`,
	setBy: (name: string, when: string) => `set by ${name}, ${when}`,
	none: 'Nothing is sealed for this service.',
	setAValue: 'Set a value',
	nameHint: 'As the deployer gets it, such as QUEUE_PASSWORD.',
	everyOther: 'every environment without its own',
	for: 'For',
	value: 'Value',
	valueHint: 'Sealed as soon as it is kept; nobody sees it on a screen again.',
	sealIt: 'Seal it',
	takeAway: (name: string) => `Take ${name} away? Deployers of this service will read it no more.`
};

export const calendars = {
	policiesCallIt: 'policies call it',
	clockOf: (zone: string) => `; by the clock of ${zone}`,
	nothingInIt: 'nothing in it',
	none: 'There is no shared calendar. Take one in from a file here, or follow an address under Sources.',
	takeInAnIcalendarFile: 'Take in an iCalendar file',
	nameHint: 'One that is there is replaced, for every policy that names it.',
	titleHint: 'When the file does not say.',
	zoneHint: 'Of its days, and of times without one.',
	file: 'File',
	takeItIn: 'Take it in',
	policyOwnersChangeThese: 'Policy owners change these.',
	again: { YEARLY: 'every year', MONTHLY: 'every month', WEEKLY: 'every week', DAILY: 'every day' } as Record<string, string>,
	againAndAgain: 'again and again',
	first: (again: string, day: string) => `${again}, first ${day}`,
	places: 'Closed times of an environment',
	subscribe: 'To subscribe, follow',
	token: 'TOKEN is one made to subscribe to calendars.',
	makeOne: 'Make one'
};
