// A form made from the JSON Schema of a document: what is typed is text, what is sent is plain values.
export interface Property {
	name: string;
	label: string;
	hint: string;
	kind: 'text' | 'list' | 'number' | 'yes' | 'duration' | 'choice' | 'choices' | 'rows' | 'group';
	needed: boolean;
	initial: string;
	/** What may be chosen, where it is a choice. */
	choices: string[];
	/** What choices are called, where that is not what they are. */
	called: Record<string, string>;
	/** What each row, or the group, is made of. */
	of: Property[];
}

export interface Schema {
	$ref?: string;
	$defs?: Record<string, Schema>;
	properties?: Record<string, Schema>;
	required?: string[];
	type?: string;
	format?: string;
	enum?: string[];
	const?: string;
	anyOf?: Schema[];
	items?: Schema & { discriminator?: { mapping: Record<string, string> } };
	default?: unknown;
	description?: string;
}

function kindOf(schema: Schema): Property['kind'] {
	const any = schema.anyOf?.find((one) => one.type !== 'null') ?? schema;
	if (any.$ref) return 'group';
	if (any.type === 'array') return any.items?.$ref ? 'rows' : any.items?.enum ? 'choices' : 'list';
	if (any.enum) return 'choice';
	if (any.type === 'boolean') return 'yes';
	if (any.format === 'duration') return 'duration';
	if (any.type === 'number' || any.type === 'integer' || schema.anyOf?.some((one) => one.type === 'number')) return 'number';
	return 'text';
}

/** What a reference within a document names. */
export function resolved(root: Schema, ref: string | undefined): Schema | undefined {
	return ref === undefined ? undefined : root.$defs?.[ref.split('/').at(-1) ?? ''];
}

function labelOf(name: string): string {
	return name.charAt(0).toUpperCase() + name.slice(1).replaceAll('_', ' ');
}

/** The fields of a form, in an order for people; some may be called otherwise than by their names. */
export function properties(schema: Schema, labels: Record<string, string> = {}, root: Schema = schema): Property[] {
	const all = Object.entries(schema.properties ?? {}).map(([name, one]): Property => {
		const any = one.anyOf?.find((other) => other.type !== 'null') ?? one;
		const inner = resolved(root, any.$ref ?? any.items?.$ref);
		const label = labels[name] ?? labelOf(name);
		return {
			name,
			label,
			hint: one.description && one.description !== `${label}.` ? one.description : '',
			kind: kindOf(one),
			needed: schema.required?.includes(name) ?? false,
			initial: shown(one.default),
			choices: any.enum ?? any.items?.enum ?? [],
			called: {},
			of: inner ? properties(inner, labels, root) : []
		};
	});
	const order = (one: Property) => (one.name === 'address' ? 0 : one.needed ? 1 : ['header', 'seconds'].includes(one.name) ? 3 : 2);
	return all.sort((a, b) => order(a) - order(b));
}

const SPAN = /^(?:(\d+)\s*(?:d|days?))?\s*(?:(\d+)\s*h)?\s*(?:(\d+)\s*min)?\s*(?:(\d+)\s*s)?$/;
const ISO = /^P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)S)?)?$/;

/** `1 day 2 h` as ISO 8601 writes it; anything else as it was typed, for the server to refuse. */
export function duration(text: string): string {
	const [, days, ...rest] = SPAN.exec(text) ?? [];
	const time = rest.map((count, n) => (count ? count + 'HMS'.charAt(n) : '')).join('');
	return days || time ? `P${days ? `${days}D` : ''}${time ? `T${time}` : ''}` : text;
}

/** A value as one types it. */
export function shown(value: unknown): string {
	if (value === null || value === undefined) return '';
	if (Array.isArray(value)) return value.join(', ');
	const text = String(value);
	const [, days, ...rest] = ISO.exec(text) ?? [];
	const parts = [days && `${days} day${days === '1' ? '' : 's'}`, ...rest.map((count, n) => count && `${count} ${['h', 'min', 's'][n]}`)];
	return parts.filter(Boolean).join(' ') || text;
}

/** Something new with what it needs, all of it still empty. */
export function blank(fields: Property[]): Record<string, unknown> {
	const needed = fields.filter((one) => one.needed);
	return Object.fromEntries(needed.map((one) => [one.name, ['list', 'choices', 'rows'].includes(one.kind) ? [] : '']));
}

/** What was typed into one field as its value; undefined where it was left empty. */
export function valueOf({ kind }: Property, typed: string): unknown {
	const text = typed.trim();
	if (kind === 'yes') return text === 'true';
	if (text === '') return undefined;
	if (kind === 'number') return Number.isNaN(Number(text)) ? text : Number(text);
	if (kind === 'list' || kind === 'choices') return text.split(',').map((one) => one.trim()).filter(Boolean);
	return kind === 'duration' ? duration(text) : text;
}

/** What was typed as values; what was left empty is left out. */
export function sent(fields: Property[], typed: Record<string, string>): Record<string, unknown> {
	const values = fields.map((one) => [one.name, valueOf(one, typed[one.name] ?? '')]);
	return Object.fromEntries(values.filter(([, value]) => value !== undefined));
}
