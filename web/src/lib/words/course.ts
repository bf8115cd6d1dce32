// How a release goes in, step by step.

export const course = {
	goingIn: 'Going in',
	ended: 'How it went in',
	rungs: { was: 'was held', is: 'now', comes: 'comes' } as Record<string, string>,
	hold: (span: string) => `held for ${span}`,
	until: (when: string) => `until ${when}`,
	last: 'the last',
	byPerson: 'then somebody lets it go on',
	reported: (ordered: number, reported: number | null) =>
		reported === null
			? `${ordered} % is ordered; its deployer has set nothing yet.`
			: reported === ordered
				? `${ordered} % of the requests go to it.`
				: `${ordered} % is ordered; its deployer has set ${reported} %.`,
	whatABreachDoes: (does: string) => (does === 'roll back' ? 'A breach takes it back by itself.' : 'A breach halts it.'),
	reason: 'Reason',
	goOn: 'Go on',
	goOnHint: (next: number | null, halted: boolean) =>
		halted ? 'Its step is then held and watched anew.' : next === null ? '' : `It goes to ${next} % though not all is known; never past a breach.`,
	othersGoOn: 'Somebody else lets it go on: you asked for it, or may have written part of it.',
	halt: 'Halt',
	haltHint: 'It keeps the share it has until somebody lets it go on.',
	orderBack: 'Order it back',
	orderBackHint: 'Nothing goes to it any more, and its clearance is worthless for good.',
	monitors: 'Monitors',
	askedFor: (wanted: string) => `Asked for: ${wanted}.`,
	needed: '(needed)',
	nothingWatches: 'Nothing watches it: the policy asks for no monitor.',
	newcomer: 'newcomer',
	incumbent: 'incumbent',
	limit: 'limit',
	range: 'what is known',
	asATable: 'As a table',
	at: 'At',
	notLess: 'Not less than',
	notMore: 'Not more than',
	chart: (name: string) => `${name} over time; the table below says the same`
};
