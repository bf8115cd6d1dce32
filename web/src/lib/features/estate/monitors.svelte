<!-- The monitors of an environment on one axis of time, with a mark for everything that happened. -->
<script lang="ts">
	import 'uplot/dist/uPlot.min.css';
	import { page } from '$app/state';
	import { here, put } from '$lib/state/here.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { charts as say } from '$lib/words/estate';
	import { ChartsState, nearest, spanOf, type Stretch } from './charts.svelte';
	import Marks from './event-marks.svelte';
	import Pick from './pick-monitors.svelte';
	import { plot } from './plot.svelte';
	import StretchOf from './stretch.svelte';
	let { environment, service }: { environment: string; service: string | undefined } = $props();

	const zone = session.zone;
	const query = $derived(page.url.searchParams);
	const span = $derived(spanOf(query.get('span')));
	const chosen = $derived(query.getAll('draw'));
	let width = $state(900);
	const drawing: ChartsState = new ChartsState(
		() => ({ environment, service, span: span.id, chosen }),
		() => Math.min(2000, Math.max(100, Math.round(width / 1.5)))
	).follow(() => live.version);
	const found = $derived(drawing.found);
	let at = $state<number | null>(null);
	const told = $derived(found && at !== null ? nearest(found.occurrences, at, (found.end - found.start) / 120) : null);
	const value = (line: NonNullable<typeof found>['lines'][number]) => line.mean.at(-1);
	const iso = (instant: number) => new Date(Math.floor(instant / 1000) * 1000).toISOString().replace('.000Z', 'Z');
	const stretched = (stretch: Stretch) => put({ from: iso(stretch.start), until: iso(stretch.end) });
</script>

<section aria-labelledby="charts" bind:clientWidth={width}>
	<header>
		<h2 class="label" id="charts">{say.heading}</h2>
		<p class="told" role="status">{told ? `${when(new Date(told.at), zone, new Date())}: ${told.says}` : say.hint}</p>
		{#if found}<Pick monitors={found.monitors} drawn={found.lines.map((one) => one.name)} />{/if}
		<nav class="spans" aria-label={say.which}>{#each say.spans as one (one.id)}<a href={here({ span: one.id })} aria-current={one.id === span.id ? 'true' : undefined}>{one.label}</a>{/each}</nav>
	</header>
	{#if drawing.failed}<p class="failed" role="alert">{drawing.failed}</p>{/if}
	{#if found}
		{#if found.lines.length === 0}<p class="soft">{say.none}</p>{:else}<Marks {found} {zone} />{/if}
		{#each found.lines as line, n (n)}
			<figure data-monitor={line.name}>
				<figcaption><b>{line.name}</b>{#if value(line) !== undefined} <span class="mono">{Number(value(line)?.toPrecision(3))}</span>{/if}{#if line.at_most !== null || line.at_least !== null}<span class="soft">{say.limit(found.monitors.find((one) => one.name === line.name)?.limit ?? '')}</span>{/if}</figcaption>
				{#if line.unknown}<p class="soft">{say.unknown(line.unknown)}</p>
				{:else if line.at.length === 0}<p class="soft">{say.empty}</p>
				{:else}<div {@attach plot(() => ({ line, occurrences: found.occurrences, start: found.start, end: found.end, zone, onpoint: (one) => (at = one), onstretch: stretched }))}></div>{/if}
			</figure>
		{/each}
		<StretchOf {environment} {service} {zone} />
	{:else if !drawing.failed}<p class="soft">{say.reading}</p>{/if}
</section>

<style>
	section {
		padding-bottom: 0.8rem;
	}
	header {
		display: flex;
		flex-wrap: wrap;
		align-items: baseline;
		gap: 0.2rem 1.2rem;
	}
	.told {
		flex: 1;
		min-width: 16rem;
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	figure {
		border-bottom: 1px solid var(--hair);
	}
	figcaption {
		display: flex;
		gap: 0.6rem;
		align-items: baseline;
		padding-top: 0.3rem;
		font-size: var(--text-note);
	}
	figure :global(.u-select) {
		background: color-mix(in oklab, var(--blue) 18%, transparent);
	}
	figure :global(.u-cursor-x) {
		border-right: 1px dashed var(--ink-soft);
	}
</style>
