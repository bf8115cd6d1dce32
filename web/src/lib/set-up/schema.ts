// A form made from the JSON Schema of a document: what is typed is text, what is sent is plain values.
export interface Property {
	name: string;
	label: string;
	hint: string;
	kind: 'text' | 'list' | 'number' | 'yes' | 'duration';
	needed: boolean;
	initial: string;
}

interface Schema {
	properties?: Record<string, Record<string, unknown>>;
	required?: string[];
}

const LABELS: Record<string, string> = {
	seconds: 'Time limit, seconds',
	header: 'Header for the secret',
	kind: 'Where the type stands',
	status: 'Where the status stands',
	title: 'Where the title stands',
	link: 'Where a link stands',
	blockers: 'Where its blockers stand',
	blocker_key: 'Key of a blocker',
	blocker_status: 'Status of a blocker',
	closed: 'Statuses that are closed',
	good_for: 'Last answer counts for',
	every: 'Read again every',
	keep: 'Kept for',
	names: 'Metrics to keep',
	prefer: 'Asked first'
};

function kindOf(schema: Record<string, unknown>): Property['kind'] {
	const any = (schema.anyOf as Record<string, unknown>[] | undefined)?.find((one) => one.type !== 'null') ?? schema;
	if (any.type === 'array') return 'list';
	if (any.type === 'boolean') return 'yes';
	if (any.format === 'duration') return 'duration';
	if (any.type === 'number' || any.type === 'integer' || (schema.anyOf as { type?: string }[] | undefined)?.some((one) => one.type === 'number')) return 'number';
	return 'text';
}

function labelOf(name: string): string {
	return LABELS[name] ?? name.charAt(0).toUpperCase() + name.slice(1).replaceAll('_', ' ');
}

export function properties(schema: Schema): Property[] {
	const all = Object.entries(schema.properties ?? {}).map(([name, one]) => ({
		name,
		label: labelOf(name),
		hint: typeof one.description === 'string' && one.description !== `${labelOf(name)}.` ? one.description : '',
		kind: kindOf(one),
		needed: schema.required?.includes(name) ?? false,
		initial: shown(one.default)
	}));
	const order = (one: Property) => (one.name === 'address' ? 0 : one.needed ? 1 : ['header', 'seconds'].includes(one.name) ? 3 : 2);
	return all.sort((a, b) => order(a) - order(b));
}

const UNITS: [unit: string, form: (count: string) => string][] = [
	['s', (count) => `PT${count}S`],
	['min', (count) => `PT${count}M`],
	['h', (count) => `PT${count}H`],
	['days', (count) => `P${count}D`]
];

/** `2 min` as ISO 8601 writes it; anything else as it was typed, for the server to refuse. */
function duration(text: string): string {
	const found = /^(\d+)\s*(s|min|h|days?)$/.exec(text);
	const unit = UNITS.find(([name]) => name === found?.[2] || name === `${found?.[2]}s`);
	return found && unit ? unit[1](found[1] ?? '') : text;
}

/** A value as one types it. */
export function shown(value: unknown): string {
	if (value === null || value === undefined) return '';
	if (Array.isArray(value)) return value.join(', ');
	const text = String(value);
	const iso = /^PT?(\d+)([SMHD])$/.exec(text);
	const unit = iso && UNITS[text.startsWith('PT') ? 'SMH'.indexOf(iso[2] ?? '') : 3];
	return iso && unit ? `${iso[1]} ${unit[0]}` : text;
}

/** What was typed as values; what was left empty is left out. */
export function sent(fields: Property[], typed: Record<string, string>): Record<string, unknown> {
	const out: Record<string, unknown> = {};
	for (const { name, kind } of fields) {
		const text = (typed[name] ?? '').trim();
		if (kind === 'yes') out[name] = text === 'true';
		else if (text === '') continue;
		else if (kind === 'number') out[name] = Number.isNaN(Number(text)) ? text : Number(text);
		else if (kind === 'list') out[name] = text.split(',').map((one) => one.trim()).filter(Boolean);
		else out[name] = kind === 'duration' ? duration(text) : text;
	}
	return out;
}
