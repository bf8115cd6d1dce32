// Server-sent events: says when something changed, and whether the line to the server is up.
const SETTLE_MS = 120;
const SILENCE_MS = 12_000;
const AGAIN_MS = 2000;

export class Live {
	/** Grows with every change; views read again when it does. */
	version = $state(0);
	state = $state<'connecting' | 'live' | 'lost'>('connecting');
	#source: EventSource | null = null;
	#settle: ReturnType<typeof setTimeout> | undefined;
	#silence: ReturnType<typeof setTimeout> | undefined;

	open(): void {
		if (this.#source) return;
		const source = new EventSource('/api/events');
		this.#source = source;
		this.#heard();
		source.addEventListener('hello', () => {
			// What was read before the line was up may have changed in between.
			this.#changed();
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
		clearTimeout(this.#settle);
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
		this.state = 'lost';
		this.#silence = setTimeout(() => this.open(), AGAIN_MS);
	}

	/** Several changes of one decision are read once. */
	#changed(): void {
		clearTimeout(this.#settle);
		this.#settle = setTimeout(() => (this.version += 1), SETTLE_MS);
	}
}

export const live = new Live();
