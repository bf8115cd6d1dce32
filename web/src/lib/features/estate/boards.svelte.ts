// Boards: one's own, and one as it is now.
import { api, data, saying, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export type BoardView = Schemas['EstateBoardView'];
export type Draft = Schemas['EstateBoard'];
export type Shown = Schemas['ShownBoard'];

export class BoardsState extends Loader<BoardView[]> {
	all = $state.raw<BoardView[]>([]);
	draft = $state<Draft | null>(null);
	editing = $state<number | null>(null);
	wall = $state<string | null>(null);
	refused = $state('');
	busy = $state(false);

	constructor() {
		super(
			() => data(api.GET('/api/boards')),
			(found) => (this.all = found)
		);
	}

	begin(view: BoardView | null): void {
		this.editing = view?.id ?? null;
		this.draft = view ? structuredClone(view.board) : { title: '', services: [], charts: [], hours: 24 };
		this.refused = '';
	}

	save = (): Promise<boolean> =>
		this.#act(async () => {
			const body = $state.snapshot(this.draft) as Draft;
			if (this.editing === null) await data(api.POST('/api/boards', { body }));
			else await data(api.PUT('/api/boards/{number}', { params: { path: { number: this.editing } }, body }));
			this.draft = null;
		});
	drop = (number: number): Promise<boolean> => this.#act(() => data(api.DELETE('/api/boards/{number}', { params: { path: { number } } })));
	hang = (number: number): Promise<boolean> =>
		this.#act(async () => {
			const made = await data(api.POST('/api/boards/{number}/wall', { params: { path: { number } } }));
			this.wall = `${location.origin}/wall/${made.secret}`;
		});
	takeDown = (number: number): Promise<boolean> =>
		this.#act(async () => {
			await data(api.DELETE('/api/boards/{number}/wall', { params: { path: { number } } }));
			this.wall = null;
		});

	async #act(act: () => Promise<unknown>): Promise<boolean> {
		if (this.busy) return false;
		this.busy = true;
		this.refused = '';
		try {
			await act();
			return true;
		} catch (error) {
			this.refused = saying(error);
			return false;
		} finally {
			this.busy = false;
			await this.load();
		}
	}
}

export class ShownState extends Loader<Shown> {
	found = $state.raw<Shown | null>(null);

	constructor(read: () => Promise<Shown>) {
		super(read, (found) => (this.found = found));
	}
}
