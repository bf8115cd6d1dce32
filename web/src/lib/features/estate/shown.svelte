<!-- A board: its services by environments, and its charts with what happened. -->
<script lang="ts">
	import 'uplot/dist/uPlot.min.css';
	import { page } from '$app/state';
	import { boards as say, charts } from '$lib/words/estate';
	import type { Shown } from './boards.svelte';
	import Marks from './event-marks.svelte';
	import Matrix from './matrix.svelte';
	import { plot } from './plot.svelte';
	let { found, zone, links = true }: { found: Shown; zone: string; links?: boolean } = $props();

	const start = $derived(Date.parse(found.start));
	const end = $derived(Date.parse(found.estate.at));
</script>

{#if found.estate.rows.length}<div inert={!links}><Matrix found={found.estate} rows={found.estate.rows} url={page.url} /></div>{:else}<p>{say.nothing}</p>{/if}
<div class="charts">
	{#each found.charts as { environment, line, occurrences }, n (n)}
		<figure data-monitor={line.name}>
			<figcaption><b>{line.name}</b> <span>{environment.name}</span>{#if line.mean.length} <span class="mono now">{Number(line.mean.at(-1)!.toPrecision(3))}</span>{/if}</figcaption>
			{#if line.unknown}<p class="soft">{charts.unknown(line.unknown)}</p>
			{:else if line.at.length === 0}<p class="soft">{charts.empty}</p>
			{:else}
				<div inert={!links}><Marks found={{ occurrences, start, end }} {zone} /></div>
				<div {@attach plot(() => ({ line, occurrences, start, end, zone, onpoint: () => undefined, onstretch: () => undefined, height: links ? undefined : 200 }))}></div>
			{/if}
		</figure>
	{/each}
</div>

<style>
	.charts {
		display: grid;
		grid-template-columns: repeat(auto-fit, minmax(min(100%, 28rem), 1fr));
		gap: 1rem 2rem;
		padding-top: 1rem;
	}
	figcaption {
		display: flex;
		gap: 0.6rem;
		align-items: baseline;
	}
	.now {
		font-weight: 600;
	}
	figure :global(.u-select) {
		display: none;
	}
</style>
