// Where a JSON Pointer (RFC 6901) leads in a YAML text, and which words fit there.
import { resolved, type Schema } from '$lib/api/json-schema';
import { isMap, isNode, parseDocument, type Document } from 'yaml';

export interface Place {
	from: number;
	to: number;
}

/** The place a pointer names, or the nearest one around it that is there. */
export function placeOf(source: string, pointer: string): Place {
	const document = parseDocument(source);
	const steps = pointer
		.split('/')
		.slice(1)
		.map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'));
	for (let n = steps.length; n > 0; n -= 1) {
		const found = at(document, steps.slice(0, n));
		if (found) return found;
	}
	return { from: 0, to: Math.min(source.indexOf('\n') + 1 || source.length, source.length) };
}

/** The rules a source holds, as plain values; none where it cannot be read. */
export function rulesOf(source: string): Rule[] {
	const plain = parseDocument(source).toJS() as { rules?: unknown } | null;
	return Array.isArray(plain?.rules) ? (plain.rules as Rule[]) : [];
}

export interface Rule {
	id?: string;
	kind?: string;
	[setting: string]: unknown;
}

/** A source with one value put in its place or, with undefined, taken away; the rest stays as it is written. */
export function written(source: string, path: (string | number)[], value: unknown): string {
	const document = parseDocument(source);
	if (value === undefined) document.deleteIn(path);
	else document.setIn(path, document.createNode(value));
	return document.toString({ lineWidth: 0, indentSeq: false });
}

/** Where a rule stands. */
export function placeOfRule(source: string, id: string): Place | null {
	const n = rulesOf(source).findIndex((rule) => rule.id === id);
	return n < 0 ? null : placeOf(source, `/rules/${n}`);
}

function at(document: Document.Parsed, steps: string[]): Place | null {
	const node = document.getIn(
		steps.map((step) => (/^\d+$/.test(step) ? Number(step) : step)),
		true
	);
	if (!isNode(node) || !node.range) return null;
	return { from: node.range[0], to: node.range[1] };
}

/** The keys that fit on a line of a rule of a kind, or of the policy itself where none is given. */
export function keysFor(schema: Schema, kind: string | null): { key: string; says: string }[] {
	const rule = kind === null ? schema : resolved(schema, schema.properties?.rules?.items?.discriminator?.mapping[kind]);
	return Object.entries(rule?.properties ?? {}).map(([key, value]) => ({ key, says: value.description ?? '' }));
}

/** The kind of the rule that a place in the text belongs to; null outside of the rules. */
export function kindAt(source: string, place: number): string | null {
	const document = parseDocument(source);
	const rules = document.get('rules', true);
	if (!isNode(rules) || !('items' in rules)) return null;
	for (const rule of rules.items as unknown[]) {
		if (isMap(rule) && rule.range && rule.range[0] <= place && place <= rule.range[2]) {
			const kind = rule.get('kind');
			return typeof kind === 'string' ? kind : null;
		}
	}
	return null;
}

/** The kinds of rules there are. */
export function kinds(schema: Schema): string[] {
	return Object.keys(schema.properties?.rules?.items?.discriminator?.mapping ?? {});
}
