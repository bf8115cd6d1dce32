// The incidents of an environment, or all: open ones, or every one; earlier ones as asked for.
import { api, data, saying, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export type Incident = Schemas['IncidentView'];
const A_PAGE = 200;

export class IncidentListState extends Loader<Incident[]> {
	#first = $state.raw<Incident[]>([]);
	#earlier = $state.raw<Incident[]>([]);
	more = $state(false);
	all = $derived([...this.#first, ...this.#earlier]);
	/** Milliseconds that each took until it was over, the shortest first. */
	lasted = $derived(this.all.flatMap((one) => (one.lasted === null ? [] : [one.lasted * 1000])).sort((a, b) => a - b));

	constructor(private readonly which: () => { environment?: string; service?: string; closed: boolean }) {
		super(
			() => data(api.GET('/api/incidents', { params: { query: which() } })),
			(found) => {
				this.#first = found;
				this.#earlier = [];
				this.more = found.length === A_PAGE;
			}
		);
	}

	async earlier(): Promise<void> {
		try {
			const found = await data(api.GET('/api/incidents', { params: { query: { ...this.which(), after: this.all.at(-1)?.number } } }));
			this.#earlier = [...this.#earlier, ...found];
			this.more = found.length === A_PAGE;
		} catch (error) {
			this.failed = saying(error);
		}
	}
}
