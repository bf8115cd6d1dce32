<!-- The rows in groups by what they wait for, on one axis of time; or why there is none. -->
<script lang="ts">
	import { type SPANS } from '$lib/time/time';
	import Part from '$lib/ui/part.svelte';
	import TimeAxis from '$lib/ui/time-axis.svelte';
	import { desk as say } from '$lib/words/desk';
	import { firstSteps as steps } from '$lib/words/house';
	import Drifts from '$lib/features/landed/drifts.svelte';
	import FirstSteps from '$lib/features/house/first-steps.svelte';
	import { house } from '$lib/features/house/house.svelte';
	import Incidents from '$lib/features/landed/incidents.svelte';
	import SignOffs from '$lib/features/landed/sign-offs.svelte';
	import DeskRow from './desk-row.svelte';
	import type { DeskState } from './desk.svelte';
	import Lot from './lot.svelte';
	import { lots, short } from './near';
	import Nothing from './nothing.svelte';
	import TimeProbe from './time-probe.svelte';
	import Waiting from './waiting.svelte';

	let {
		desk,
		span,
		zone,
		probe,
		station,
		words,
		open,
		chosen = $bindable(),
		onprobe,
		onopen
	}: {
		desk: DeskState;
		span: (typeof SPANS)[number];
		zone: string;
		probe: number | null;
		station: string | null;
		words: string;
		open: number | null;
		chosen: number | null;
		onprobe: (at: number | null) => void;
		onopen: (number: number) => void;
	} = $props();

	/** Nothing was ever asked for, and it is not all set up. */
	const beginning = $derived(desk.loaded && desk.rows.length === 0 && house.beginning);
</script>

<div class="rows" class:halved={open !== null}>
	{#if !desk.landedIsWhole}<p class="soft empty">{say.landedCut}</p>{/if}
	<Incidents {desk} {zone} />
	<Drifts {desk} {zone} />
	<Waiting {desk} {zone} />
	<SignOffs some={desk.signOffs.filter((one) => one.yours)} yours />
	{#if beginning}
		<h2 class="first">{steps.heading}</h2>
		<FirstSteps />
	{/if}
	{#each beginning ? [] : desk.groups as group, n (group.id)}
		<section aria-labelledby="group-{group.id}" data-group={group.id}>
			<div class="group">
				<h2 id="group-{group.id}">{group.title}{#if group.rows.length}<span class="soft">{group.rows.length}</span>{/if}</h2>
				{#if n === 0}<div class="axis"><TimeAxis start={desk.start} {span} {zone} /><TimeProbe start={desk.start} {span} {zone} {probe} {onprobe} /></div>{/if}
			</div>
			{#if group.rows.length === 0}<p class="soft empty">{station || words ? say.noneOfThese : group.empty}</p>{/if}
			<ul>
				{#each lots(group.rows) as lot, n (n)}
					<Lot count={lot.length} needed={short(group.rows) || lot.some(({ number }) => number === open || number === chosen)}>
						{#each lot as row (row.number)}
							<Part as="li"><DeskRow {row} start={desk.start} {span} changed={desk.changed.has(row.number)} {probe} marked={desk.marked.includes(row.number)} question={desk.questions[row.number]} looking={desk.looking[row.number] ?? []} open={open === row.number} onfocus={() => (chosen = row.number)} onopen={() => onopen(row.number)} /></Part>
						{/each}
					</Lot>
				{/each}
			</ul>
		</section>
	{/each}

	<SignOffs some={desk.signOffs.filter((one) => !one.yours)} yours={false} />
	<Nothing {desk} {station} {words} />
</div>

<style>
	.rows {
		min-width: 0;
	}
	section {
		--columns: 92px 168px minmax(220px, 1fr) 200px minmax(300px, 1.35fr);
	}
	.group {
		display: grid;
		grid-template-columns: var(--columns);
		column-gap: 18px;
		align-items: end;
		padding-top: 0.85rem;
		border-bottom: 1.5px solid var(--ink);
	}
	.axis {
		position: relative;
	}
	.halved section {
		--columns: 92px 170px minmax(180px, 1fr) 140px;
	}
	h2 {
		grid-column: 1 / 5;
		padding-bottom: 2px;
	}
	h2 .soft {
		margin-left: 0.5rem;
		font-weight: 400;
	}
	.empty {
		padding: 0.7rem 0;
	}
	@media (max-width: 1599px) {
		.halved .axis,
		.halved :global(.row .time) {
			display: none;
		}
	}
	@media (min-width: 1600px) {
		.halved section {
			--columns: 92px 168px minmax(220px, 1fr) 200px minmax(300px, 1fr);
		}
	}
	@media (max-width: 1100px) {
		section {
			--columns: 92px 160px minmax(180px, 1fr) 150px minmax(220px, 1fr);
		}
	}
	@media (max-width: 1000px) {
		.halved {
			display: none;
		}
	}
	@media (max-width: 760px) {
		.axis {
			display: none;
		}
		/* Its heading spans the columns of a wide screen, which no row has here. */
		.group {
			grid-template-columns: minmax(0, 1fr);
		}
		h2 {
			grid-column: auto;
		}
	}
</style>
