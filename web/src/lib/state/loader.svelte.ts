// What is read from the server: once it is shown, and again whenever what it is read for changes.
import { saying } from '$lib/api/client';

export class Loader<T> {
	failed = $state('');
	loaded = $state(false);
	#asked = 0;

	/**
	 * @param read asks the server
	 * @param take what is done with the answer; an older answer that comes late is let go
	 */
	constructor(
		private readonly read: () => Promise<T>,
		private readonly take: (found: T) => void
	) {}

	/**
	 * Read now, and again whenever a state changes that `read` begins with, or that `also` looks at.
	 *
	 * @param again milliseconds after which a failure is tried again; it waits for the next change where left out
	 */
	follow(also: () => unknown = () => undefined, again?: number): this {
		$effect(() => {
			also();
			const read = () => void this.load().then(() => (later = this.failed && again ? setTimeout(read, again) : undefined));
			let later: ReturnType<typeof setTimeout> | undefined;
			read();
			return () => clearTimeout(later);
		});
		return this;
	}

	async load(): Promise<void> {
		const asked = ++this.#asked;
		try {
			const found = await this.read();
			if (asked !== this.#asked) return;
			this.take(found);
			this.loaded = true;
			this.failed = '';
		} catch (error) {
			if (asked === this.#asked) this.failed = saying(error);
		}
	}
}
