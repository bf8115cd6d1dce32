<!-- What somebody else began and oneself may finish: policies to adopt, changes of the set-up to confirm. -->
<script lang="ts">
	import Group from '$lib/features/landed/group.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	import { when } from '$lib/time/time';
	import { confirming, drafts } from '$lib/words/desk';
	import type { DeskState } from './desk.svelte';
	let { desk, zone }: { desk: DeskState; zone: string } = $props();
	const at = (text: string) => when(new Date(text), zone, new Date());
</script>

<Group id="drafts" title={drafts.heading} count={desk.drafts.length}>
	{#each desk.drafts as one (one.environment.id)}
		<li>
			<a class="row" href="/policies?of={one.environment.id}">
				<span><Stamp says={drafts.stamp} /></span>
				<span><b>{one.environment.name}</b> <span class="soft">{drafts.version(one.version)}</span></span>
				<span>{drafts.wrote(one.by.name, at(one.drafted_at))}</span>
			</a>
		</li>
	{/each}
</Group>
<Group id="changes" title={confirming.heading} count={desk.changes.length}>
	{#each desk.changes as one (one.id)}
		<li>
			<a class="row" href="/set-up/{confirming.parts[one.kind]}">
				<span><Stamp says={confirming.stamp} /></span>
				<span class="wide">{confirming.asked(one.by.name, one.title)} <span class="soft">{at(one.asked_at)}</span></span>
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
	.wide {
		grid-column: 2 / -1;
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
		.wide {
			grid-column: auto;
		}
	}
</style>
