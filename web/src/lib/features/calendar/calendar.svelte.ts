// What the calendar shows: the lanes of some days, and the policies that a freeze would be written into.
import { api, data, type Board, type Timeline } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

/** How many days are shown at once. */
export const DAYS = [7, 14, 28];

export class CalendarState extends Loader<[Timeline, Board | null]> {
	found = $state<Timeline | null>(null);
	board = $state<Board | null>(null);
	today = $state(Date.now());
	/** Of every environment, or of the one that alone is shown. */
	readonly lanes = $derived.by(() => this.found?.lanes.filter((lane) => !this.station() || lane.environment.id === this.station()) ?? []);

	/**
	 * @param start the instant from which on it is read, in milliseconds
	 * @param days how many days of it
	 * @param station the environment that alone is shown
	 */
	constructor(
		start: () => number,
		days: () => number,
		private readonly station: () => string | null
	) {
		super(
			() => {
				const query = { start: new Date(start()).toISOString(), days: days() };
				// Whoever may not read the policies sees the lanes all the same.
				return Promise.all([data(api.GET('/api/timeline', { params: { query } })), data(api.GET('/api/policy-board')).catch(() => null)]);
			},
			([found, board]) => {
				this.found = found;
				this.board = board;
				this.today = Date.parse(found.at);
			}
		);
	}
}
