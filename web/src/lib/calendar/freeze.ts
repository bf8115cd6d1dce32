// Putting a closed time drawn by hand into the source of a policy.
import { isMap, isSeq, parseDocument } from 'yaml';

export interface Drawn {
	name: string;
	/** Wall time of the rule's zone: `2026-11-24T20:00`. */
	from: string;
	until: string;
}

const OWN_RULE = 'closed-by-hand';

/** The source with one more window; or with the window that was called and began so put elsewhere. */
export function withFreeze(source: string, drawn: Drawn, zone: string, moved?: { rule: string; name: string; from: string }): string {
	const document = parseDocument(source);
	const window = { name: drawn.name, from: seconds(drawn.from), until: seconds(drawn.until) };
	const rules = document.get('rules');
	const freezes = isSeq(rules) ? rules.items.filter(isMap).filter((rule) => rule.get('kind') === 'freeze') : [];
	if (moved) {
		const windows = freezes.find((rule) => rule.get('id') === moved.rule)?.get('windows');
		const found = isSeq(windows) ? windows.items.filter(isMap).find((one) => one.get('name') === moved.name && String(one.get('from')).startsWith(moved.from)) : undefined;
		if (found) {
			for (const [key, value] of Object.entries(window)) found.set(key, value);
			return document.toString({ lineWidth: 100 });
		}
	}
	const own = freezes.find((rule) => rule.get('id') === OWN_RULE);
	const windows = own?.get('windows');
	if (isSeq(windows)) windows.add(document.createNode(window));
	else document.addIn(['rules'], document.createNode({ id: OWN_RULE, kind: 'freeze', title: 'Closed by hand', zone, windows: [window] }));
	return document.toString({ lineWidth: 100 });
}

function seconds(wall: string): string {
	return wall.length === 16 ? `${wall}:00` : wall;
}
