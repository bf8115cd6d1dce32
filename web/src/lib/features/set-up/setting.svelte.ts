// Something that is loaded, changed by a form, and loaded again; what went wrong stays beside its field.
import { Refusal, saying } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';
import { session } from '$lib/state/session.svelte';

export class Setting<T> extends Loader<T> {
	found = $state<T | null>(null);
	refused = $state('');
	/** What is wrong with a field, by its JSON Pointer. */
	faults = $state<Record<string, string>>({});
	busy = $state(false);

	constructor(read: () => Promise<T>) {
		super(read, (found) => (this.found = found));
	}

	readonly mayChange = $derived(session.may('administer'));

	/** Send something; what was typed stays if it is refused. Gives what came back, or null. */
	async send<A>(act: () => Promise<A>): Promise<{ value: A } | null> {
		if (this.busy) return null;
		this.busy = true;
		this.refused = '';
		this.faults = {};
		try {
			return { value: await act() };
		} catch (error) {
			this.refused = saying(error);
			if (error instanceof Refusal) this.faults = Object.fromEntries(error.fields.map((one) => [one.pointer, one.reason]));
			return null;
		} finally {
			this.busy = false;
			await this.load();
		}
	}
}
