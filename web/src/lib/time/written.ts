// Instants as people write them, in the one format that they are shown in: `Fri 27 Nov 20:00`.
import { clock, date, day, instant as instantOf, LOCALE, wall } from './time';

const MONTHS = Array.from({ length: 12 }, (_, n) => new Intl.DateTimeFormat(LOCALE, { month: 'short', timeZone: 'UTC' }).format(Date.UTC(2026, n, 15)).slice(0, 3).toLowerCase());
const WRITTEN = /^(?:(?<weekday>[a-z]{2,9})\.?,?\s+)?(?:(?<day>\d{1,2})\.?\s+(?<month>[a-z]{3,9})\.?,?\s+(?:(?<year>\d{4})\s+)?)?(?<hour>\d{1,2})[:.](?<minute>\d{2})$/i;

const MINUTE_MS = 60_000;

export type Unreadable = 'form' | 'date' | 'weekday' | 'skipped';

/** `Fri 27 Nov 20:00`, to the minute; with its year where that is not the one the text would be read in. */
export function written(instant: number, zone: string, now: number): string {
	const at = Math.floor(instant / MINUTE_MS) * MINUTE_MS;
	const short = `${day(new Date(at), zone)} ${clock(new Date(at), zone)}`;
	if (read(short, zone, now) === at) return short;
	return `${day(new Date(at), zone).slice(0, 3)} ${date(new Date(at), zone)} ${clock(new Date(at), zone)}`;
}

/**
 * The instant of a text, to the minute, in a zone; or what is wrong with it.
 *
 * A time alone is one of the day of `now`. A date without its year is the one nearest to `now`. Of a time that the clock
 * shows twice it is the first.
 */
export function read(text: string, zone: string, now: number): number | Unreadable {
	const found = WRITTEN.exec(text.trim())?.groups;
	if (!found) return 'form';
	const { weekday, day: said, month, year, hour, minute } = found;
	const time = `${hour!.padStart(2, '0')}:${minute}`;
	const today = wall(now, zone).slice(0, 10);
	if (said === undefined) {
		if (weekday !== undefined) return 'form';
		return checked(`${today}T${time}`, zone);
	}
	const n = MONTHS.indexOf(month!.slice(0, 3).toLowerCase());
	if (n < 0) return 'form';
	const rest = `-${String(n + 1).padStart(2, '0')}-${said.padStart(2, '0')}T${time}`;
	const thisYear = Number(today.slice(0, 4));
	const far = (one: number) => Math.abs(Date.parse(`${one}${rest}Z`) - now) || 0;
	const nearest = [thisYear, thisYear + 1, thisYear - 1].reduce((best, one) => (far(one) < far(best) ? one : best));
	const at = checked(`${year ?? nearest}${rest}`, zone);
	if (typeof at === 'number' && weekday && !day(new Date(at), zone).toLowerCase().startsWith(weekday.slice(0, 2).toLowerCase())) return 'weekday';
	return at;
}

function checked(text: string, zone: string): number | Unreadable {
	const naive = new Date(`${text}Z`);
	// A thirtieth of February would be taken for the second of March.
	if (Number.isNaN(naive.getTime()) || naive.toISOString().slice(0, 16) !== text) return 'date';
	return instantOf(text, zone) ?? 'skipped';
}
