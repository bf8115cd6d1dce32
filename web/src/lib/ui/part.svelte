<!-- A part of a view: where it cannot be shown it says so in its place, and takes nothing else with it. -->
<script lang="ts">
	import type { Snippet } from 'svelte';
	import { frame as say } from '$lib/words/frame';
	import Failed from './failed.svelte';

	/** `as` is what stands in its place, as its list asks for. */
	let { children, says = say.partFailed, as = 'p' }: { children: Snippet; says?: string; as?: 'p' | 'li' } = $props();
</script>

<svelte:boundary onerror={(error) => console.error(error)}>
	{@render children()}
	{#snippet failed(_, reset)}<Failed {says} {as} {reset} />{/snippet}
</svelte:boundary>
