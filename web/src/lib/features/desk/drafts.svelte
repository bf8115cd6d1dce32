<!-- Policies that somebody else wrote and oneself may adopt: they wait until somebody does. -->
<script lang="ts">
	import Group from '$lib/features/landed/group.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	import { when } from '$lib/time/time';
	import { drafts as say } from '$lib/words/desk';
	import type { DeskState } from './desk.svelte';
	let { desk, zone }: { desk: DeskState; zone: string } = $props();
</script>

<Group id="drafts" title={say.heading} count={desk.drafts.length}>
	{#each desk.drafts as one (one.environment.id)}
		<li>
			<a class="row" href="/policies?of={one.environment.id}">
				<span><Stamp says={say.stamp} /></span>
				<span><b>{one.environment.name}</b> <span class="soft">{say.version(one.version)}</span></span>
				<span>{say.wrote(one.by.name, when(new Date(one.drafted_at), zone, new Date()))}</span>
			</a>
		</li>
	{/each}
</Group>

<style>
	.row {
		display: grid;
		grid-template-columns: 92px 190px minmax(0, 1fr);
		column-gap: 18px;
		align-items: center;
		min-height: 44px;
		padding: 6px 0;
		border-bottom: 1px solid var(--hair);
	}
	.row:hover,
	.row:focus-visible {
		background: var(--wash);
	}
	@media (max-width: 760px) {
		.row {
			grid-template-columns: minmax(0, 1fr);
			row-gap: 4px;
		}
	}
</style>
