// Server-sent events: says when something changed, and whether the line to the server is up.
const SETTLE_MS = 120;
const SILENCE_MS = 12_000;
const AGAIN_MS = 2000;
/** How long a page waits for the line before it reads: what is read after need not be read again. */
const FIRST_MS = 250;

export class Live {
	/** Grows with every change; views read again when it does. */
	version = $state(0);
	state = $state<'connecting' | 'live' | 'lost'>('connecting');
	/** Whether it is time to read: the line is up, or was not within a moment. */
	begun = $state(false);
	#source: EventSource | null = null;
	#first: ReturnType<typeof setTimeout> | undefined;
	#settle: ReturnType<typeof setTimeout> | undefined;
	#silence: ReturnType<typeof setTimeout> | undefined;

	open(): void {
		if (this.#source) return;
		const source = new EventSource('/api/events');
		this.#source = source;
		this.#heard();
		if (!this.begun) this.#first = setTimeout(() => (this.begun = true), FIRST_MS);
		source.addEventListener('hello', () => {
			// What was read before the line was up may have changed in between.
			if (this.begun) this.#changed();
			this.begun = true;
			this.state = 'live';
			this.#heard();
		});
		source.addEventListener('beat', () => this.#heard());
		source.addEventListener('change', () => {
			this.#heard();
			this.#changed();
		});
		// Who reads has signed out, or may not any more: asking anew leads to where one signs in.
		source.addEventListener('ended', () => {
			this.close();
			this.#changed();
		});
		source.onerror = () => this.#lost();
	}

	close(): void {
		clearTimeout(this.#first);
		clearTimeout(this.#settle);
		this.#settle = undefined;
		clearTimeout(this.#silence);
		this.#source?.close();
		this.#source = null;
		this.state = 'connecting';
	}

	/** The server speaks every few seconds; a line that stays silent is dead, whatever the browser believes. */
	#heard(): void {
		clearTimeout(this.#silence);
		this.#silence = setTimeout(() => this.#lost(), SILENCE_MS);
	}

	#lost(): void {
		this.close();
		this.begun = true;
		this.state = 'lost';
		this.#silence = setTimeout(() => this.open(), AGAIN_MS);
	}

	/** Several changes of one decision are read once; however many follow, the first waits no longer for them. */
	#changed(): void {
		this.#settle ??= setTimeout(() => {
			this.#settle = undefined;
			this.version += 1;
		}, SETTLE_MS);
	}
}

export const live = new Live();
