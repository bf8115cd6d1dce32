<!-- One monitor: its verdict, what is known in a sentence, and the range that is known, narrowing look by look. -->
<script lang="ts">
	import 'uplot/dist/uPlot.min.css';
	import type { Monitor } from '$lib/api/client';
	import { clock } from '$lib/time/time';
	import { course as say } from '$lib/words/course';
	import Stamp from '$lib/ui/stamp.svelte';
	import { drawn, figure } from './chart.svelte';
	let { monitor, zone }: { monitor: Monitor; zone: string } = $props();

	const latest = $derived(monitor.points.slice(-12).reverse());
	const shown = (value: number | null | undefined) => figure(monitor, value);
</script>

<article aria-label={monitor.name}>
	<header><b>{monitor.name.replaceAll('-', ' ')}</b><Stamp says={monitor.verdict} /></header>
	<p>{monitor.says} <span class="soft">{say.askedFor(monitor.wanted)}</span></p>
	{#if monitor.points.length > 1}
		<div class="chart" role="img" aria-label={say.chart(monitor.name)} {@attach drawn(() => monitor, zone)}></div>
		<details>
			<summary>{say.asATable}</summary>
			<table>
				<thead><tr><th>{say.at}</th><th>{say.newcomer}</th>{#if monitor.compared}<th>{say.incumbent}</th>{/if}<th>{say.notLess}</th><th>{say.notMore}</th></tr></thead>
				<tbody>
					{#each latest as point}
						<tr>
							<td>{clock(new Date(point.at), zone)}</td><td>{shown(point.value)}</td>{#if monitor.compared}<td>{shown(point.incumbent)}</td>{/if}
							<td>{figure(monitor, point.low, true)}</td><td>{figure(monitor, point.high, true)}</td>
						</tr>
					{/each}
				</tbody>
			</table>
		</details>
	{/if}
</article>

<style>
	article {
		padding: 0.5rem 0 0.6rem;
		border-bottom: 1px solid var(--hair);
	}
	header {
		display: flex;
		justify-content: space-between;
		align-items: center;
		gap: 0.6rem;
	}
	b::first-letter {
		text-transform: uppercase;
	}
	p {
		padding: 0.25rem 0;
		font-size: var(--text-note);
		line-height: 1.35;
	}
	.chart {
		height: 120px;
	}
	summary {
		width: fit-content;
		cursor: pointer;
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	table {
		width: 100%;
		font-size: var(--text-small);
	}
	th {
		font-weight: 400;
		color: var(--ink-soft);
	}
	th,
	td {
		padding: 1px 0.6rem 1px 0;
		text-align: left;
	}
</style>
