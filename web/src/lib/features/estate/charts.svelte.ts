// The monitors of an environment along time, and what happened meanwhile.
import { api, data, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';
import { charts as say } from '$lib/words/estate';

export type Line = Schemas['Line'];
export type Occurrence = Schemas['Occurrence'];
export interface Stretch {
	start: number;
	end: number;
}
const HOUR = 3_600_000;

export interface Shown {
	environment: string;
	service: string | undefined;
	span: string;
	/** Names of monitors; those of the environment's policy where none is. */
	chosen: string[];
}

export function spanOf(id: string | null): (typeof say.spans)[number] {
	return say.spans.find((one) => one.id === id) ?? say.spans[2]!;
}

interface Found {
	monitors: Schemas['MonitorName'][];
	lines: Line[];
	occurrences: Occurrence[];
	start: number;
	end: number;
}

export class ChartsState extends Loader<Found> {
	found = $state.raw<Found | null>(null);

	constructor(shown: () => Shown, points: () => number) {
		super(
			async () => {
				const { environment, service, span, chosen } = shown();
				const end = Date.now();
				const start = end - spanOf(span).hours * HOUR;
				const within = { environment, start: new Date(start).toISOString(), end: new Date(end).toISOString() };
				const monitors = await data(api.GET('/api/estate/monitors', { params: { query: { environment } } }));
				const own = monitors.filter((one) => one.own).map((one) => one.name);
				const monitor = (chosen.length ? chosen : own.length ? own : monitors.map((one) => one.name)).slice(0, 20);
				const [lines, occurrences] = await Promise.all([
					monitor.length ? data(api.GET('/api/estate/lines', { params: { query: { ...within, monitor, points: points() } } })) : [],
					data(api.GET('/api/estate/occurrences', { params: { query: service ? { ...within, service } : within } }))
				]);
				return { monitors, lines, occurrences, start, end };
			},
			(found) => (this.found = found)
		);
	}
}

export class SuspectsState extends Loader<Schemas['Suspect'][]> {
	found = $state.raw<Schemas['Suspect'][]>([]);

	constructor(asked: () => { environment: string; service: string | undefined; stretch: Stretch }) {
		super(
			() => {
				const { environment, service, stretch } = asked();
				const query = { environment, start: new Date(stretch.start).toISOString(), end: new Date(stretch.end).toISOString() };
				return data(api.GET('/api/estate/suspects', { params: { query: service ? { ...query, service } : query } }));
			},
			(found) => (this.found = found)
		);
	}
}

export class BesideState extends Loader<Schemas['Beside'][]> {
	found = $state.raw<Schemas['Beside'][]>([]);

	constructor(number: () => number) {
		super(
			() => data(api.GET('/api/estate/beside/{number}', { params: { path: { number: number() } } })),
			(found) => (this.found = found)
		);
	}
}

/** What happened nearest to an instant, within so many milliseconds. */
export function nearest(occurrences: Occurrence[], at: number, within: number): Occurrence | null {
	let best: Occurrence | null = null;
	let far = within;
	for (const one of occurrences) {
		const away = Math.abs(Date.parse(one.at) - at);
		if (away <= far) [best, far] = [one, away];
	}
	return best;
}
