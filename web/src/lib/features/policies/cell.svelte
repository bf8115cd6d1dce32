<!-- One rule of one environment, edited where it stands on the board, with what that would change beside it. -->
<script lang="ts">
	import type { Board } from '$lib/api/client';
	import { blank, properties, resolved, type Schema } from '$lib/api/json-schema';
	import { cell as say } from '$lib/words/policies';
	import Changes from './changes.svelte';
	import Keep from './keep.svelte';
	import { choosing, type Names } from './names';
	import { rulesOf, written } from './places';
	import Settings from './settings.svelte';
	import type { Writing } from './writing.svelte';

	let {
		column,
		kind,
		name,
		rule,
		schema,
		names,
		writing,
		source,
		back,
		onkept,
		onnamed
	}: {
		column: Board['columns'][number];
		kind: string;
		/** What rules of the kind are called on the board. */
		name: string;
		/** The rule's id; null for one that is to be asked for as well. */
		rule: string | null;
		schema: Schema;
		names: Names;
		writing: Writing;
		/** Where its source is opened. */
		source: string;
		back: string;
		onkept: () => Promise<void>;
		onnamed: (rule: string | null) => void;
	} = $props();

	const rules = $derived(rulesOf(writing.source));
	const n = $derived(rules.findIndex((one) => one.id === rule));
	const LAST = ['fresh', 'advisory', 'when', 'waivable'];
	const fields = $derived.by(() => {
		const of = properties(resolved(schema, schema.properties?.rules?.items?.discriminator?.mapping[kind]) ?? {}, {}, schema);
		const shown = choosing(of, names).filter((one) => !['id', 'kind'].includes(one.name));
		return [...shown.filter((one) => !LAST.includes(one.name)), ...shown.filter((one) => LAST.includes(one.name))];
	});

	function write(path: (string | number)[], value: unknown) {
		writing.write(written(writing.source, path, value));
	}
	function faultAt(path: (string | number)[]): string {
		const place = `/${path.join('/')}`;
		const whole = path.length > 3 || !fields.some((one) => one.name === path[2] && ['rows', 'group'].includes(one.kind));
		return writing.faults.find((fault) => fault.pointer === place || (whole && fault.pointer.startsWith(`${place}/`)))?.reason ?? '';
	}
	function ask() {
		const ids = rules.map((one) => one.id);
		let id = kind;
		for (let more = 2; ids.includes(id); more += 1) id = `${kind}-${more}`;
		write(['rules', rules.length], { id, kind, ...blank(fields), title: name });
		onnamed(id);
	}
	function drop() {
		write(['rules', n], undefined);
		onnamed(null);
	}
	function first(form: HTMLElement) {
		form.querySelector<HTMLElement>('input, select, button')?.focus();
	}
</script>

<div class="halves">
	<div class="own">
		<form class="rule" aria-label={say.named(name, column.environment.name)} onsubmit={(event) => event.preventDefault()} {@attach first}>
			<p class="where"><b>{name}</b> {say.place(column.environment.name)} <a class="underline" href={source}>{say.theWholeSource}</a> <a class="underline" href={back} data-sveltekit-noscroll>{say.backToTheBoard}</a></p>
			{#if n >= 0}
				<Settings properties={fields} value={rules[n] ?? {}} path={['rules', n]} {faultAt} onwrite={write} />
				<p class="acts">
					<button type="button" class="button grave" onclick={drop}>{say.askForThisNoLonger}</button>
					<button type="button" class="button quiet" onclick={ask}>{say.askForAnotherOfThe}</button>
				</p>
			{:else}
				<p class="soft">{say.notAsked(column.environment.name, column.baseline !== null)}</p>
				<button type="button" class="button" onclick={ask}>{say.askForIt}</button>
			{/if}
		</form>
		<Keep {writing} {onkept} />
	</div>
	<div class="side">
		<Changes {writing} faults={writing.faults.filter((one) => !one.pointer.startsWith(`/rules/${n}/`))} />
	</div>
</div>

<style>
	.halves {
		display: grid;
		grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
		gap: 24px;
		padding: 0.7rem 0 0.9rem;
	}
	.where a {
		margin-left: 0.8rem;
	}
	.rule {
		display: grid;
		gap: 0.6rem;
		justify-items: stretch;
		align-content: start;
	}
	.own {
		display: grid;
		gap: 1rem;
		align-content: start;
	}
	.rule > .button {
		justify-self: start;
	}
	.acts {
		display: flex;
		gap: 0.6rem;
	}
	@media (max-width: 900px) {
		.halves {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
