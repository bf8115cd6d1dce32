// What comes, in order: what could start, and the freezes that begin or are on.
import type { Timeline } from '$lib/api/client';

export interface Coming {
	at: number;
	places: string[];
	what: string;
	/** Until when a freeze lasts. */
	until?: number;
	/** The promotion that could start. */
	number?: number;
}

/** From now to the end of what is shown, the earliest first; a freeze of several environments at once comes once. */
export function coming(lanes: Timeline['lanes'], now: number, end: number): Coming[] {
	const starts = lanes.flatMap((lane) => lane.starts.map((one): Coming => ({ at: Math.max(Date.parse(one.at), now), places: [lane.environment.name], what: one.name, number: one.number })));
	const freezes = new Map<string, Coming>();
	for (const lane of lanes)
		for (const one of lane.closings) {
			const [from, until] = [Date.parse(one.start), Date.parse(one.end)];
			if (one.texture !== 'freeze' || until <= now) continue;
			const key = `${one.name} ${one.start} ${one.end}`;
			const known = freezes.get(key);
			if (!known) freezes.set(key, { at: Math.max(from, now), places: [lane.environment.name], what: one.name, until });
			else if (!known.places.includes(lane.environment.name)) known.places.push(lane.environment.name);
		}
	return [...starts, ...freezes.values()].filter((one) => one.at < end).sort((a, b) => a.at - b.at);
}
