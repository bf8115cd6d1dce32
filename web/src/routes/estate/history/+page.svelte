<script lang="ts">
	import { page } from '$app/state';
	import Charts from '$lib/features/estate/monitors.svelte';
	import Compared from '$lib/features/estate/compared.svelte';
	import HistoryHead from '$lib/features/estate/history-head.svelte';
	import Row from '$lib/features/estate/history-row.svelte';
	import { HistoryState } from '$lib/features/estate/history.svelte';
	import Track from '$lib/features/estate/track.svelte';
	import { live } from '$lib/state/live.svelte';
	import { history as say } from '$lib/words/estate';

	const query = $derived(page.url.searchParams);
	const service = $derived(query.get('service') ?? undefined);
	const environment = $derived(query.get('at') ?? undefined);
	const history: HistoryState = new HistoryState(() => ({ service, environment })).follow(() => live.version);
	const pair = $derived.by(() => {
		const [of, before, after] = ['of', 'before', 'after'].map((key) => query.get(key));
		return of && before && after ? { service: of, before, after, environment } : null;
	});
	const versions = (id: string, but: string) => [...new Set(history.rows.filter((one) => one.service.id === id && one.version !== but).map((one) => one.version))];
</script>

<HistoryHead {service} {environment} />
{#if history.failed}<p class="failed" role="alert">{history.failed}</p>{/if}
{#if pair}{#key `${pair.service} ${pair.before} ${pair.after}`}<Compared {pair} />{/key}{/if}
{#if environment}<Charts {environment} {service} />{/if}
{#if history.first}
	<div class="tracks" class:one={!environment}>
		<section aria-labelledby="landings">
			<h2 class="label" id="landings">{say.landings}</h2>
			{#each history.rows as row (row.promotion)}<Row {row} others={versions(row.service.id, row.version)} place={Boolean(environment)} />{:else}<p>{say.none}</p>{/each}
			{#if history.next !== null}<button class="button quiet mt-4" disabled={history.busy} onclick={() => history.older()}>{history.busy ? say.reading : say.older}</button>{/if}
		</section>
		{#if environment}<Track track={history.track} />{/if}
	</div>
{:else if !history.failed}<p class="soft">{say.reading}</p>{/if}

<style>
	.tracks {
		display: grid;
		grid-template-columns: minmax(0, 3.4fr) minmax(0, 1fr);
		gap: 28px;
	}
	.tracks.one {
		grid-template-columns: minmax(0, 1fr);
	}
	@media (max-width: 1100px) {
		.tracks {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
