<!-- One field of a form, with what it is for and what is wrong with it. -->
<script lang="ts">
	import type { Snippet } from 'svelte';
	let { label, hint = '', fault = '', wide = false, children }: { label: string; hint?: string; fault?: string; wide?: boolean; children: Snippet<[{ id: string; describedby: string | undefined; invalid: true | undefined }]> } = $props();
	const id = $props.id();
	const describedby = $derived(hint || fault ? `${id}-about` : undefined);
</script>

<div class="one" class:wide>
	<label for={id}>{label}</label>
	{@render children({ id, describedby, invalid: fault ? true : undefined })}
	{#if hint || fault}<span id="{id}-about" class="about" class:fault>{fault || hint}</span>{/if}
</div>

<style>
	.one {
		display: grid;
		gap: 2px;
		align-content: start;
	}
	.wide {
		grid-column: 1 / -1;
	}
	label {
		font-weight: 600;
	}
</style>
