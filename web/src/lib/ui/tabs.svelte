<!-- Several things in one place, of which one is shown. -->
<script lang="ts">
	import { Tabs } from '@skeletonlabs/skeleton-svelte';
	import type { Snippet } from 'svelte';

	type Props = {
		tabs: { id: string; name: string }[];
		shown: string;
		/** What stands beside the names. */
		head: Snippet;
		/** What stands below them whichever is shown. */
		beside: Snippet;
		children: Snippet<[string]>;
	};
	let { tabs, shown = $bindable(), head, beside, children }: Props = $props();
</script>

<Tabs value={shown} onValueChange={({ value }) => (shown = value)}>
	<div class="bar">
		{@render head()}
		<Tabs.List class="tab-names">
			{#each tabs as tab (tab.id)}<Tabs.Trigger value={tab.id}>{tab.name}</Tabs.Trigger>{/each}
		</Tabs.List>
	</div>
	<div class="halves">
		{@render beside()}
		{#each tabs as tab (tab.id)}<Tabs.Content class="shown" value={tab.id}>{#if tab.id === shown}{@render children(tab.id)}{/if}</Tabs.Content>{/each}
	</div>
</Tabs>

<style>
	.bar {
		display: flex;
		flex-wrap: wrap;
		align-items: baseline;
		gap: 0.2rem 1rem;
		border-bottom: 1.5px solid var(--ink);
		padding-bottom: 3px;
	}
	.bar :global(.tab-names) {
		margin: 0 0 0 auto;
		display: flex;
		gap: 1rem;
		padding: 0;
		border: 0;
		font-family: var(--serif);
		font-size: var(--text-lead);
	}
	.bar :global(.tab-names button) {
		padding: 0;
		border-radius: 0;
		background: none;
	}
	.bar :global(.tab-names [aria-selected='true']) {
		font-weight: 700;
		box-shadow: 0 2px 0 var(--wax);
	}
	.halves {
		display: grid;
		grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
		gap: 24px;
		padding-top: 0.8rem;
	}
	@media (max-width: 900px) {
		.halves {
			grid-template-columns: 1fr;
		}
	}
</style>
