// What a pointer does on a lane: it draws a freeze, moves one by its middle, or stretches one by its edge.
import { HOUR } from '$lib/time/time';

const STEP = HOUR / 2;

export interface Closed {
	start: string;
	end: string;
}

/** What is held: one end that stays, or the whole at a length. */
export interface Held<C> {
	anchor: number;
	/** Where the whole began; null where one end alone is held. */
	from: number | null;
	length: number;
	closing?: C;
}

/**
 * Take hold at an instant.
 *
 * @param at milliseconds, as exactly as the pointer has it
 * @param near how far from an edge that is still the edge
 */
export function take<C extends Closed>(at: number, near: number, freezes: readonly C[]): Held<C> {
	const closing = freezes.find((one) => Date.parse(one.start) - near <= at && at <= Date.parse(one.end) + near);
	if (!closing) return { anchor: stepped(at), from: null, length: 0 };
	const [from, until] = [Date.parse(closing.start), Date.parse(closing.end)];
	if (Math.abs(at - from) <= near) return { anchor: until, from: null, length: 0, closing };
	if (Math.abs(at - until) <= near) return { anchor: from, from: null, length: 0, closing };
	return { anchor: stepped(at), from, length: until - from, closing };
}

/** From when until when it is closed once the pointer is at another instant; null where nothing is drawn yet. */
export function drag<C>(held: Held<C>, to: number): [number, number] | null {
	const at = stepped(to);
	if (held.from !== null) {
		const from = held.from + at - held.anchor;
		return [from, from + held.length];
	}
	return at === held.anchor ? null : [Math.min(at, held.anchor), Math.max(at, held.anchor)];
}

function stepped(at: number): number {
	return Math.round(at / STEP) * STEP;
}
