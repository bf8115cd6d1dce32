// How the installation fares, as every view says it: what it lacks, and what comes first.
import { api, data, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

const AGAIN_MS = 15_000;

class House {
	lacks = $state<string[]>([]);
	steps = $state<Schemas['FirstStep'][]>([]);
	/** Whether the first steps are left to do. */
	beginning = $state(false);
	readonly next = $derived(this.steps.find((one) => !one.done));
	readonly done = $derived(this.steps.filter((one) => one.done).length);

	/** All of them, though they may be over: for the view that lists them. */
	async whole(): Promise<void> {
		this.steps = (await data(api.GET('/api/house/first-steps', { params: { query: { whole: true } } }))).steps;
	}

	/**
	 * Look now, again whenever something happens, and now and then: a process that dies tells nobody.
	 *
	 * @param reads whether somebody is there who reads
	 * @param version grows with what happens
	 */
	follow(reads: () => boolean, version: () => number): void {
		let beats = $state(0);
		$effect(() => {
			const timer = setInterval(() => beats++, AGAIN_MS);
			return () => clearInterval(timer);
		});
		new Loader(
			async () => (reads() ? data(api.GET('/api/house/lacking')) : { says: [] }),
			(found) => (this.lacks = found.says)
		).follow(() => beats);
		new Loader(
			async () => (reads() ? data(api.GET('/api/house/first-steps')) : null),
			(found) => {
				this.steps = found?.steps ?? [];
				this.beginning = found?.under_way ?? false;
			}
			// Once they are over they are over for good: then nothing that happens asks again.
		).follow(() => (this.beginning ? [version(), beats] : reads()));
	}
}

export const house = new House();
