// What the Desk shows: rows in groups, filtered by station, with the ones that changed marked.
import { api, data, saying, type Row } from './api/client';
import { GROUPS } from './words';

export class DeskState {
	rows = $state<Row[]>([]);
	start = $state(Date.now());
	loaded = $state(false);
	failed = $state('');
	/** Numbers of rows that changed while one was looking. */
	changed = $state<ReadonlySet<number>>(new Set());
	#seen = new Map<number, string>();

	constructor(private readonly station: () => string | null) {}

	shown = $derived.by(() => this.rows.filter((row) => !this.station() || row.target.id === this.station()));
	groups = $derived(
		GROUPS.map((group) => ({ ...group, rows: this.shown.filter((row) => row.waits_for === group.id) })).filter(
			(group) => group.rows.length > 0 || (group.empty && this.loaded)
		)
	);
	order = $derived(this.groups.flatMap((group) => group.rows.map((row) => row.number)));

	async load(): Promise<void> {
		try {
			const desk = await data(api.GET('/api/desk'));
			const fresh = desk.rows.filter((row) => this.loaded && this.#seen.get(row.number) !== row.changed_at);
			this.changed = new Set([...this.changed, ...fresh.map((row) => row.number)]);
			for (const row of desk.rows) this.#seen.set(row.number, row.changed_at);
			this.rows = desk.rows;
			this.start = Date.parse(desk.at);
			this.failed = '';
			this.loaded = true;
		} catch (error) {
			this.failed = saying(error);
		}
	}

	/** The row after or before another, in the order shown; the first one when there is none. */
	beside(number: number | null, step: 1 | -1): number | null {
		const at = number === null ? -1 : this.order.indexOf(number);
		if (at < 0) return this.order[0] ?? null;
		return this.order[Math.min(this.order.length - 1, Math.max(0, at + step))] ?? null;
	}
}
