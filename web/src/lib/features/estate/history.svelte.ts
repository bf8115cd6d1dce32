// What landed in an environment, of a service, or both; and two of its releases beside each other.
import { api, data, saying, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export type History = Schemas['History'];
export type HistoryRow = Schemas['HistoryRow'];
export interface Which {
	service?: string;
	environment?: string;
}

export class HistoryState extends Loader<History> {
	first = $state.raw<History | null>(null);
	#older = $state.raw<History[]>([]);
	next = $state<number | null>(null);
	busy = $state(false);
	rows = $derived([this.first, ...this.#older].flatMap((page) => page?.rows ?? []));
	track = $derived([this.first, ...this.#older].flatMap((page) => page?.track ?? []));

	constructor(private readonly which: () => Which) {
		super(
			() => data(api.GET('/api/estate/history', { params: { query: which() } })),
			(found) => {
				this.first = found;
				this.#older = [];
				this.next = found.next;
			}
		);
	}

	async older(): Promise<void> {
		if (this.next === null || this.busy) return;
		this.busy = true;
		try {
			const found = await data(api.GET('/api/estate/history', { params: { query: { ...this.which(), before: this.next } } }));
			this.#older = [...this.#older, found];
			this.next = found.next;
		} catch (error) {
			this.failed = saying(error);
		} finally {
			this.busy = false;
		}
	}
}

export interface Pair {
	service: string;
	before: string;
	after: string;
	environment?: string;
}

export class ComparisonState extends Loader<Schemas['Comparison'] | null> {
	found = $state.raw<Schemas['Comparison'] | null>(null);

	constructor(pair: () => Pair | null) {
		super(
			async () => {
				const asked = pair();
				this.found = null;
				return asked && data(api.GET('/api/estate/comparison', { params: { query: asked } }));
			},
			(found) => (this.found = found)
		);
	}
}
