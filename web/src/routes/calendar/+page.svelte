<script lang="ts">
	import { page } from '$app/state';
	import { CalendarState, DAYS } from '$lib/features/calendar/calendar.svelte';
	import Coming from '$lib/features/calendar/coming.svelte';
	import Drawn from '$lib/features/calendar/drawn.svelte';
	import { Drawing } from '$lib/features/calendar/drawing.svelte';
	import Head from '$lib/features/calendar/head.svelte';
	import Lanes from '$lib/features/calendar/lanes.svelte';
	import Calendars from '$lib/features/set-up/calendars.svelte';
	import { put } from '$lib/state/here.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { HOUR, instant, wall, when } from '$lib/time/time';
	import { calendar as say } from '$lib/words/calendar';
	import { untrack } from 'svelte';

	const zone = session.zone;
	const ZONES = Intl.supportedValuesOf('timeZone').filter((one) => one !== zone);
	const query = $derived(page.url.searchParams);
	const other = $derived(ZONES.find((one) => one === query.get('zone')) ?? null);
	const days = $derived(DAYS.find((one) => String(one) === query.get('days')) ?? 14);
	const may = $derived(session.may('write policy'));

	const calendar: CalendarState = new CalendarState(
		() => start,
		() => days,
		() => query.get('at')
	);
	calendar.follow(() => live.version);
	const start = $derived.by(() => {
		const from = instant(`${query.get('from')}T00:00`, zone);
		return from ?? instant(`${wall(calendar.today - 2 * 24 * HOUR, zone).slice(0, 10)}T00:00`, zone) ?? calendar.today;
	});
	const drawing = new Drawing(
		() => calendar.board,
		() => calendar.found?.lanes ?? []
	);

	/** Asked for by a link: close one tonight. */
	$effect(() => {
		const asked = calendar.lanes.find((one) => one.environment.id === query.get('close'));
		if (!asked || !calendar.board || !may || untrack(() => drawing.shape)) return;
		put({ close: null });
		untrack(() => drawing.tonight(asked.environment.id, calendar.today));
	});
	function keys(event: KeyboardEvent) {
		if (event.key === 'Escape' && drawing.shape) drawing.leave();
	}
</script>

<svelte:window onkeydown={keys} />

<Head {start} {days} {zone} />
{#if calendar.failed}<p class="failed" role="alert">{calendar.failed}</p>{/if}
{#if drawing.done}<p class="done" role="status">{drawing.done} <a class="underline" href="/policies">{say.toThePolicies}</a></p>{/if}

{#if calendar.found}
	<Lanes {calendar} {drawing} {start} {days} {zone} {other} {may} />
	{#if calendar.found.landings_from}<p class="soft">{say.landingsFrom(when(new Date(calendar.found.landings_from), zone, new Date(calendar.today)))}</p>{/if}
	<div class="more" hidden={drawing.shape !== null}>
		<p>{may ? say.hint : ''}</p>
		<label>{say.alsoZone} <select class="field" value={other ?? ''} onchange={(event) => put({ zone: event.currentTarget.value || null })}><option value="">{say.noOther}</option>{#each ZONES as one (one)}<option value={one}>{one.replaceAll('_', ' ')}</option>{/each}</select></label>
	</div>
	{#if !drawing.shape}
		<Coming lanes={calendar.lanes} now={calendar.today} end={start + days * 24 * HOUR} {zone} {other} />
		<details class="shared"><summary>{say.shared}</summary><Calendars /></details>
	{/if}
{/if}

{#if drawing.shape && drawing.writing}<Drawn {drawing} shape={drawing.shape} writing={drawing.writing} now={calendar.today} />{/if}

<style>
	.more:not([hidden]) {
		display: flex;
		justify-content: space-between;
		align-items: baseline;
		gap: 1.4rem;
		padding-top: 0.5rem;
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	.more label {
		white-space: nowrap;
	}
	.more .field {
		width: auto;
		padding-block: 2px;
	}
	.shared {
		margin-top: 1.2rem;
		border-top: 1px solid var(--hair-strong);
		padding-top: 0.5rem;
	}
	.shared summary {
		width: fit-content;
		font-family: var(--serif);
		font-size: var(--text-part);
		font-weight: 600;
		cursor: pointer;
	}
	.done {
		border-left: 4px solid var(--verdigris);
		padding-left: 0.7rem;
		margin-bottom: 0.6rem;
	}
</style>
