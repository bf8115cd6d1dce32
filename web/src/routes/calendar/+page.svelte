<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { withThe } from '$lib/state/address';
	import { CalendarState } from '$lib/features/calendar/calendar.svelte';
	import Coming from '$lib/features/calendar/coming.svelte';
	import Drawn from '$lib/features/calendar/drawn.svelte';
	import { Drawing } from '$lib/features/calendar/drawing.svelte';
	import Lane from '$lib/features/calendar/lane.svelte';
	import Calendars from '$lib/features/set-up/calendars.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { city, clock, day, HOUR, instant, ticks, wall, when } from '$lib/time/time';
	import { TEXTURES } from '$lib/words';
	import { untrack } from 'svelte';
	import { common } from '$lib/words/common';
	import { calendar as say } from '$lib/words/calendar';

	const ZONE = session.zone;
	const DAYS = [7, 14, 28];
	const ZONES = Intl.supportedValuesOf('timeZone').filter((one) => one !== ZONE);
	const other = $derived(ZONES.find((one) => one === page.url.searchParams.get('zone')) ?? null);
	const days = $derived(DAYS.find((one) => String(one) === page.url.searchParams.get('days')) ?? 14);
	const station = $derived(page.url.searchParams.get('at'));
	const calendar: CalendarState = new CalendarState(
		() => start,
		() => days
	);
	const { found, board, today } = $derived(calendar);
	const start = $derived.by(() => {
		const from = instant(`${page.url.searchParams.get('from')}T00:00`, ZONE);
		return from ?? instant(`${wall(today - 2 * 24 * HOUR, ZONE).slice(0, 10)}T00:00`, ZONE) ?? today;
	});
	const ms = $derived(days * 24 * HOUR);
	const marks = $derived(ticks(start - 1, ms, 24, ZONE).filter((_, n) => days < 28 || n % 2 === 0));
	const lanes = $derived(found?.lanes.filter((lane) => !station || lane.environment.id === station) ?? []);

	const may = $derived(session.me?.rights.includes('write policy') ?? false);
	const drawing = new Drawing(
		() => board,
		() => found?.lanes ?? []
	);
	const drawn = $derived(drawing.shape);

	calendar.follow(() => live.version);

	function shifted(by: number): string {
		return withThe(page.url, { from: wall(start + by * 24 * HOUR, ZONE).slice(0, 10) });
	}

	/** Asked for by a link: close one tonight. */
	$effect(() => {
		const asked = lanes.find((one) => one.environment.id === page.url.searchParams.get('close'));
		if (!asked || !board || !may || untrack(() => drawing.shape)) return;
		void goto(withThe(page.url, { close: null }), { keepFocus: true, noScroll: true, replaceState: true });
		untrack(() => drawing.tonight(asked.environment.id, today));
	});
	function keys(event: KeyboardEvent) {
		if (event.key === 'Escape' && drawn) drawing.leave();
	}
</script>

<svelte:window onkeydown={keys} />
<svelte:head><title>{say.title}</title></svelte:head>

