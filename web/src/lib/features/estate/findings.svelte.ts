// What scans found in what runs, and what people say to it.
import { api, data, saying, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export type FollowedFinding = Schemas['FollowedFinding'];

export class FindingsState extends Loader<Schemas['Followed']> {
	found = $state.raw<Schemas['Followed'] | null>(null);
	refused = $state('');
	busy = $state(false);
	open = $derived(this.found?.lines.filter((one) => !one.accepted?.holds) ?? []);
	held = $derived(this.found?.lines.filter((one) => one.accepted?.holds) ?? []);

	/** @param narrowed what stands in the address under a key */
	constructor(narrowed: (key: 'at' | 'service') => string | undefined) {
		super(
			() => data(api.GET('/api/estate/findings', { params: { query: { environment: narrowed('at'), service: narrowed('service') } } })),
			(found) => (this.found = found)
		);
	}

	accept = (one: FollowedFinding, until: string, reason: string): Promise<boolean> =>
		this.#say(() => api.POST('/api/estate/findings/accepted', { body: { service: one.service.id, name: one.name, file: one.file, until, reason } }));
	grant = (number: number): Promise<boolean> => this.#say(() => api.POST('/api/estate/findings/accepted/{number}/grant', { params: { path: { number } } }));
	end = (number: number): Promise<boolean> => this.#say(() => api.POST('/api/estate/findings/accepted/{number}/end', { params: { path: { number } }, body: { comment: '' } }));

	async #say(act: () => Parameters<typeof data>[0]): Promise<boolean> {
		if (this.busy) return false;
		this.busy = true;
		this.refused = '';
		try {
			await data(act());
			return true;
		} catch (error) {
			this.refused = saying(error);
			return false;
		} finally {
			this.busy = false;
			await this.load();
		}
	}
}
