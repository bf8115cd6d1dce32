<!-- One of a few choices that are all in sight. -->
<script lang="ts">
	import { SegmentedControl } from '@skeletonlabs/skeleton-svelte';

	type Props = {
		label: string;
		/** What each choice stands for, and its words. */
		choices: [number, string][];
		value: number;
	};
	let { label, choices, value = $bindable() }: Props = $props();
</script>

<SegmentedControl class="segments" value={String(value)} onValueChange={(to) => (value = Number(to.value))}>
	<SegmentedControl.Label class="segments-label">{label}</SegmentedControl.Label>
	<SegmentedControl.Control class="segments-all">
		{#each choices as [one, words] (one)}
			<SegmentedControl.Item class="segment" value={String(one)}>
				<SegmentedControl.ItemText>{words}</SegmentedControl.ItemText>
				<SegmentedControl.ItemHiddenInput />
			</SegmentedControl.Item>
		{/each}
	</SegmentedControl.Control>
</SegmentedControl>

<style>
	:global(.segments) {
		display: flex;
		flex-flow: row wrap;
		align-items: center;
		justify-content: start;
		gap: 0.3rem 0.6rem;
	}
	:global(.segments-label) {
		font: inherit;
		font-weight: 600;
	}
	:global(.segments-all) {
		display: flex;
		flex-wrap: wrap;
		width: auto;
		padding: 0;
		gap: 0;
		border: 1px solid var(--hair-strong);
		border-radius: 0;
		background: none;
	}
	:global(.segments .segment) {
		flex: none;
		padding: 0.15rem 0.7rem;
		border-radius: 0;
		font: inherit;
		font-weight: 400;
		color: var(--ink);
		cursor: pointer;
	}
	:global(.segments .segment + .segment) {
		border-left: 1px solid var(--hair-strong);
	}
	:global(.segments .segment:hover) {
		background: var(--wash);
	}
	:global(.segments .segment[data-state='checked']) {
		background: var(--ink);
		color: var(--paper);
	}
	:global(.segment[data-focus-visible]) {
		outline: 2px solid var(--blue);
		outline-offset: 2px;
	}
</style>
