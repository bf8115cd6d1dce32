<!-- What goes wrong, or did and nobody has closed. -->
<script lang="ts">
	import type { DeskState } from '$lib/features/desk/desk.svelte';
	import { incidents as say } from '$lib/words/landed';
	import IncidentOf from './incident-row.svelte';
	let { desk, zone }: { desk: DeskState; zone: string } = $props();
</script>

{#if desk.incidents.length}
	<section aria-labelledby="group-incidents" data-group="incidents">
		<h2 id="group-incidents">{say.desk}<span class="soft">{desk.incidents.length}</span></h2>
		<ul>{#each desk.incidents as incident (incident.number)}<IncidentOf {incident} {zone} onsaid={() => desk.load()} />{/each}</ul>
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
</style>
