// A source while somebody sets it up: what is typed, how it answers when it is tried, and keeping it.
import { api, data, type ConnectionTest, type Source } from '$lib/api/client';
import { properties, sent, shown } from '$lib/api/json-schema';
import { Typed } from '$lib/state/typed.svelte';
import { sources as say } from '$lib/words/outside';
import { Outcome } from './second.svelte';
import { Setting } from './setting.svelte';

export type Kind = Source['kind'];
interface Found {
	kinds: Record<string, Record<string, unknown>>;
	sources: Source[];
}

export class SourceEditing extends Setting<Found> {
	open = $state<{ id: string; kind: Kind; anew: boolean } | null>(null);
	title = $state('');
	/** Never held, and never shown again. */
	secret = $state('');
	written = $state<Record<string, string>>({});
	ask = $state('');
	/** What came of the last change. */
	readonly outcome = new Outcome();
	tested = $state<ConnectionTest | null>(null);
	readonly fields = $derived.by(() => (this.open && this.found ? properties(this.found.kinds[this.open.kind] ?? {}, say.labels) : []));
	readonly known = $derived.by(() => this.found?.sources.find((one) => one.id === this.open?.id));
	readonly typed: Typed<{ id: string; title: string; written: Record<string, string>; ask: string }>;

	constructor() {
		super(async () => ({
			kinds: (await data(api.GET('/api/source-kinds'))) as Found['kinds'],
			sources: await data(api.GET('/api/sources'))
		}));
		this.typed = new Typed(
			() => this.open && `source-${this.open.anew ? `new-${this.open.kind}` : this.open.id}`,
			() => ({ id: this.open?.id ?? '', title: this.title, written: $state.snapshot(this.written), ask: this.ask }),
			(was) => {
				if (this.open?.anew) this.open.id = was.id;
				[this.title, this.written, this.ask] = [was.title, was.written, was.ask];
			}
		);
	}

	edit(source: Source): void {
		if (this.open?.id === source.id) return this.close();
		this.begin(source.id, source.kind, false);
		this.title = source.title;
		for (const one of this.fields) if (one.name in source.settings) this.written[one.name] = shown(source.settings[one.name]);
	}

	begin(id: string, kind: Kind, anew: boolean): void {
		this.open = { id, kind, anew };
		this.title = this.secret = this.ask = '';
		this.tested = null;
		this.refused = '';
		this.faults = {};
		this.written = Object.fromEntries(this.fields.map((one) => [one.name, one.initial]));
	}

	close(): void {
		this.open = null;
	}

	#body(kind: Kind) {
		return { kind, settings: sent(this.fields, this.written), secret: this.secret || null };
	}

	/** Ask it something with what is typed; nothing is kept. */
	async test(): Promise<void> {
		const { open, known, ask } = this;
		if (!open) return;
		const body = { ...this.#body(open.kind), source: known ? open.id : null, ask };
		this.tested = (await this.send(() => data(api.POST('/api/source-trials', { body }))))?.value ?? null;
	}

	async keep(): Promise<void> {
		const { open, known, title } = this;
		if (!open) return;
		const params = { path: { name: open.id }, header: known ? { 'If-Match': `"${known.version}"` } : {} };
		const body = { ...this.#body(open.kind), title };
		const done = await this.send(() => data(api.PUT('/api/sources/{name}', { params, body })));
		if (!done) return;
		this.outcome.take(done.value);
		this.close();
	}

	async drop(source: Source): Promise<void> {
		const params = { path: { name: source.id } };
		if (await this.send(() => data(api.DELETE('/api/sources/{name}', { params })))) this.close();
	}
}
