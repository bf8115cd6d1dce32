// What was typed and not kept yet, held from one visit to the next: over other views, a reload, a sign-in.
import { untrack } from 'svelte';

const PLACE = 'dogana-typed-';

export function found<T>(key: string): T | null {
	const text = sessionStorage.getItem(PLACE + key);
	return text === null ? null : (JSON.parse(text) as T);
}

export function hold(key: string, value: unknown): void {
	sessionStorage.setItem(PLACE + key, JSON.stringify(value));
}

export function forget(key: string): void {
	sessionStorage.removeItem(PLACE + key);
}

/** Everything typed by somebody who signs out is theirs, and gone with them. */
export function forgetAll(): void {
	for (const key of Object.keys(sessionStorage)) if (key.startsWith(PLACE)) sessionStorage.removeItem(key);
}

/**
 * One form's text, held under a key while the form is open and differs from how it opened. Never for secrets.
 *
 * A form that closes, because it was sent or left, lets go of it; one that vanishes with its view does not.
 */
export class Typed<T> {
	/** Whether what the form shows was typed at an earlier visit. */
	back = $state(false);
	#opened = '';

	/**
	 * @param key which form is open; null while none is
	 * @param now what stands in it
	 * @param put write it anew
	 * @param blank what stands in it before anything was typed; as it is when it opens where left out
	 */
	constructor(
		key: () => string | null,
		private readonly now: () => T,
		put: (was: T) => void,
		blank?: () => T
	) {
		const opened = $derived(key());
		let before: string | null = null;
		$effect(() => {
			const open = opened;
			untrack(() => {
				if (before !== null && open === null) forget(before);
				before = open;
				const was = open === null ? null : found<T>(open);
				if (blank) put(blank());
				this.#opened = JSON.stringify(this.now());
				this.back = was !== null;
				if (was !== null) put(was);
			});
		});
		$effect(() => {
			const open = opened;
			const value = this.now();
			if (open === null) return;
			if (JSON.stringify(value) === this.#opened) forget(open);
			else hold(open, value);
		});
	}

	/** It was sent, and what still stands in the form is where it begins anew. */
	sent(): void {
		this.#opened = JSON.stringify(this.now());
		this.back = false;
	}
}
