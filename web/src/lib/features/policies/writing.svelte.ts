// A policy being written: what it would change, and what the past says of it.
import { api, data, lines, Refusal, saying, type Preview, type Progress, type Rehearsal, type Thresholds } from '$lib/api/client';

const TYPING_MS = 350;

export interface Fault {
	pointer: string;
	reason: string;
}

export class Writing {
	source = $state('');
	preview = $state<Preview | null>(null);
	faults = $state<Fault[]>([]);
	refused = $state('');
	busy = $state(false);
	progress = $state<Progress | null>(null);
	outcome = $state<Rehearsal | null>(null);
	courses = $state.raw<Thresholds | null>(null);
	names = $state<Record<string, string>>({});
	#timer: ReturnType<typeof setTimeout> | undefined;
	#stop: AbortController | null = null;
	#asked = 0;

	/** The version in force, and the draft that waits, as they were when this was last held beside them. */
	before = $state('');
	#draft = $state<string | null>(null);
	/** What was kept as a draft, as it was typed. */
	#kept = $state<string | null>(null);

	constructor(
		readonly environment: string,
		before: string,
		draft: string | null
	) {
		this.before = before;
		this.#draft = draft;
		this.source = draft ?? before;
		if (this.changed) void this.look();
	}

	/** Another version is in force or drafted by now; what was written here and is not kept stays. */
	beside(before: string, draft: string | null): void {
		if (before === this.before && draft === this.#draft) return;
		if (!this.unkept) this.source = draft ?? before;
		this.before = before;
		this.#draft = draft;
		if (this.changed) void this.look();
		else this.preview = null;
	}

	/** Whether something was written here that is neither in force nor drafted. */
	get unkept(): boolean {
		return this.changed && ![this.#draft, this.#kept].includes(this.source);
	}

	/** Back to the draft or to what is in force. */
	undo(): void {
		this.write(this.#draft ?? this.before);
	}

	get changed(): boolean {
		return this.source.trim() !== this.before.trim();
	}

	readonly rehearsing = $derived(this.progress !== null && this.outcome === null);

	write(source: string): void {
		this.source = source;
		this.stop();
		this.outcome = null;
		clearTimeout(this.#timer);
		this.#timer = setTimeout(() => void this.look(), TYPING_MS);
	}

	/** What it would change now; faults stand beside their places. */
	async look(): Promise<void> {
		const asked = ++this.#asked;
		await this.#try(async () => {
			const preview = await data(
				api.POST('/api/environments/{environment}/policies/preview', {
					params: { path: { environment: this.environment } },
					body: { document: this.source }
				})
			);
			if (asked === this.#asked) this.preview = preview;
		}, asked);
	}

	/** Keep it as a draft; its version, or null when it was refused. */
	async draft(): Promise<number | null> {
		const source = this.source;
		this.busy = true;
		try {
			return await this.#try(async () => {
				const kept = await data(
					api.POST('/api/environments/{environment}/policies', {
						params: { path: { environment: this.environment } },
						body: { document: this.source }
					})
				);
				this.#kept = source;
				return kept.version;
			});
		} finally {
			this.busy = false;
		}
	}

	/** Hold the past against it; what was found so far goes when it is stopped. */
	async rehearse(days: number): Promise<void> {
		this.stop();
		this.outcome = null;
		const stop = new AbortController();
		this.#stop = stop;
		await this.#try(async () => {
			const path = `/api/environments/${encodeURIComponent(this.environment)}/policies/rehearsal?days=${days}`;
			for await (const step of lines<Progress>(path, { document: this.source }, stop.signal)) {
				this.progress = step;
				this.names = step.names ?? {};
				this.courses = step.courses;
				this.outcome = step.outcome;
			}
		});
		if (this.#stop === stop) this.#stop = null;
	}

	stop(): void {
		this.#stop?.abort();
		this.#stop = null;
		this.progress = null;
	}

	async #try<T>(act: () => Promise<T>, asked?: number): Promise<T | null> {
		try {
			const value = await act();
			if (asked === undefined || asked === this.#asked) {
				this.faults = [];
				this.refused = '';
			}
			return value;
		} catch (error) {
			if (error instanceof DOMException || (asked !== undefined && asked !== this.#asked)) return null;
			this.faults = error instanceof Refusal ? (error.fields ?? []) : [];
			this.refused = saying(error);
			return null;
		}
	}
}
