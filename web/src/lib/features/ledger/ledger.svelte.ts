// The ledger as read so far: the first page anew with every change, older pages as asked for.
import { api, data, saying, type Entry, type LedgerFilters, type LedgerPage } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export type Narrowed = Partial<Record<'person' | 'environment' | 'service' | 'action' | 'words', string>>;

export class LedgerState extends Loader<[Narrowed, LedgerPage, LedgerFilters]> {
	first = $state<LedgerPage | null>(null);
	older = $state<Entry[]>([]);
	next = $state<number | null>(null);
	filters = $state<LedgerFilters | null>(null);
	busy = $state(false);
	#narrowed = '';

	entries = $derived([...(this.first?.entries ?? []), ...this.older]);

	constructor(private readonly narrowed: () => Narrowed) {
		super(
			() => {
				const asked = narrowed();
				const page = data(api.GET('/api/ledger', { params: { query: { ...asked, limit: 50 } } }));
				return Promise.all([asked, page, data(api.GET('/api/ledger/filters'))]);
			},
			(found) => this.#take(...found)
		);
	}

	#take(narrowed: Narrowed, page: LedgerPage, filters: LedgerFilters): void {
		const same = JSON.stringify(narrowed) === this.#narrowed;
		const from = page.entries.at(-1)?.id ?? 0;
		// Whoever reads further down stays there, as long as nothing is missing in between.
		const joined = same && this.older.length > 0 && this.entries.some((one) => one.id >= from);
		if (joined) this.older = this.entries.filter((one) => one.id < from);
		else [this.older, this.next] = [[], page.next];
		this.first = page;
		this.#narrowed = JSON.stringify(narrowed);
		this.filters = filters;
	}

	async more(): Promise<void> {
		if (this.next === null || this.busy) return;
		this.busy = true;
		const [before, of] = [this.next, this.#narrowed];
		try {
			const query = { ...this.narrowed(), before, limit: 100 };
			const page = await data(api.GET('/api/ledger', { params: { query } }));
			// What is shown began anew meanwhile: what was asked for no longer follows upon it.
			if (this.next !== before || this.#narrowed !== of) return;
			this.older = [...this.older, ...page.entries];
			this.next = page.next;
		} catch (error) {
			this.failed = saying(error);
		} finally {
			this.busy = false;
		}
	}
}
