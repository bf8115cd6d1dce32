// Scopes: the list of them, one of them, and what people do with it.
import { api, data, saying, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export type ScopeView = Schemas['ScopeView'];
export type Draft = Schemas['Scope'];

export class ScopesState extends Loader<Schemas['ScopeName'][]> {
	all = $state.raw<Schemas['ScopeName'][]>([]);

	constructor() {
		super(
			() => data(api.GET('/api/scopes')),
			(found) => (this.all = found)
		);
	}
}

export class ScopeState extends Loader<ScopeView> {
	found = $state.raw<ScopeView | null>(null);
	refused = $state('');
	busy = $state(false);

	constructor(private readonly number: () => number) {
		super(
			() => data(api.GET('/api/scopes/{number}', { params: { path: { number: number() } } })),
			(found) => (this.found = found)
		);
	}

	/** Change it from what it was when somebody began to write. */
	change = (body: Draft, version: string): Promise<boolean> =>
		this.#act(({ params }) => api.PUT('/api/scopes/{number}', { params: { ...params, header: { 'If-Match': `"${version}"` } }, body }));
	agree = (tickets: string[]): Promise<boolean> => this.#act((given) => api.POST('/api/scopes/{number}/agree', { ...given, body: { tickets, comment: '' } }));
	declare = (tickets: string[], comment: string): Promise<boolean> => this.#act((given) => api.POST('/api/scopes/{number}/declare', { ...given, body: { tickets, comment } }));

	async #act(act: (given: { params: { path: { number: number } } }) => Parameters<typeof data<ScopeView>>[0]): Promise<boolean> {
		if (this.busy) return false;
		this.busy = true;
		this.refused = '';
		try {
			this.found = await data(act({ params: { path: { number: this.number() } } }));
			return true;
		} catch (error) {
			this.refused = saying(error);
			return false;
		} finally {
			this.busy = false;
		}
	}
}
