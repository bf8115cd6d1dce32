// What people read stands here, not in the components: one place to review the wording, or to translate it.
import { parse } from 'svelte/compiler';
import { expect, test } from 'vitest';

const components = import.meta.glob<string>('/src/**/*.svelte', { query: '?raw', import: 'default', eager: true });
/** Values that the API gives and takes are no wording of ours. */
const api = Object.values(import.meta.glob<string>('/src/lib/api/*.ts', { query: '?raw', import: 'default', eager: true })).join('');
const SHOWN = ['placeholder', 'title', 'label', 'hint', 'alt', 'aria-label', 'aria-description', 'aria-valuetext'];
const AS_IT_IS = ['kbd', 'code', 'style'];
const ADDRESS = /^\/[\w/-]+$/;
const KEY = /^((Arrow|Page)?(Up|Down|Left|Right)|Enter|Escape|Home|End)$/;

interface Node {
	type?: string;
	name?: string;
	data?: string;
	value?: unknown;
	callee?: { property?: { name: string } };
	[key: string]: unknown;
}

function isWording(text: string): boolean {
	const several = /\p{L}{2} |\s\p{L}{2}|\p{L}…/u.test(text);
	return (several || /^[A-Z][a-z]/.test(text)) && !KEY.test(text) && !/[/=[\]()<>]/.test(text) && !new RegExp(`["']${text}["']`).test(api);
}

/** The wording in a part of a component; `shown` where any text would be seen. */
function* wording(part: unknown, shown = false): Generator<string> {
	if (Array.isArray(part)) for (const one of part) yield* wording(one, shown);
	if (!part || typeof part !== 'object' || Array.isArray(part)) return;
	const { type = '', name = '', ...rest } = part as Node;
	if (type.startsWith('TS') || type === 'ImportDeclaration' || AS_IT_IS.includes(name)) return;
	if (rest.callee?.property?.name === 'querySelector') return;
	if (type === 'Attribute') yield* wording(rest.value, SHOWN.includes(name));
	else if (type === 'Text' && shown && /\p{L}{2}/u.test(rest.data ?? '') && !ADDRESS.test(rest.data ?? '')) yield (rest.data ?? '').trim();
	else if (type === 'Literal' && typeof rest.value === 'string' && isWording(rest.value)) yield rest.value;
	else if (type === 'TemplateElement' && isWording((rest.value as { cooked: string }).cooked)) yield (rest.value as { cooked: string }).cooked;
	else for (const inner of Object.values(rest)) yield* wording(inner, type === 'Fragment' || (shown && type !== 'ExpressionTag'));
}

test.each(Object.keys(components))('%s takes its wording from here', (path) => {
	const { fragment, instance } = parse(components[path] ?? '', { modern: true });
	expect([...wording(fragment), ...wording(instance)]).toEqual([]);
});

test('wording in a component is found wherever it stands', () => {
	const { fragment, instance } = parse("<script>const a = 'Two words';</script><p title={`With ${a} inside`}>Text {a ? 'or this one' : ''}</p><input placeholder=\"Name\" /><kbd>Esc</kbd>", { modern: true });
	expect([...wording(fragment), ...wording(instance)]).toEqual(['With ', ' inside', 'Text', 'or this one', 'Name', 'Two words']);
});

// Two of one key end the whole view. Words, and names put together, may be the same twice; what was given as an id is not.
const DOUBLED = /\+|^(said|says|why|what|words)$|\.(says|why|words|field|message|file)$/;

test.each(Object.keys(components))('%s tells its lines apart by what is theirs alone', (path) => {
	const keys = [...(components[path] ?? '').matchAll(/\{#each [^\n]*? as [^\n]*?\(((?:[^()]|\([^()]*\))+)\)\}/g)].map(([, key]) => key ?? '');
	expect(keys.filter((key) => DOUBLED.test(key))).toEqual([]);
});