<div class="head">
	<h1>{say.name} <span class="soft">{say.span(day(new Date(start), ZONE), day(new Date(start + ms - 1), ZONE), city(ZONE))}</span></h1>
	<ul class="legend" aria-label={say.texturesOfTime}>
		{#each TEXTURES.slice(0, 3) as texture (texture.id)}<li><i class="texture-{texture.id}"></i>{texture.label}</li>{/each}
		<li><i class="flag"></i>{say.couldStart}</li>
		<li><i class="set"></i>{say.takesIn}</li>
		<li><i class="dot"></i>{say.landed}</li>
		<li><i class="square"></i>{say.rolledBack}</li>
	</ul>
	<nav aria-label={say.whichDays}>
		<a href={shifted(-7)} aria-label={say.weekEarlier}>{say.back}</a>
		<a href="/calendar">{say.today}</a>
		<a href={shifted(7)} aria-label={say.weekLater}>{say.on}</a>
		{#each DAYS as one (one)}<a href={withThe(page.url, { days: String(one) })} aria-current={one === days ? 'true' : undefined}>{say.weeks(one / 7)}</a>{/each}
	</nav>
</div>
{#if calendar.failed}<p class="failed" role="alert">{calendar.failed}</p>{/if}
{#if drawing.done}<p class="done" role="status">{drawing.done} <a class="underline" href="/policies">{say.toThePolicies}</a></p>{/if}

{#if found}
	<div class="grid">
		<span></span>
		<div class="axis" aria-hidden="true">
			{#each marks as one (one.at)}<span style:left="{one.place * 100}%" class:weekend={/^S/.test(one.label)}>{one.label}</span>{/each}
		</div>
		{#if other}
			<span class="soft beside">{city(other)}</span>
			<div class="axis" aria-hidden="true">
				{#each ticks(start - 1, ms, days === 7 ? 12 : 24, other) as one (one.at)}<span style:left="{one.place * 100}%">{one.label}</span>{/each}
			</div>
		{/if}
		{#each lanes as lane (lane.environment.id)}
			<div class="place">
				<b>{lane.environment.name}</b>
				{#if lane.environment.zone !== ZONE}<span class="soft">{city(lane.environment.zone)}, {clock(new Date(today), lane.environment.zone)}</span>{/if}
				{#if may && board}<button class="close" onclick={() => drawing.tonight(lane.environment.id, today)}>{say.closeItTonight}</button>{/if}
			</div>
			<Lane {lane} {start} {ms} {may} {other} now={today} nights={marks.map((one) => one.at)} drawn={drawn?.environment === lane.environment.id ? drawn : null} ondraw={(from, until, closing) => may && drawing.close(lane.environment.id, from, until, closing)} />
		{/each}
	</div>
	<div class="more" hidden={drawn !== null}>
		<p>{may ? say.hint : ''}</p>
		<label>{say.alsoZone} <select class="field" value={other ?? ''} onchange={(event) => goto(withThe(page.url, { zone: event.currentTarget.value || null }), { keepFocus: true, noScroll: true, replaceState: true })}><option value="">{say.noOther}</option>{#each ZONES as one (one)}<option value={one}>{one.replaceAll('_', ' ')}</option>{/each}</select></label>
	</div>
	{#if !drawn}
		<Coming {lanes} now={today} end={start + ms} zone={ZONE} {other} />
		<details class="shared"><summary>{say.shared}</summary><Calendars /></details>
	{/if}
{/if}

{#if drawing.shape && drawing.writing}<Drawn {drawing} shape={drawing.shape} writing={drawing.writing} now={today} />{/if}

<style>
	.head {
		display: flex;
		align-items: baseline;
		gap: 1.4rem;
		padding: 0.9rem 0 0.6rem;
	}
	h1 {
		font-size: 25px;
		white-space: nowrap;
	}
	h1 .soft {
		font-weight: 400;
		font-size: 17px;
	}
	nav {
		display: flex;
		gap: 0.8rem;
		font-size: 12.5px;
		color: var(--ink-soft);
		white-space: nowrap;
	}
	.legend {
		margin-left: auto;
	}
	.legend i {
		width: 18px;
		height: 12px;
		border: 1px solid var(--hair-strong);
	}
	.legend .flag {
		width: 0;
		height: 0;
		border: 5px solid transparent;
		border-left: 8px solid var(--verdigris);
	}
	.legend .set {
		width: 0;
		height: 10px;
		border: 0;
		border-left: 1.5px dashed var(--ink-soft);
	}
	.legend .dot {
		width: 9px;
		height: 9px;
		border: 0;
		border-radius: 50%;
		background: var(--ink);
	}
	.legend .square {
		width: 9px;
		height: 9px;
		border: 2px solid var(--wax);
	}
	nav [aria-current] {
		color: var(--ink);
		font-weight: 600;
		box-shadow: 0 2px 0 var(--wax);
	}
	nav a:hover {
		color: var(--ink);
		text-decoration: underline;
	}
	.grid {
		display: grid;
		grid-template-columns: 130px minmax(0, 1fr);
		border-top: 1.5px solid var(--ink);
	}
	.axis {
		position: relative;
		height: 1.5rem;
		font-size: 11.5px;
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
	.place {
		display: grid;
		align-content: center;
		justify-items: start;
		border-bottom: 1px solid var(--hair-strong);
		line-height: 1.25;
	}
	.beside {
		align-self: end;
		font-size: 12px;
	}
	.more:not([hidden]) {
		display: flex;
		justify-content: space-between;
		align-items: baseline;
		gap: 1.4rem;
		padding-top: 0.5rem;
		font-size: 12.5px;
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
		font-size: 19px;
		font-weight: 600;
		cursor: pointer;
	}
	.place b {
		font-family: var(--serif);
		font-size: 16px;
	}
	.close {
		font-size: 12px;
		color: var(--ink-soft);
		cursor: pointer;
	}
	.close:hover {
		color: var(--ink);
		text-decoration: underline;
	}
	.failed {
		color: var(--wax);
		font-weight: 600;
	}
	.done {
		border-left: 4px solid var(--verdigris);
		padding-left: 0.7rem;
		margin-bottom: 0.6rem;
	}
	@media (max-width: 1100px) {
		.legend {
			display: none;
		}
		.head {
			justify-content: space-between;
		}
	}
	@media (max-width: 760px) {
		.head,
		.drawing {
			display: block;
		}
	}
</style>
