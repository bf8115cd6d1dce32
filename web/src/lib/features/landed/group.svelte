<!-- A group of the Desk beside its promotions: its heading, how many there are, and the rows. -->
<script lang="ts">
	import type { Snippet } from 'svelte';
	let { id, title, count, children }: { id: string; title: string; count: number; children: Snippet } = $props();
</script>

{#if count}
	<section aria-labelledby="group-{id}" data-group={id}>
		<h2 id="group-{id}">{title}<span class="soft">{count}</span></h2>
		<ul>{@render children()}</ul>
	</section>
{/if}

<style>
	h2 {
		padding: 0.85rem 0 2px;
		border-bottom: 1.5px solid var(--ink);
	}
	h2 .soft {
		margin-left: 0.5rem;
		font-weight: 400;
	}
</style>
