// Set-up: what is released, where it goes, who decides.
export const setUp = {
	title: (name: string) => `${name} · Dogana`,
	setUp: 'Set-up',
	noPart: 'Set-up has no part of that name.',
	parts: {
		'first-steps': { name: 'First steps', about: '' },
		services: { name: 'Services', about: 'What is released, where its source is, and which routes it travels.' },
		routes: { name: 'Routes', about: 'Which environment comes after which; those side by side make one leg.' },
		environments: { name: 'Environments', about: 'Where releases go, in which zone, and how what is cleared departs.' },
		sources: { name: 'Sources', about: 'What facts are read from: tickets, metrics, calendars, repositories.' },
		'events-out': { name: 'Events out', about: 'Who is told of every decision and step, and what could not be told.' },
		'events-in': { name: 'Events in', about: 'Who may tell us what was built, tested, deployed, or went wrong.' },
		values: { name: 'Sealed values', about: 'Secrets that only the holder of a clearance can read.' },
		calendars: { name: 'Calendars', about: 'Closed times and holidays that policies share by name.' },
		people: { name: 'People', about: 'Who can sign in, what they may do, and whose seats they may take.' },
		'stand-ins': { name: 'Stand-ins', about: 'Who may take whose seats while somebody is away.' },
		tokens: { name: 'Tokens', about: 'What pipelines and deployers sign in with.' },
		troubles: { name: 'Failed work', about: 'Promotions that could not be inspected or followed up; everything else goes on.' },
		house: { name: 'State of the house', about: 'How Dogana itself fares: its processes, what fails, what is late, how large it has become.' },
		told: { name: 'Messages', about: 'What you were told, and what became of each.' },
		mail: { name: 'Mail to you', about: 'When you are mailed of what, and in which hours not.' },
		chat: { name: 'Chat', about: 'Which rooms are told of what, and who you are there.' },
		own: { name: 'Your access', about: 'Where you are signed in, and your password.' }
	}
};

export const troubles = {
	none: 'Nothing has failed. Whatever does is tried again by itself, and stands here until it succeeds.',
	times: (at: string, again: string | null) => `failed ${at}${again ? `, next try ${again}` : ''}`
};

export const services = {
	example: { name: 'taps-portal', title: 'Taps portal', repository: 'taps-portal' },
	none: 'No service yet. What a pipeline asks for must belong to one.',
	begin: 'Set up a service',
	nameHint: 'Small letters, figures and hyphens; pipelines call it by this.',
	untried: 'Save it untried: its source is still to come',
	repository: 'Repository',
	repositoryHint: 'A path below the repository root, or an address.',
	paths: 'Paths',
	pathsHint: 'Where it is a part of the repository: the folders or files it lies in.',
	noRoute: 'none',
	urgentRoute: 'Urgent route',
	group: 'Whose it is',
	groupHint: 'The estate can be narrowed to what is theirs.',
	noGroup: 'nobody’s',
	inAHurry: (route: string) => `, in a hurry the ${route.toLowerCase()}`
};

export const routes = {
	example: { name: 'standard', title: 'Standard route' },
	none: 'No route yet. A route says which environment comes after which.',
	begin: 'Set up a route',
	nameHint: 'Small letters, figures and hyphens; services call it by this.',
	takeOff: (id: string) => `Take ${id} off the route`,
	besideIt: 'beside it…',
	putAnotherBeside: (value: string) => `Put another beside ${value}`,
	earlier: 'Earlier',
	theNextLeg: 'The next leg',
	urgent: 'It is for urgent fixes, and lets in only some',
	onlyPatches: 'Only patches of what runs where it ends',
	branches: 'Branches',
	branchesHint: 'One of them must hold the revision; * stands for any text.',
	waivable: 'Others are let in by a waiver of',
	nobody: 'nobody',
	oneIsEnough: 'one is enough before the next',
	then: 'then…',
	beginsIn: 'it begins in…'
};

export const removal = {
	ask: (title: string) => `Delete ${title}? What has history is retired instead, and stays readable.`,
	done: { deleted: (title: string) => `${title} is deleted.`, retired: (title: string) => `${title} is retired; its history stays.`, disabled: (title: string) => `${title} is disabled.` }
};

