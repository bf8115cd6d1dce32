// What a setting was and what it is, field by field, in words.
import { listed } from '$lib/words/common';
import { sources } from '$lib/words/outside';
import { changes as say } from '$lib/words/set-up';

/** How many of a list are named. */
const MOST = 6;
type Setting = Record<string, unknown> | null | undefined;
/** A whole setting; an address alone, of the entry that says no more. */
type Told = Setting | string;

/** Its fields; what stands within one under both names, as two may have the same within. */
function flat(value: Setting, within = ''): Map<string, unknown> {
	const inner = (key: string, one: unknown) => (one && typeof one === 'object' && !Array.isArray(one) ? [...flat(one as Setting, `${key}.`)] : null);
	return new Map(Object.entries(value ?? {}).flatMap(([key, one]) => inner(`${within}${key}`, one) ?? [[`${within}${key}`, one] as [string, unknown]]));
}

/** What people call a field: that of a source's settings as its form does. */
function called(key: string): string {
	const own = key.slice(key.lastIndexOf('.') + 1);
	return say.fields[key] ?? (key.startsWith('settings.') ? sources.labels[own] : undefined) ?? say.fields[own] ?? own.replaceAll('_', ' ');
}

function inWords(value: unknown): string {
	if (value === undefined || value === null || value === '') return say.nothing;
	if (typeof value === 'boolean') return value ? say.yes : say.no;
	if (!Array.isArray(value)) return String(value);
	if (value.length === 0) return say.nothing;
	// Legs, one after the other.
	if (value.every(Array.isArray)) return value.map((leg: unknown[]) => listed(leg.map(spoken))).join(' → ');
	const named = value.slice(0, MOST).map((one) => (typeof one === 'object' ? closedTime(one) : spoken(one)));
	return listed(value.length > MOST ? [...named, say.more(value.length - MOST)] : named);
}

/** The name of a group or place as people say it: `release desk`. */
function spoken(name: unknown): string {
	return /^[a-z0-9]+(-[a-z0-9]+)+$/.test(String(name)) ? String(name).replaceAll('-', ' ') : String(name);
}

/** Legs are counted from 0 where they are kept, and from 1 where they are read. */
function read(key: string, value: unknown): unknown {
	return key === 'one_is_enough' && Array.isArray(value) ? value.map((leg) => say.leg(Number(leg) + 1)) : value;
}

/** A closed time of a calendar, by its name and when it is. */
function closedTime(one: { name?: string; from?: string; every?: string }): string {
	return [one.name, one.every ?? one.from?.replace('T', ' ')].filter(Boolean).join(' ');
}

/** What a change changes, field by field; of something new, all that is said of it. No two fields are called the same. */
export function changes(one: { kind?: string; old?: Told; new?: Told }): { field: string; was: string; is: string }[] {
	// Who stands in for whom, and until when, stands in its sentence.
	if (one.kind === 'stand-in') return [];
	const [before, after] = [one.old, one.new].map((told) => flat(typeof told === 'string' ? { email: told } : told)) as [Map<string, unknown>, Map<string, unknown>];
	// Whose token it is, and what it is called, stands there too.
	if (one.kind === 'token') ['person', 'title'].forEach((key) => after.delete(key));
	const keys = [...new Set([...before.keys(), ...after.keys()])].filter((key) => JSON.stringify(before.get(key)) !== JSON.stringify(after.get(key)));
	const alike = (key: string) => keys.filter((other) => called(other) === called(key)).length > 1;
	const within = (key: string) => key.split('.').slice(0, -1).map(called).join(', ');
	const name = (key: string) => (alike(key) && within(key) ? say.within(called(key), within(key)) : called(key));
	return keys
		.map((key) => ({ field: name(key), was: inWords(read(key, before.get(key))), is: inWords(read(key, after.get(key))) }))
		.filter((each) => one.old || ![say.nothing, say.no].includes(each.is));
}
