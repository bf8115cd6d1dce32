<!-- Environments as lanes over the same days, in one zone or in two. -->
<script lang="ts">
	import { city, clock, HOUR, ticks } from '$lib/time/time';
	import { calendar as say } from '$lib/words/calendar';
	import type { CalendarState } from './calendar.svelte';
	import type { Drawing } from './drawing.svelte';
	import Lane from './lane.svelte';

	type Props = {
		calendar: CalendarState;
		drawing: Drawing;
		start: number;
		days: number;
		zone: string;
		/** A second zone that the axis is told in. */
		other: string | null;
		may: boolean;
	};
	let { calendar, drawing, start, days, zone, other, may }: Props = $props();

	const ms = $derived(days * 24 * HOUR);
	const marks = $derived(ticks(start - 1, ms, 24, zone).filter((_, n) => days < 28 || n % 2 === 0));
	const drawn = $derived(drawing.shape);
</script>

<div class="grid">
	<span></span>
	<div class="axis" aria-hidden="true">
		{#each marks as one, n (n)}<span style:left="{one.place * 100}%" class:spare={n % (days === 7 ? 2 : 4) > 0} class:weekend={/^S/.test(one.label)}>{one.label}</span>{/each}
	</div>
	{#if other}
		<span class="soft beside">{city(other)}</span>
		<div class="axis" aria-hidden="true">
			{#each ticks(start - 1, ms, days === 7 ? 12 : 24, other) as one (one.at)}<span style:left="{one.place * 100}%">{one.label}</span>{/each}
		</div>
	{/if}
	{#each calendar.lanes as lane (lane.environment.id)}
		<div class="named">
			<b>{lane.environment.name}</b>
			{#if lane.environment.zone !== zone}<span class="soft">{city(lane.environment.zone)}, {clock(new Date(calendar.today), lane.environment.zone)}</span>{/if}
			{#if may && calendar.board}<button class="close" onclick={() => drawing.tonight(lane.environment.id, calendar.today)}>{say.closeItTonight}</button>{/if}
		</div>
		<Lane {lane} {start} {ms} {may} {other} now={calendar.today} nights={marks.map((one) => one.at)} drawn={drawn?.environment === lane.environment.id ? drawn : null} ondraw={(from, until, closing) => may && drawing.close(lane.environment.id, from, until, closing)} />
	{/each}
</div>

<style>
	.grid {
		display: grid;
		grid-template-columns: 130px minmax(0, 1fr);
		border-top: 1.5px solid var(--ink);
	}
	.axis {
		position: relative;
		height: 1.5rem;
		overflow: hidden;
		font-size: var(--text-tiny);
		border-bottom: 1px solid var(--hair-strong);
	}
	.axis span {
		position: absolute;
		bottom: 1px;
		padding-left: 3px;
		border-left: 1px solid var(--hair-strong);
		white-space: nowrap;
	}
	.axis .weekend {
		color: var(--ink-soft);
		font-style: italic;
	}
	@media (max-width: 760px) {
		/* A label takes the room of several days. */
		.axis .spare {
			display: none;
		}
	}
	.named {
		display: grid;
		align-content: center;
		justify-items: start;
		border-bottom: 1px solid var(--hair-strong);
		line-height: 1.25;
	}
	.named b {
		font-family: var(--serif);
		font-size: var(--text-lead);
	}
	.beside {
		align-self: end;
		font-size: var(--text-small);
	}
	.close {
		font-size: var(--text-small);
		color: var(--ink-soft);
		cursor: pointer;
	}
	.close:hover {
		color: var(--ink);
		text-decoration: underline;
	}
</style>