export const environments = {
	example: { name: 'bench', title: 'Bench' },
	timeLimit: 'Going in takes at most',
	timeLimitHint: 'Such as 30 min; what takes longer is said on the Desk. Nothing is said while it is empty.',
	departsHow: (one: string) => `departs ${one}`,
	none: 'No environment yet. Nothing can be asked for where there is none.',
	begin: 'Set up an environment',
	nameHint: 'Small letters, figures and hyphens; policies and pipelines call it by this.',
	zoneHint: 'Its clocks, such as Europe/Rome.',
	departs: 'Departs',
	deployers: 'Only some let go and report here',
	deployersPeople: 'People who deploy',
	deployersGroups: 'Groups that deploy',
	deployersTokens: 'Tokens that deploy',
	deployersHint: 'By their names, with blanks between them.',
	tokensHint: 'By their numbers, as they stand under Tokens.',
	setTimes: 'Set times',
	setTimesHint: 'Of its own clock, such as 07:00 12:00.',
	onWhichDays: 'On which days',
	pulls: 'What landed in the leg before is asked for by itself',
	previews: 'Previews are made from it: whatever is asked for as',
	anything: (name: string) => `${name}/anything`,
	eachPreviewDeparts: 'Each preview departs',
	eachPreviewLasts: 'Each preview lasts',
	lastsHint: 'Such as 12 h or 3 days; then it is removed, and its history stays.',
	ways: {
		'at once': 'as soon as it is cleared',
		'by deployer': 'when its deployer says so',
		'by timetable': 'at set times',
		never: 'never: others inherit its policy'
	},
	days: (first: string, last: string) => `${first} to ${last}`,
	previewsLast: (lasts: string) => `never; previews made from it last ${lasts}`,
	at: (times: string[], days: string) => `at ${times.join(', ')} on ${days}`
};

export const people = {
	example: { id: 'ilse', name: 'Ilse Brandt', email: 'ilse@corvale.example' },
	setUpSomebody: 'Set up somebody',
	anotherGroup: 'Another group',
	groupTitleHint: 'What sentences call it, such as night watch.',
	groupNameHint: 'Policies call it by this.',
	setUpTheGroup: 'Set up the group',
	nameForPolicies: 'Name for policies',
	mailAddress: 'Mail address',
	otherAddresses: 'Other addresses',
	otherAddressesHint: 'By which else they write commits; who wrote part of a change may not decide on it.',
	roles: 'Roles',
	sitsFor: 'Sits for',
	whatTheyDecided: 'What they decided',
	noGroup: 'in no group',
	somebodyNew: 'Somebody new',
	machine: 'A machine',
	machineHint: 'Acts by tokens alone: never signs in, never decides.',
	notYet: 'has yet to choose a password',
	invite: 'Have them choose another password',
	disable: 'Disable',
	disableNow: (name: string) => `Disable ${name} now? Their sessions and tokens end, and seats wait for them no more. What they did stays on record.`,
	gone: (name: string, how: string) => `${name} is ${how}.`,
	isDisabled: 'disabled',
	enable: 'Let them in again',
	dropGroup: (title: string) => `Delete the group ${title}? Only one that nobody belongs to and nothing names can go.`,
	allGroups: 'Groups',
	deleteGroup: (title: string) => `Delete the group ${title}`,
	endAccess: 'End all their sessions and tokens',
	endAccessNow: (name: string) => `End every session and token of ${name} now? They can sign in again.`,
	ended: (name: string) => `Every session and token of ${name} has ended.`
};

export const seconding = {
	waiting: 'Waits for a second person',
	asked: (who: string, title: string) => `${who} asked for ${title}.`,
	confirm: 'Confirm',
	drop: 'Drop it',
	waits: 'Somebody else has to confirm this. It stands below until then.',
	alone: 'Done, though nobody else here could confirm it. That is on record with it.',
	mailed: 'They are mailed a link to choose their password with. It opens once, within three days.',
	invitation: 'Hand this address over to them. It opens once, within three days, and is not shown again:',
	oneAlone: 'Only one person here could set up people, and nobody could confirm it. Whatever that person changes acts at once, but for the week after the last other one was disabled. Give a second one the role of administrator or policy owner.'
};

export const changes = {
	nothing: 'nothing',
	yes: 'yes',
	no: 'no',
	was: 'was',
	fields: { name: 'Name', email: 'Mail address', roles: 'Roles', other_emails: 'Other addresses', groups: 'Groups', machine: 'Machine', title: 'Title', zone: 'Zone', windows: 'Windows', legs: 'Legs', one_is_enough: 'One is enough', patches_only: 'Patches only', branches: 'Branches', waivable: 'Let in by', route: 'Route', urgent_route: 'Urgent route', group: 'Whose it is', paths: 'Paths in it', departs: 'Departs', 'template.departs': 'Its previews depart', 'template.lasts': 'Its previews last', days: 'Days', at: 'At', people: 'People', tokens: 'Tokens', scopes: 'It may', services: 'Services', environments: 'Environments', repository: 'Repository', kind: 'Kind', 'version_from.kind': 'What runs is read', 'version_from.address': 'What runs is read at', 'version_from.version': 'Where the version stands', person: 'As whom', address: 'Address', actions: 'Kinds of entry' } as Record<string, string>,
	/** A field within another, where one beside it is called the same. */
	within: (field: string, of: string) => `${field} (${of})`,
	more: (count: number) => `${count} more`,
	leg: (n: number) => `leg ${n}`
};

