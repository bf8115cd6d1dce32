<!-- A line that opens where it stands to more of the same thing. -->
<script lang="ts">
	import type { Snippet } from 'svelte';
	import type { HTMLDetailsAttributes } from 'svelte/elements';

	/** `opens` is false where there is no more of it. */
	let { line, children, opens = true, ...rest }: { line: Snippet; children: Snippet; opens?: boolean } & Omit<HTMLDetailsAttributes, 'children'> = $props();
</script>

{#if opens}
	<details {...rest}>
		<summary class="line">{@render line()}</summary>
		<div class="inside">{@render children()}</div>
	</details>
{:else}
	<div class="line">{@render line()}</div>
{/if}

<style>
	.line {
		display: grid;
		grid-template-columns: 12px minmax(0, 1fr) auto;
		align-items: baseline;
		column-gap: 0.2rem;
		padding: 3px 0;
		line-height: 1.3;
	}
	summary {
		cursor: pointer;
		list-style: none;
	}
	summary::before {
		content: '›';
		color: var(--ink-soft);
	}
	details[open] > summary::before {
		content: '⌄';
	}
	summary:hover > :global(:first-child) {
		text-decoration: underline;
		text-underline-offset: 3px;
	}
	/* What the line says comes first, a figure at its end, the rest below. */
	.line > :global(:first-child) {
		grid-column: 2;
		overflow-wrap: anywhere;
	}
	.line > :global(.figure) {
		grid-column: 3;
		white-space: nowrap;
	}
	.line > :global(.below) {
		grid-column: 2 / -1;
		overflow-wrap: anywhere;
	}
	.inside {
		padding: 0 0 0.5rem 14px;
		font-size: var(--text-note);
	}
</style>
