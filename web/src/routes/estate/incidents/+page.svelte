<script lang="ts">
	import { page } from '$app/state';
	import { IncidentListState } from '$lib/features/estate/incident-list.svelte';
	import OfService from '$lib/features/estate/of-service.svelte';
	import Parts from '$lib/features/estate/parts.svelte';
	import Row from '$lib/features/landed/incident-row.svelte';
	import { put } from '$lib/state/here.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { span } from '$lib/time/time';
	import { incidentList as say } from '$lib/words/estate';

	const query = $derived(page.url.searchParams);
	const closed = $derived(query.get('closed') === 'too');
	const list: IncidentListState = new IncidentListState(() => ({ environment: query.get('at') ?? undefined, service: query.get('service') ?? undefined, closed })).follow(() => live.version);
	const median = $derived(list.lasted[Math.floor((list.lasted.length - 1) / 2)]);
</script>

<svelte:head><title>{say.title}</title></svelte:head>
<div class="view-head">
	<h1 class="mr-auto">{say.heading} <span class="soft">{closed ? say.every : say.open}</span></h1>
	<Parts />
</div>
<p class="bar">
	<label><input type="checkbox" checked={closed} onchange={(event) => put({ closed: event.currentTarget.checked ? 'too' : null })} /> {say.also}</label>
	<OfService />
	{#if median !== undefined}<span class="soft">{say.restored(span(median), list.lasted.length)}</span>{/if}
</p>
{#if list.failed}<p class="failed" role="alert">{list.failed}</p>{/if}
<ul>{#each list.all as incident (incident.number)}<Row {incident} zone={session.zone} onsaid={() => list.load()} />{/each}</ul>
{#if list.loaded && list.all.length === 0}<p>{say.none}</p>{/if}
{#if list.more}<button class="button quiet" onclick={() => list.earlier()}>{say.earlier}</button>{/if}

<style>
	.bar {
		display: flex;
		flex-wrap: wrap;
		align-items: baseline;
		gap: 0.3rem 1.4rem;
		padding: 0.2rem 0 0.5rem;
		border-bottom: 1.5px solid var(--ink);
	}
</style>