export const own = {
	sessions: 'Where you are signed in',
	thisOne: 'this one',
	since: (when: string) => `since ${when}`,
	from: (address: string) => `from ${address}`,
	end: 'End',
	password: 'Your password',
	old: 'Current password',
	fresh: 'New password',
	atLeast: 'At least twelve characters.',
	change: 'Change the password',
	changed: 'Changed. Whatever else you had signed in with has ended, your tokens too.',
	/** What browsers call themselves, the first that fits, and what people call them. */
	browsers: { Firefox: 'Firefox', Edg: 'Edge', Chrome: 'Chrome', Safari: 'Safari' },
	another: 'something else'
};

export const standIns = {
	for: 'for',
	dates: (when: string, when2: string, ZONE: string) => `${when} to ${when2}, ${ZONE}`,
	endIt: 'End it',
	none: 'Nobody stands in for anybody, now or later.',
	nameAStandIn: 'Name a stand-in',
	whoIsAway: 'Who is away',
	whoStandsIn: 'Who stands in',
	nameThem: 'Name them',
	administratorsOnly: 'Administrators name stand-ins for others.',
	noSeats: 'You sit for no group, so that nobody has to stand in for you.',
	takesTwo: 'For somebody else it takes a second person to confirm it.',
	backwards: 'It ends before it begins.',
	endNow: (who: string) => `End it now? ${who} takes no more seats for them; what was approved stands.`
};

export const tokens = {
	shownOnce: 'Here is its text, this once:',
	goodOnceConfirmed: 'Here is its text, this once; it opens nothing before it is confirmed:',
	copy: 'Copy',
	for: (name: string) => `for ${name}`,
	number: (id: number) => `number ${id}`,
	revoke: 'Revoke',
	none: 'No token was made yet.',
	makeAToken: 'Make a token',
	whatItIsFor: 'What it is for',
	whose: 'Whose',
	mine: 'Yours',
	ownerHint: 'Yours, or a machine’s, which takes a second person to confirm it. It may never do more than its owner.',
	services: 'For which services',
	environments: 'For which environments',
	limitHint: 'all, while none is chosen',
	for_: (names: string) => `for ${names} alone`,
	days: 'Days',
	whatItMayDo: 'What it may do',
	makeIt: 'Make it',
	scopes: {
		read: 'look at everything',
		request: 'ask for promotions, attach reports',
		decide: 'approve and turn back, as its owner',
		deploy: 'depart, read values, report landings',
		feed: 'subscribe to calendars and landings, show badges',
		administer: 'set everything up, by a document; a week at most, each use on record'
	},
	revokeIt: (name: string) => `Revoke “${name}”? Whatever uses it is signed out at once.`,
	revoked: (at: string) => `revoked ${at}`,
	ended: (at: string) => `ended ${at}`,
	until: (at: string) => `until ${at}`
};

export const fields = {
	missing: 'Something has to stand here.',
	unlike: 'It cannot be like this.',
	noMail: 'This is no mail address.',
	noAddress: 'This is no address, such as https://tickets.example.',
	tooShort: (least: number) => `At least ${least} characters.`,
	taken: 'There is one of this name; choose it above to change it.',
	noZone: 'No such zone is known.',
	noTimes: 'Times are like 07:00, with a blank between them.',
	noSpan: 'A span is like 12 h or 3 days.'
};

export const places = {
	address: 'Where a service is opened',
	addressHint: '{service} and {version} stand for what runs. Left empty, nothing is linked.',
	reads: 'What really runs is read',
	readsHint: 'What is not what landed last is drift: it stands in the estate and on the record.',
	kinds: { '': 'nowhere; a deployer may tell it', address: 'from an address', metric: 'from the labels of a metric' } as Record<string, string>,
	versionAddress: 'Version address',
	versionAddressHint: 'With {service} in it. It answers in JSON, or with nothing but the version.',
	versionAt: 'Version at',
	versionAtHint: 'A JSON Pointer, as /build/version. Left empty, its whole text is the version.',
	digestAt: 'Digest at',
	digestHint: 'Left empty, it is not compared.',
	query: 'Query',
	queryHint: '$service and $environment stand for the two.',
	versionLabel: 'Label with the version',
	digestLabel: 'Label with the digest'
};
