// Where something is, as it is asked for.
import { api, data, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export class WhereState extends Loader<Schemas['Whereabouts'] | null> {
	found = $state.raw<Schemas['Whereabouts'] | null>(null);

	constructor(what: () => string) {
		super(
			async () => {
				const asked = what();
				this.found = null;
				return asked ? data(api.GET('/api/estate/where', { params: { query: { what: asked } } })) : null;
			},
			(found) => (this.found = found)
		);
	}
}
