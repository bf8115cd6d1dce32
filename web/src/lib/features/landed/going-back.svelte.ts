// What has landed somewhere, and what going back to some of it takes away and brings back.
import { api, data, saying, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export class GoingBackState extends Loader<Schemas['LandingView'][]> {
	landings = $state.raw<Schemas['LandingView'][]>([]);

	constructor(service: () => string, environment: () => string) {
		super(
			() => data(api.GET('/api/landings', { params: { query: { service: service(), environment: environment() } } })),
			(found) => (this.landings = found)
		);
	}
}

export class ComingBackState {
	found = $state.raw<Schemas['GoingBack'] | null>(null);
	failed = $state('');

	/** Read what going back to a version means, whenever another one is chosen; slow where a repository is. */
	constructor(asked: () => { service: string; environment: string; version: string } | null) {
		$effect(() => {
			const query = asked();
			this.found = null;
			this.failed = '';
			if (!query) return;
			let left = false;
			void data(api.GET('/api/landings/going-back', { params: { query } })).then(
				(found) => left || (this.found = found),
				(error) => left || (this.failed = saying(error))
			);
			return () => (left = true);
		});
	}
}
