// What the Desk shows: rows in groups, filtered by station, with the ones that changed marked.
import { api, data, type Desk, type Row, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';
import { eachByItself, tellApproved } from '$lib/features/dossier/approved';
import { session } from '$lib/state/session.svelte';
import { GROUPS, type Group } from '$lib/words';

const texts = new WeakMap<Row, string>();

/** What one may look for in a row. */
function text(row: Row): string {
	let found = texts.get(row);
	if (found === undefined) {
		found = textOf(row);
		texts.set(row, found);
	}
	return found;
}

/** Where a row stands: what one asked for oneself and others have to do something about stands by itself. */
export function groupOf(row: Row, me: string | undefined): Group {
	const mine = row.requested_by.id === me && ['others', 'facts', 'time'].includes(row.waits_for);
	return mine ? 'asked' : row.waits_for;
}

function textOf(row: Row): string {
	return [row.service.name, row.version, row.source, row.target.name, row.requested_by.name, row.sentence, row.kind, row.bundle?.name].join(' ').toLowerCase();
}

export class DeskState extends Loader<Desk> {
	// Replaced whole, so nothing in them has to be watched: there may be thousands.
	rows = $state.raw<Row[]>([]);
	/** Comments that name oneself and are not answered, by promotion. */
	questions = $state<Record<number, Desk['questions'][number]>>({});
	/** Who else has which promotion open. */
	looking = $state<Desk['looking']>({});
	filters = $state<Desk['filters']>([]);
	/** What has landed and nobody has confirmed; what goes wrong. Of the environment shown. */
	#signOffs = $state.raw<Desk['sign_offs']>([]);
	#incidents = $state.raw<Desk['incidents']>([]);
	#drifts = $state.raw<Desk['drifts']>([]);
	/** Policies that somebody else wrote and oneself may adopt. */
	drafts = $state.raw<Desk['drafts']>([]);
	/** What somebody else asked for and oneself may confirm. */
	changes = $state.raw<Desk['changes']>([]);
	/** Whether those two are all there are. */
	landedIsWhole = $state(true);
	start = $state(Date.now());
	/** Numbers of rows that changed or came since one last looked. */
	changed = $state<ReadonlySet<number>>(new Set());

	/**
	 * @param station the environment that alone is shown
	 * @param words what is looked for
	 * @param seen when each row had changed last as it was seen, at earlier visits too; null at the very first
	 */
	constructor(
		private readonly station: () => string | null,
		private readonly words: () => string = () => '',
		public seen: Map<number, string> | null = null
	) {
		super(
			() => data(api.GET('/api/desk')),
			(desk) => this.#take(desk)
		);
	}

	/** Somebody opened one, and so looked at what changed. */
	saw(number: number | null): void {
		if (number !== null && this.changed.has(number)) this.changed = new Set([...this.changed].filter((one) => one !== number));
	}

	signOffs = $derived(this.#signOffs.filter((one) => this.#isHere(one)));
	incidents = $derived(this.#incidents.filter((one) => this.#isHere(one)));
	drifts = $derived(this.#drifts.filter((one) => this.#isHere(one)));

	#isHere(one: { environment: { id: string } }): boolean {
		return !this.station() || one.environment.id === this.station();
	}

	shown = $derived.by(() => {
		const words = this.words().toLowerCase().split(/\s+/).filter(Boolean);
		return this.rows.filter((row) => (!this.station() || row.target.id === this.station()) && words.every((word) => text(row).includes(word)));
	});
	groups = $derived(
		GROUPS.map((group) => ({ ...group, rows: this.shown.filter((row) => groupOf(row, session.me?.id) === group.id) })).filter(
			(group) => group.rows.length > 0 || (group.empty && this.loaded)
		)
	);
	order = $derived(this.groups.flatMap((group) => group.rows.map((row) => row.number)));

	#take(desk: Desk): void {
		const before = this.seen;
		const fresh = before ? desk.rows.filter((row) => before.get(row.number) !== row.changed_at) : [];
		this.changed = new Set([...this.changed, ...fresh.map((row) => row.number)]);
		this.seen = new Map(desk.rows.map((row) => [row.number, row.changed_at]));
		this.rows = desk.rows;
		this.questions = Object.fromEntries((desk.questions ?? []).toReversed().map((one) => [one.promotion, one]));
		this.looking = desk.looking;
		this.filters = desk.filters;
		this.#signOffs = desk.sign_offs;
		this.#incidents = desk.incidents;
		this.#drifts = desk.drifts;
		this.drafts = desk.drafts;
		this.changes = desk.changes;
		this.landedIsWhole = desk.landed_is_whole;
		this.start = Date.parse(desk.at);
	}

	/** What is marked to be approved together: only what waits for oneself, and for the same seat. */
	marked = $state<readonly number[]>([]);
	#shown = new Map<number, Schemas['Shown']>();
	together = $derived(this.rows.filter((row) => this.marked.includes(row.number) && row.waits_for === 'you'));
	seat = $derived.by(() => {
		const labels = new Set(this.together.map((row) => row.seats.find((seat) => seat.yours && seat.taken_by === null)?.label));
		return labels.size === 1 ? ([...labels][0] ?? null) : null;
	});

	mark(number: number | null): void {
		const row = this.rows.find((one) => one.number === number);
		if (row?.waits_for !== 'you' || !row.shown) return;
		this.marked = this.marked.includes(row.number) ? this.marked.filter((one) => one !== row.number) : [...this.marked, row.number];
		this.#shown.set(row.number, row.shown);
	}

	/**
	 * Approve each that is marked, on what its row showed when it was. What is refused stays marked and is said; it is
	 * then approved on what its row shows after that. Gives the refusals.
	 */
	async approve(comment: string): Promise<string[]> {
		const approved: Row[] = [];
		const refused = await eachByItself(this.together, async (row) => {
			const path = { number: row.number };
			const shown = this.#shown.get(row.number)!;
			await data(api.POST('/api/promotions/{number}/approve', { params: { path }, body: { shown, comment } }));
			this.marked = this.marked.filter((one) => one !== row.number);
			approved.push(row);
		});
		if (approved.length) tellApproved(approved);
		await this.load();
		for (const { number, shown } of this.together) if (shown) this.#shown.set(number, shown);
		return refused;
	}

	/** The row after or before another, in the order shown; the first one when there is none. */
	beside(number: number | null, step: 1 | -1): number | null {
		const at = number === null ? -1 : this.order.indexOf(number);
		if (at < 0) return this.order[0] ?? null;
		return this.order[Math.min(this.order.length - 1, Math.max(0, at + step))] ?? null;
	}
}
