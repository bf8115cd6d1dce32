<!-- One service in one environment: what runs there, since when, who let it in, and what is the matter. -->
<script lang="ts">
	import { session } from '$lib/state/session.svelte';
	import { day, span } from '$lib/time/time';
	import { estate as say } from '$lib/words/estate';
	import type { Cell } from './estate.svelte';
	let { cell, at, href, commits }: { cell: Cell; at: number; href: string; commits?: { commits: number | null; unknown: string | null } } = $props();

	const zone = session.zone;
	const troubled = $derived(cell.incidents > 0 || cell.drift !== null || cell.arriving.some((one) => one.state === 'halted'));
</script>

<a class="cell" class:troubled {href}>
	{#if cell.version}
		<span class="runs"><span class="mono">{cell.version}</span>{#if cell.since}<span class="soft">{say.ranFor(span(at - Date.parse(cell.since)))}</span>{/if}</span>
		{#if cell.since}<span class="soft small" title={say.letIn(cell.let_in_by)}>{day(new Date(cell.since), zone)}{#if cell.let_in_by.length}, {cell.let_in_by.map((one) => one.split(' ')[0]).join(', ')}{/if}</span>{/if}
	{:else}
		<span class="soft">{say.nothing}</span>
	{/if}
	{#if cell.rollback}<span class="matter">{say.back}</span>{/if}
	{#if cell.drift}<span class="matter wrong">{say.drift(cell.drift)}</span>{:else if cell.unseen}<span class="small soft" title={cell.unseen}>{say.unseen}</span>{/if}
	{#if cell.incidents}<span class="matter wrong">{say.incidents(cell.incidents)}</span>{/if}
	{#if cell.unconfirmed}<span class="matter asks" class:wrong={cell.overdue}>{say.unconfirmed}{cell.overdue ? `, ${say.overdue}` : ''}</span>{/if}
	{#each cell.arriving as one (one.promotion)}<span class="matter comes" data-state={one.state}><span class="mono">{one.version}</span> {say.arriving[one.state] ?? one.state}</span>{/each}
	{#if cell.behind && cell.behind_since}<span class="small soft" title={commits?.unknown ? say.commitsUnknown(commits.unknown) : undefined}>{say.behind(cell.behind, span(at - Date.parse(cell.behind_since)), commits?.commits ?? null)}</span>{/if}
</a>

<style>
	.cell {
		display: grid;
		align-content: start;
		justify-items: start;
		row-gap: 1px;
		height: 100%;
		padding: 6px 8px 7px;
		line-height: 1.3;
	}
	.cell:hover {
		background: var(--wash);
	}
	.troubled {
		box-shadow: inset 3px 0 0 var(--wax);
	}
	.runs {
		display: flex;
		align-items: baseline;
		gap: 0.5rem;
	}
	.runs .mono {
		font-weight: 600;
	}
	.small,
	.runs .soft {
		font-size: var(--text-small);
	}
	.matter {
		font-size: var(--text-small);
		font-weight: 600;
	}
	.asks:not(.wrong) {
		color: var(--ochre);
	}
	/* What comes in: a pennant that points to the right, full once it moves. */
	.comes {
		padding: 0 0.9rem 0 0.4rem;
		color: var(--blue);
		background: linear-gradient(var(--blue), var(--blue)) left / 2px 100% no-repeat;
		font-weight: 400;
	}
	.comes[data-state='moving'] {
		background: var(--blue);
		color: var(--paper);
		clip-path: polygon(0 0, 100% 0, calc(100% - 0.6rem) 50%, 100% 100%, 0 100%);
	}
	.comes[data-state='halted'] {
		color: var(--wax);
		background: linear-gradient(var(--wax), var(--wax)) left / 4px 100% no-repeat;
		font-weight: 600;
	}
</style>
