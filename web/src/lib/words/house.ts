// How the installation itself fares, and what comes first in a new one.
import type { Schemas } from '$lib/api/client';

type StepName = Schemas['FirstStep']['name'];

export const lacking = {
	label: 'What keeps Dogana from its work'
};

export const firstSteps = {
	heading: 'First steps',
	about: 'In this order; each is ticked by itself once it is done.',
	count: (done: number, all: number) => `${done} of ${all} done`,
	next: (title: string) => `Next: ${title.charAt(0).toLowerCase()}${title.slice(1)}.`,
	all: 'All first steps',
	done: 'done',
	toDo: 'to do',
	complete: 'Everything is set up. A pipeline can ask for its first promotion now:',
	command: 'dogana request --service NAME --version 1.0.0 --rev v1.0.0 --to ENVIRONMENT --artifact FILE',
	onlyAdministrators: 'An administrator does it.',
	onlyOwners: 'A policy owner does it.',
	steps: {
		keys: { title: 'Keys', why: 'Secrets are sealed with one, and what departs is signed with another.', example: 'dogana seal new /etc/dogana/sealing.keys' },
		worker: { title: 'A worker', why: 'It inspects what waits, and gives the ledger its order. It runs beside the web process.', example: 'dogana work' },
		environments: { title: 'Environments', why: 'Where releases go, each in its time zone.', example: 'Bench, then Live', act: 'Begin with an example', at: '/set-up/environments?begin=example' },
		route: { title: 'A route', why: 'Which environment comes after which.', example: 'Bench → Live', act: 'Begin with an example', at: '/set-up/routes?begin=example' },
		service: { title: 'A service', why: 'What is released, and where its source is.', example: 'Taps portal, from the repository taps-portal', act: 'Begin with an example', at: '/set-up/services?begin=example' },
		groups: { title: 'Groups', why: 'Who may take the same seats.', example: 'Release desk, as release-desk', act: 'Set up a group', at: '/set-up/people' },
		people: { title: 'People', why: 'An approver in a group; two who write policies, since one adopts what the other wrote.', example: 'Ilse Brandt, approver and policy owner, sits for Release desk', act: 'Set up somebody', at: '/set-up/people?begin=example' },
		policy: { title: 'Policies', why: 'What must be true before a release may enter. One person drafts, another adopts.', example: 'open, two seats or guarded: pick one and change it.', act: 'Write', at: '/policies' },
		source: { title: 'A source', why: 'Where facts are read: tickets, metrics, calendars, private repositories.', example: 'a ticket tracker at https://tickets.example/rest/issue/{key}', act: 'Set up a source', at: '/set-up/sources' },
		token: { title: 'A token for the pipeline', why: 'With it a pipeline asks, waits, departs and reports.', example: 'of a machine, with the scopes request and deploy', act: 'Make a token', at: '/set-up/tokens' }
	} as Record<StepName, { title: string; why: string; example: string; act?: string; at?: string }>
};

export const house = {
	checks: 'What has to be there',
	well: 'well',
	missing: 'missing',
	processes: 'Processes',
	process: { web: 'web', worker: 'worker' },
	noProcess: 'No process has told of itself yet.',
	since: (at: string) => `since ${at}`,
	heard: (seconds: number) => `heard of ${seconds} s ago`,
	gone: 'silent',
	versions: 'Not all run the same version; that is so during an upgrade, and should not last.',
	late: 'What is due',
	queues: { inspections: 'Inspections', ledger: 'Entries without their place in the ledger', deliveries: 'Events to be told', mail: 'Mail to be handed over', events: 'Events that came too early' } as Record<string, string>,
	nothingDue: 'nothing',
	dueSince: (count: number, at: string) => `${count}, the first since ${at}`,
	fails: 'What fails',
	sourceFails: (at: string, why: string) => `since ${at}: ${why}`,
	repositoryOf: (name: string) => `The repository of ${name}`,
	troubles: (count: number) => `${count === 1 ? 'one promotion' : `${count} promotions`} on which work failed`,
	givenUp: (count: number) => `${count === 1 ? 'one event' : `${count} events`} that could not be told`,
	nothingFails: 'Nothing fails.',
	size: 'How large it is',
	database: (size: string) => `The database takes ${size}.`,
	grows: (size: string, entries: string) => `It grows by about ${size} a day, with ${entries} entries a day over the last week.`,
	table: 'Table',
	rows: 'Rows, about',
	takes: 'Takes',
	version: (version: string, schema: string) => `Dogana ${version}, schema ${schema}.`
};
