// The policy board, and what is being written on it, by environment; it stays while one looks elsewhere on the board.
import { api, data, type Board } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';
import { forget, found, hold } from '$lib/state/typed.svelte';
import { SvelteMap } from 'svelte/reactivity';
import { Writing } from './writing.svelte';

type Column = Board['columns'][number];
const keyOf = (environment: string) => `policy-${environment}`;

export class BoardState extends Loader<Board> {
	board = $state<Board | null>(null);
	readonly writings = new SvelteMap<string, Writing>();

	/** @param mayWrite whether one may go on with what was written at an earlier visit */
	constructor(private readonly mayWrite: () => boolean) {
		super(
			() => data(api.GET('/api/policy-board')),
			(board) => this.#take(board)
		);
	}

	#take(board: Board): void {
		this.board = board;
		for (const one of board.columns) {
			const writing = this.writings.get(one.environment.id);
			if (writing) writing.beside(one.source, one.draft_source);
			else if (this.mayWrite() && found(keyOf(one.environment.id)) !== null) this.write(one);
		}
	}

	column(id: string | null): Column | null {
		return this.board?.columns.find((one) => one.environment.id === id) ?? null;
	}

	/** Begin to write a policy, or go on with what was written at an earlier visit. */
	write(one: Column): void {
		if (this.writings.has(one.environment.id)) return;
		const writing = new Writing(one.environment.id, one.source, one.draft_source);
		const was = found<string>(keyOf(one.environment.id));
		if (was !== null) writing.write(was);
		this.writings.set(one.environment.id, writing);
	}

	/** Keep what is not sent yet for the next visit, and let go of what was. */
	hold(): void {
		for (const [id, one] of this.writings) {
			if (one.unkept) hold(keyOf(id), one.source);
			else forget(keyOf(id));
		}
	}
}
