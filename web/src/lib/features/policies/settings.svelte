<!-- The settings of a rule, or of one row in it: those that are set or needed, and a choice of the others. -->
<script lang="ts">
	import type { Property } from '$lib/api/json-schema';
	import { settings as say } from '$lib/words/policies';
	import Setting from './setting.svelte';

	type Path = (string | number)[];
	let {
		properties,
		value,
		path,
		brief = false,
		faultAt,
		onwrite
	}: {
		properties: Property[];
		value: Record<string, unknown>;
		path: Path;
		brief?: boolean;
		faultAt: (path: Path) => string;
		onwrite: (path: Path, value: unknown) => void;
	} = $props();

	let added = $state<string[]>([]);
	const here = $derived(properties.filter((one) => one.needed || one.name in value || added.includes(one.name)));
	const others = $derived(properties.filter((one) => !here.includes(one)));

	function add(event: Event & { currentTarget: HTMLSelectElement }) {
		const one = others.find(({ name }) => name === event.currentTarget.value);
		event.currentTarget.value = '';
		if (!one) return;
		added = [...added, one.name];
		if (one.kind === 'group') onwrite([...path, one.name], {});
	}
	function drop(name: string) {
		added = added.filter((one) => one !== name);
		onwrite([...path, name], undefined);
	}
</script>

<div class="settings" class:brief>
	{#each here as one (one.name)}
		<Setting property={one} value={value[one.name]} path={[...path, one.name]} {brief} {faultAt} {onwrite} ondrop={one.needed ? null : () => drop(one.name)} />
	{/each}
	{#if others.length}
		<label class="others">
			<span class="sr-only">{brief ? say.more : say.another}</span>
			<select class="field" onchange={add}>
				<option value="">{brief ? say.more : `${say.another}…`}</option>
				{#each others as one (one.name)}<option value={one.name}>{one.label}</option>{/each}
			</select>
		</label>
	{/if}
</div>

<style>
	.settings {
		flex: 1;
		min-width: 0;
		display: grid;
		grid-template-columns: repeat(auto-fill, minmax(180px, 1fr));
		gap: 0.6rem 1rem;
		align-items: start;
	}
	.brief {
		grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
	}
	.brief .others {
		padding-top: 1.3rem;
	}
	.others .field {
		width: auto;
		max-width: 10rem;
		color: var(--ink-soft);
	}
</style>
