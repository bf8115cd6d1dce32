// Putting a closed time drawn by hand into the source of a policy.
import { calendar } from '$lib/words/calendar';
import { isMap, isSeq, parseDocument, type Document, type YAMLMap } from 'yaml';

export interface Drawn {
	name: string;
	/** Wall time of the rule's zone: `2026-11-24T20:00`. */
	from: string;
	until: string;
}
/** A window that is put elsewhere: whose it is, and when it was on, perhaps several days in a row. */
export interface Moved {
	rule: string;
	name: string;
	from: string;
	until: string;
}

const OWN_RULE = 'closed-by-hand';
const MINUTE = 60_000;

/** Whether a window stands in a source once or again and again; null where it does not stand there itself. */
export function windowIn(source: string, moved: Moved): 'once' | 'again' | null {
	const found = windowOf(parseDocument(source), moved);
	return found ? (found.has('every') ? 'again' : 'once') : null;
}

/**
 * The source with one more window, or with one put elsewhere. Of a recurring one, only this occurrence is, or
 * every one with `all`: then its time of day and its length change, and its days stay.
 */
export function withFreeze(source: string, drawn: Drawn, zone: string, moved?: Moved, all = false): string {
	const document = parseDocument(source);
	const found = moved && windowOf(document, moved);
	const window = { name: drawn.name, from: seconds(drawn.from), until: seconds(drawn.until) };
	if (moved && found?.has('every')) {
		if (all) {
			found.set('name', drawn.name);
			found.set('starting', `${String(found.get('starting')).slice(0, 10)}T${drawn.from.slice(11)}:00`);
			found.set('lasting', `PT${(Date.parse(`${drawn.until}Z`) - Date.parse(`${drawn.from}Z`)) / MINUTE}M`);
		} else {
			const left = found.get('except');
			const dates = days(moved);
			if (isSeq(left)) dates.forEach((date) => left.add(date));
			else found.set('except', document.createNode(dates));
			add(document, window, zone);
		}
	} else if (found) {
		for (const [key, value] of Object.entries(window)) found.set(key, value);
	} else add(document, window, zone);
	return document.toString({ lineWidth: 100 });
}

/** Every date on which it may have begun. */
function days({ from, until }: Moved): string[] {
	const out = [];
	for (let at = Date.parse(`${from.slice(0, 10)}T00:00Z`); at < Date.parse(`${until}Z`); at += 24 * 60 * MINUTE) out.push(new Date(at).toISOString().slice(0, 10));
	return out;
}

function add(document: Document.Parsed, window: object, zone: string): void {
	const windows = freezes(document)
		.find((rule) => rule.get('id') === OWN_RULE)
		?.get('windows');
	if (isSeq(windows)) windows.add(document.createNode(window));
	else document.addIn(['rules'], document.createNode({ id: OWN_RULE, kind: 'freeze', title: calendar.ruleByHand, zone, windows: [window] }));
}

function freezes(document: Document.Parsed): YAMLMap[] {
	const rules = document.get('rules');
	return isSeq(rules) ? rules.items.filter((rule): rule is YAMLMap => isMap(rule) && rule.get('kind') === 'freeze') : [];
}

function windowOf(document: Document.Parsed, moved: Moved): YAMLMap | undefined {
	const windows = freezes(document)
		.find((rule) => rule.get('id') === moved.rule)
		?.get('windows');
	if (!isSeq(windows)) return undefined;
	const named = windows.items.filter((one): one is YAMLMap => isMap(one) && one.get('name') === moved.name);
	return named.find((one) => String(one.get('from')).startsWith(moved.from)) ?? named.find((one) => one.has('every'));
}

function seconds(wall: string): string {
	return wall.length === 16 ? `${wall}:00` : wall;
}
