// A service, an environment or a route while somebody edits it: kept only on the state they saw.
import type { Schemas } from '$lib/api/client';
import { Typed } from '$lib/state/typed.svelte';
import { Outcome, type ChangeOutcome } from './second.svelte';
import { Setting } from './setting.svelte';

interface Found<T> {
	things: Record<string, T>;
}
type Removed = Schemas['Removed'];
type Match = { 'If-Match'?: string };

export class Landscape<T extends object, More extends object> extends Setting<Found<T> & More> {
	/** The name of the one that is open; an empty one while a new one is written. */
	open = $state<string | null>(null);
	name = $state('');
	draft = $state<T | null>(null);
	/** What was typed before somebody left; kept only on the state they saw then. */
	readonly typed: Typed<{ name: string; draft: T | null; seen: string | null }>;
	readonly anew = $derived(this.open === '');
	/** What came of the last change. */
	readonly outcome = new Outcome();
	#seen: string | null = null;

	constructor(
		read: () => Promise<Found<T> & More>,
		private readonly one: (name: string) => Promise<{ data?: T; response: Response }>,
		private readonly put: (name: string, draft: T, header: Match) => Promise<ChangeOutcome>,
		private readonly blank: () => T,
		readonly kind: Schemas['ProposalView']['kind'],
		/** Takes it away, or retires what has history. */
		private readonly remove: (name: string) => Promise<Removed>,
		/** One to begin with, under its name. */
		private readonly example: () => [string, Partial<T>] = () => ['', {}]
	) {
		super(read);
		this.typed = new Typed(
			() => (this.open === null ? null : `${kind}-${this.open}`),
			() => ({ name: this.name, draft: $state.snapshot(this.draft) as T | null, seen: this.#seen }),
			(was) => {
				[this.name, this.draft, this.#seen] = [was.name, was.draft, was.seen];
			}
		);
	}

	begin(withExample = false): void {
		const [name, example] = withExample ? this.example() : ['', {}];
		this.name = name;
		this.draft = { ...this.blank(), ...example };
		this.#seen = null;
		this.open = '';
	}

	async edit(name: string): Promise<void> {
		if (this.open === name) return this.close();
		const { data, response } = await this.one(name);
		if (!data) return;
		this.name = name;
		this.draft = data;
		this.#seen = response.headers.get('ETag');
		this.open = name;
	}

	/** What became of it, to be said; null where it was refused. */
	async drop(): Promise<Removed['how'] | null> {
		const name = this.open;
		if (!name) return null;
		const gone = await this.send(() => this.remove(name));
		if (gone) this.close();
		return gone?.value.how ?? null;
	}

	close(): void {
		this.open = null;
		this.draft = null;
		this.refused = '';
		this.faults = {};
	}

	async keep(): Promise<void> {
		const { name, draft } = this;
		if (!draft) return;
		const header = this.#seen ? { 'If-Match': this.#seen } : {};
		const done = await this.send(() => this.put(name, $state.snapshot(draft) as T, header));
		if (!done) return;
		this.outcome.take(done.value);
		this.close();
	}
}
