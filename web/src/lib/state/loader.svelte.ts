// What is read from the server: once it is shown, and again whenever what it is read for changes.
import { saying } from '$lib/api/client';
import { untrack } from 'svelte';

export class Loader<T> {
	failed = $state('');
	loaded = $state(false);
	/** Grows when another thing is asked for: an answer to what was asked before is let go. */
	#question = $state(0);
	#underWay: Promise<void> | null = null;
	#next: Promise<void> | null = null;

	/**
	 * @param read asks the server; what it asks for is read from states before it waits for anything
	 * @param take what is done with the answer
	 */
	constructor(
		private readonly read: () => Promise<T>,
		private readonly take: (found: T) => void
	) {}

	/**
	 * Read now, and at once whenever a state changes that `read` begins with: something else is asked for.
	 *
	 * @param also when a state changes that this looks at, the same is read again
	 * @param again milliseconds after which a failure is tried again; it waits for the next change where left out
	 */
	follow(also: () => unknown = () => undefined, again?: number): this {
		let later: ReturnType<typeof setTimeout> | undefined;
		const read = (begin: () => Promise<void>) => {
			clearTimeout(later);
			void begin().then(() => {
				clearTimeout(later);
				if (this.failed && again) later = setTimeout(() => read(() => this.load()), again);
			});
		};
		let asked = 0;
		$effect(() => {
			read(() => this.#ask());
			return () => clearTimeout(later);
		});
		$effect(() => {
			also();
			// What was asked for anew just now is read as it is after this change too.
			if (asked === this.#question) untrack(() => read(() => this.load()));
			asked = this.#question;
		});
		return this;
	}

	/**
	 * Read the same again. What is under way is waited for and shown, and then read once more for all who asked:
	 * where changes come faster than answers, each answer is a little old, but they come.
	 */
	load(): Promise<void> {
		if (this.#next) return this.#next;
		if (!this.#underWay) return this.#begin();
		const question = this.#question;
		const next = this.#underWay.then(() => {
			if (question !== this.#question) return this.#underWay ?? undefined;
			this.#next = null;
			return this.#begin();
		});
		return (this.#next = next);
	}

	#ask(): Promise<void> {
		// What is asked for is followed; how often it changed is not.
		untrack(() => this.#question++);
		this.#next = null;
		return this.#begin();
	}

	#begin(): Promise<void> {
		const begun = this.#answered(untrack(() => this.#question)).finally(() => {
			if (this.#underWay === begun) this.#underWay = null;
		});
		return (this.#underWay = begun);
	}

	async #answered(question: number): Promise<void> {
		try {
			const found = await this.read();
			if (question !== this.#question) return;
			this.take(found);
			this.loaded = true;
			this.failed = '';
		} catch (error) {
			if (question === this.#question) this.failed = saying(error);
		}
	}
}
