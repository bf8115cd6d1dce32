<!-- What has landed and nobody has signed off: what waits for oneself, or for others. -->
<script lang="ts">
	import type { Desk } from '$lib/api/client';
	import Stamp from '$lib/ui/stamp.svelte';
	import { signOff as say } from '$lib/words/landed';
	import Group from './group.svelte';
	let { some, yours }: { some: Desk['sign_offs']; yours: boolean } = $props();
</script>

<Group id={yours ? 'landed-yours' : 'landed'} title={yours ? say.yours : say.others} count={some.length}>
	{#each some as one (one.promotion)}
		<li>
			<a class="landing" href="/promotion/{one.promotion}">
				<span><Stamp says={one.overdue ? say.overdue : say.stamps[one.state]!} /></span>
				<span class="what"><span><b>{one.service.name}</b> <span class="mono">{one.version}</span></span><span class="soft">{one.environment.name}</span></span>
				<span>{one.says}</span>
				<span class="yours">{one.yours ? say.say : ''}</span>
			</a>
		</li>
	{/each}
</Group>

<style>
	.landing {
		display: grid;
		grid-template-columns: 92px 190px minmax(220px, 1fr) auto;
		column-gap: 18px;
		align-items: center;
		min-height: 52px;
		padding: 6px 0;
		border-bottom: 1px solid var(--hair);
	}
	.landing:hover,
	.landing:focus-visible {
		background: var(--wash);
	}
	.what {
		display: flex;
		flex-direction: column;
		line-height: 1.3;
	}
	.what .soft {
		font-size: var(--text-small);
	}
	.yours {
		color: var(--blue);
		font-weight: 600;
	}
	@media (max-width: 760px) {
		.landing {
			grid-template-columns: minmax(0, 1fr);
			row-gap: 3px;
		}
	}
</style>
