<!-- What goes wrong, or did and nobody has closed. -->
<script lang="ts">
	import type { DeskState } from '$lib/features/desk/desk.svelte';
	import { incidents as say } from '$lib/words/landed';
	import Group from './group.svelte';
	import IncidentOf from './incident-row.svelte';
	let { desk, zone }: { desk: DeskState; zone: string } = $props();
</script>

<Group id="incidents" title={say.desk} count={desk.incidents.length}>
	{#each desk.incidents as incident (incident.number)}<IncidentOf {incident} {zone} onsaid={() => desk.load()} />{/each}
</Group>
