<!-- Where something else is seen to run than landed. -->
<script lang="ts">
	import type { DeskState } from '$lib/features/desk/desk.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	import { when } from '$lib/time/time';
	import { drifts as say } from '$lib/words/landed';
	import Group from './group.svelte';
	let { desk, zone }: { desk: DeskState; zone: string } = $props();
</script>

<Group id="drifts" title={say.desk} count={desk.drifts.length}>
	{#each desk.drifts as one (`${one.service.id}/${one.environment.id}`)}
		<li>
			<a class="row" href="/estate/history?service={one.service.id}&at={one.environment.id}">
				<span><Stamp says={say.stamp} /></span>
				<span class="what"><b>{one.service.name}</b><span class="soft">{one.environment.name}</span></span>
				<span class="what">{one.says}<span class="soft">{say.since(when(new Date(one.since), zone, new Date()))}</span></span>
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
		padding: 7px 0;
		border-bottom: 1px solid var(--hair);
	}
	.row:hover {
		background: var(--wash);
	}
	.what {
		display: grid;
		line-height: 1.3;
	}
	.soft {
		font-size: var(--text-small);
	}
	@media (max-width: 760px) {
		.row {
			grid-template-columns: minmax(0, 1fr);
			row-gap: 4px;
		}
	}
</style>
