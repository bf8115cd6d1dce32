<!-- Any of several things, each with a box. -->
<script lang="ts" generics="Id extends string">
	type Props = {
		/** What they are called together, and what is said of those that are chosen. */
		name: string;
		says: string;
		options: { id: Id; name: string }[];
		chosen: Id[];
		fault?: string;
	};
	let { name, says, options, chosen = $bindable(), fault = '' }: Props = $props();

	function toggle(id: Id) {
		chosen = chosen.includes(id) ? chosen.filter((one) => one !== id) : [...chosen, id];
	}
</script>

<div role="group" aria-label={name}>
	<b>{says}</b>
	{#each options as one (one.id)}<label><input type="checkbox" checked={chosen.includes(one.id)} onchange={() => toggle(one.id)} /> {one.name}</label>{/each}
	{#if fault}<span class="wrong">{fault}</span>{/if}
</div>

<style>
	div {
		grid-column: 1 / -1;
		display: flex;
		flex-wrap: wrap;
		gap: 0.2rem 1.1rem;
	}
	b {
		min-width: 4rem;
	}
</style>
