// What runs where, as read so far: the first services anew with every change, further ones as asked for.
import { api, data, saying, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export type Estate = Schemas['Estate'];
export type Cell = Schemas['EstateCell'];
/** What is asked for; left out, everything of now. */
export interface Narrowed {
	at?: string;
	environment?: string;
	group?: string;
	words?: string;
}

export class EstateState extends Loader<Estate> {
	first = $state.raw<Estate | null>(null);
	#further = $state.raw<Estate['rows']>([]);
	next = $state<number | null>(null);
	busy = $state(false);
	rows = $derived([...(this.first?.rows ?? []), ...this.#further]);

	constructor(private readonly narrowed: () => Narrowed) {
		super(
			() => data(api.GET('/api/estate', { params: { query: narrowed() } })),
			(found) => {
				this.first = found;
				this.#further = [];
				this.next = found.next;
			}
		);
	}

	async more(): Promise<void> {
		if (this.next === null || this.busy) return;
		this.busy = true;
		try {
			const found = await data(api.GET('/api/estate', { params: { query: { ...this.narrowed(), skip: this.next } } }));
			const known = new Set(this.rows.map((one) => one.service.id));
			this.#further = [...this.#further, ...found.rows.filter((one) => !known.has(one.service.id))];
			this.next = found.next;
		} catch (error) {
			this.failed = saying(error);
		} finally {
			this.busy = false;
		}
	}
}

export class ChangedState extends Loader<Schemas['EstateChanges'] | null> {
	found = $state.raw<Schemas['EstateChanges'] | null>(null);

	constructor(since: () => string | null, until: () => string | null) {
		super(
			async () => {
				const from = since();
				const to = until();
				if (!from) return null;
				return data(api.GET('/api/estate/changes', { params: { query: to ? { since: from, until: to } : { since: from } } }));
			},
			(found) => (this.found = found)
		);
	}
}

/** What of it takes asking others, and comes after: how environments fare, and how many commits places are behind. */
export class StandingState extends Loader<[Schemas['Fares'][], Schemas['CommitsBehind'][]]> {
	fares = $state.raw<Record<string, Schemas['Fares']>>({});
	commits = $state.raw<Record<string, Schemas['CommitsBehind']>>({});

	constructor(services: () => string[]) {
		super(
			() => {
				const service = services().slice(0, 60);
				if (service.length === 0) return Promise.resolve([[], []]);
				return Promise.all([data(api.GET('/api/estate/fares')), data(api.GET('/api/estate/commits-behind', { params: { query: { service } } }))]);
			},
			([fares, commits]) => {
				this.fares = Object.fromEntries(fares.map((one) => [one.environment, one]));
				this.commits = Object.fromEntries(commits.map((one) => [`${one.service} ${one.environment}`, one]));
			}
		);
	}
}
