// Instants for people, in the zone of the place they concern; and the axis of the time bars.
/** The language that dates and lists are written in. */
export const LOCALE = 'en-GB';

export function city(zone: string): string {
	return (zone.split('/').at(-1) ?? zone).replaceAll('_', ' ');
}

export function isZone(text: string): boolean {
	try {
		return new Intl.DateTimeFormat(LOCALE, { timeZone: text }) !== null;
	} catch {
		return false;
	}
}

const formats = new Map<string, Intl.DateTimeFormat>();

function format(zone: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
	const key = zone + JSON.stringify(options);
	let found = formats.get(key);
	if (!found) {
		found = new Intl.DateTimeFormat(LOCALE, { timeZone: zone, hour12: false, ...options });
		formats.set(key, found);
	}
	return found;
}

export function clock(at: Date, zone: string): string {
	return format(zone, { hour: '2-digit', minute: '2-digit' }).format(at);
}

export function day(at: Date, zone: string): string {
	return format(zone, { weekday: 'short', day: 'numeric', month: 'short' }).format(at).replace(',', '');
}

/** `24 Nov 2026`. */
export function date(at: Date, zone: string): string {
	return format(zone, { day: 'numeric', month: 'short', year: 'numeric' }).format(at);
}

/** `Tue 24 Nov 07:00`; the day is left out when it is the same as that of `now`. */
export function when(at: Date, zone: string, now: Date): string {
	return day(at, zone) === day(now, zone) ? clock(at, zone) : `${day(at, zone)} ${clock(at, zone)}`;
}

/** `2 d`, `3 h`, `12 min`: how long, in one unit. */
export function span(ms: number): string {
	const minutes = Math.max(0, Math.round(ms / 60_000));
	if (minutes < 60) return `${minutes}\u00a0min`;
	if (minutes < 48 * 60) return `${Math.round(minutes / 60)}\u00a0h`;
	return `${Math.round(minutes / 1440)}\u00a0d`;
}

export const HOUR = 3_600_000;
/** How far the forecasts reach. */
export const REACH = 336 * HOUR;
export const SPANS = [
	{ id: '6h', label: '6 h', ms: 6 * HOUR, tick: 1 },
	{ id: '1d', label: '1 day', ms: 24 * HOUR, tick: 6 },
	{ id: '3d', label: '3 days', ms: 72 * HOUR, tick: 12 },
	{ id: '2w', label: '2 weeks', ms: 336 * HOUR, tick: 24 }
] as const;
export type Span = (typeof SPANS)[number];

export interface Tick {
	at: number;
	/** 0 to 1 along the axis. */
	place: number;
	label: string;
	midnight: boolean;
}

/** Where the axis is marked: at whole hours of the zone that the tick divides, days at midnight. */
export function ticks(start: number, ms: number, hours: number, zone: string): Tick[] {
	const out: Tick[] = [];
	const first = Math.ceil(start / HOUR) * HOUR;
	for (let at = first; at < start + ms; at += HOUR) {
		const date = new Date(at);
		const hour = Number(clock(date, zone).slice(0, 2)) % 24;
		if (hour % hours !== 0) continue;
		const midnight = hour === 0;
		out.push({ at, place: (at - start) / ms, label: midnight ? day(date, zone) : clock(date, zone), midnight });
	}
	return out;
}

/** A stretch as shares of the axis, or null where it lies outside. */
export function stretch(from: number, to: number, start: number, ms: number): { left: number; width: number } | null {
	const left = Math.max(0, (from - start) / ms);
	const right = Math.min(1, (to - start) / ms);
	return right > left ? { left, width: right - left } : null;
}

/** An instant as a field of date and time takes it, in a zone. */
export function wall(at: number, zone: string): string {
	const parts = format(zone, { year: 'numeric', month: '2-digit', day: '2-digit', hour: '2-digit', minute: '2-digit' }).formatToParts(at);
	const part = (type: string) => parts.find((one) => one.type === type)?.value ?? '';
	return `${part('year')}-${part('month')}-${part('day')}T${part('hour')}:${part('minute')}`;
}

/** The instant of such a text; of two, the first; null where the clock skips it or nothing is written. */
export function instant(text: string, zone: string): number | null {
	const naive = Date.parse(`${text}Z`);
	if (Number.isNaN(naive)) return null;
	for (let hours = 15; hours >= -15; hours -= 0.25) {
		const at = naive - hours * HOUR;
		if (wall(at, zone) === text) return at;
	}
	return null;
}
