<!-- What the Desk holds beside promotions under way: what goes wrong, and what has landed and nobody has confirmed. -->
<script lang="ts">
	import type { DeskState } from '$lib/features/desk/desk.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	import { incidents as say, signOff } from '$lib/words/landed';
	import IncidentOf from './incident-row.svelte';
	let { desk, zone }: { desk: DeskState; zone: string } = $props();
</script>

{#if desk.incidents.length}
	<section aria-labelledby="group-incidents" data-group="incidents">
		<h2 id="group-incidents">{say.desk}<span class="soft">{desk.incidents.length}</span></h2>
		<ul>{#each desk.incidents as incident (incident.number)}<IncidentOf {incident} {zone} onsaid={() => desk.load()} />{/each}</ul>
	</section>
{/if}
{#if desk.signOffs.length}
	<section aria-labelledby="group-landed" data-group="landed">
		<h2 id="group-landed">{signOff.desk}<span class="soft">{desk.signOffs.length}</span></h2>
		<ul>
			{#each desk.signOffs as one (one.promotion)}
				<li>
					<a class="landing" href="/promotion/{one.promotion}">
						<span><Stamp says={one.overdue ? signOff.overdue : signOff.stamps[one.state]!} /></span>
						<span class="what"><span><b>{one.service.name}</b> <span class="mono">{one.version}</span></span><span class="soft">{one.environment.name}</span></span>
						<span>{one.says}</span>
						<span class="yours">{one.yours ? signOff.say : ''}</span>
					</a>
				</li>
			{/each}
		</ul>
	</section>
{/if}

<style>
	h2 {
		padding: 0.85rem 0 2px;
		border-bottom: 1.5px solid var(--ink);
		font-size: 18px;
	}
	h2 .soft {
		margin-left: 0.5rem;
		font-weight: 400;
	}
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
		font-size: 12.5px;
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
