<!-- The outcome of one rule: a small drawn mark and its word. -->
<script lang="ts">
	import type { Finding } from '$lib/api/client';
	let { outcome }: { outcome: Finding['outcome'] } = $props();
</script>

<span class="outcome" data-outcome={outcome}>
	<svg viewBox="0 0 16 16" width="15" height="15" aria-hidden="true">
		{#if outcome === 'met'}
			<path d="M8 1 15 8 8 15 1 8Z" fill="currentColor" />
		{:else if outcome === 'pending'}
			<path d="M3 1.5h10L3 14.5h10Z" fill="none" stroke="currentColor" stroke-width="1.8" stroke-linejoin="round" />
		{:else if outcome === 'unmet'}
			<path d="M1 4.5h14v7H1Z" fill="currentColor" /><path d="M4 8h8" stroke="var(--paper)" stroke-width="1.8" />
		{:else if outcome === 'unknown'}
			<circle cx="8" cy="8" r="6" fill="none" stroke="currentColor" stroke-width="2" stroke-dasharray="2.2 2.5" />
		{:else if outcome === 'waived'}
			<path d="M1 10c3-6 5-6 7-2s4 4 7-2" fill="none" stroke="currentColor" stroke-width="2" />
		{:else}
			<path d="M3 8h10" stroke="currentColor" stroke-width="1.6" />
		{/if}
	</svg>
	<span>{outcome}</span>
</span>

<style>
	.outcome {
		display: inline-flex;
		align-items: center;
		gap: 0.4rem;
		font-family: var(--serif);
		font-variant-caps: all-small-caps;
		font-weight: 700;
		font-size: var(--text-label);
		letter-spacing: 0.05em;
		white-space: nowrap;
		color: var(--ink-soft);
	}
	svg {
		flex: none;
	}
	[data-outcome='met'] {
		color: var(--verdigris);
	}
	[data-outcome='pending'] {
		color: var(--ochre);
	}
	[data-outcome='unmet'] {
		color: var(--wax);
	}
	[data-outcome='unknown'] {
		color: var(--blue);
	}
</style>
