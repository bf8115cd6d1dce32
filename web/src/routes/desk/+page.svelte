<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { withThe } from '$lib/state/address';
	import { DeskState } from '$lib/features/desk/desk.svelte';
	import { busyElsewhere } from '$lib/state/keys';
	import { lines } from '$lib/features/frame/lines.svelte';
	import { live } from '$lib/state/live.svelte';
	import { lots } from '$lib/features/desk/near';
	import Beside from '$lib/features/desk/beside.svelte';
	import Closing from '$lib/features/desk/closing.svelte';
	import DeskRow from '$lib/features/desk/desk-row.svelte';
	import Filters from '$lib/features/desk/filters.svelte';
	import Lot from '$lib/features/desk/lot.svelte';
	import TimeAxis from '$lib/ui/time-axis.svelte';
	import TimeProbe from '$lib/features/desk/time-probe.svelte';
	import { keepSeen, seenBy } from '$lib/features/desk/seen';
	import { session } from '$lib/state/session.svelte';
	import { city, clock, day, HOUR, instant, SPANS, wall } from '$lib/time/time';
	import { TEXTURES } from '$lib/words';
	import { common } from '$lib/words/common';
	import { desk as say } from '$lib/words/desk';
	import { onDestroy, tick } from 'svelte';

	const ZONE = session.zone;
	const station = $derived(page.url.searchParams.get('at'));
	const place = $derived(lines.all.flatMap((line) => line.stations).find((one) => one.id === station));
	const words = $derived(page.url.searchParams.get('words') ?? '');
	const probe = $derived.by(() => {
		const at = Date.parse(page.url.searchParams.get('probe') ?? '');
		return Number.isNaN(at) ? null : at;
	});
	const me = session.me?.id ?? '';
	const desk = new DeskState(
		() => station,
		() => words,
		seenBy(me)
	);
	function left() {
		if (desk.seen) keepSeen(me, desk.seen);
	}
	onDestroy(left);
	let reason = $state('');
	let refused = $state<string[]>([]);
	let busy = $state(false);
	const beside = $derived(Number(page.url.searchParams.get('open')) || null);
	const span = $derived(SPANS.find((one) => one.id === page.url.searchParams.get('span')) ?? SPANS[2]);
	const mine = $derived(desk.rows.filter((row) => row.waits_for === 'you').length);
	const pending = $derived(desk.rows.filter((row) => !['moving', 'halted', 'ended'].includes(row.waits_for)).length);
	let chosen = $state<number | null>(null);

	desk.follow(() => live.version);

	function href(key: string, value: string | null): string {
		return withThe(page.url, { [key]: value });
	}
	function put(key: string, value: string | null) {
		void goto(href(key, value), { keepFocus: true, noScroll: true, replaceState: true });
	}
	function opens(number: number | null) {
		desk.saw(number);
		put('open', number === null ? null : String(number));
	}
	function probeAt(at: number | null) {
		put('probe', at === null ? null : new Date(at).toISOString());
	}

	async function approveAll() {
		busy = true;
		refused = await desk.approve(reason.trim());
		if (refused.length === 0) reason = '';
		busy = false;
	}

	function keys(event: KeyboardEvent) {
		if (busyElsewhere(event)) return;
		if (event.key === 'j' || event.key === 'k') {
			chosen = desk.beside(chosen, event.key === 'j' ? 1 : -1);
			// A row far from the screen is drawn when it is chosen.
			void tick().then(() => document.getElementById(`row-${chosen}`)?.focus());
			if (beside !== null) opens(chosen);
		} else if (event.key === 'o' && chosen !== null) {
			void goto(`/promotion/${chosen}`);
		} else if (event.key === 'x') {
			desk.mark(chosen);
		} else if (event.key === '/') {
			event.preventDefault();
			document.getElementById('words')?.focus();
		} else if (event.key === 't') {
			if (probe === null) probeAt(desk.start + HOUR);
			document.getElementById('probe')?.focus();
		} else if (event.key === 'Escape' && beside !== null) {
			opens(null);
		} else if (event.key === 'Escape' && probe !== null) {
			probeAt(null);
		}
	}
</script>

<svelte:window onkeydown={keys} onpagehide={left} />
<svelte:head><title>{say.title(mine)}</title></svelte:head>

<div class="head">
	<h1>
		{#if !desk.loaded}{say.desk}{:else if mine}{say.forYou(mine)}{:else}{say.nothingWaitsForYou}{/if}
		<span class="soft">{desk.loaded ? say.pending(pending) : ''}</span>
	</h1>
	<span class="soft">{day(new Date(desk.start), ZONE)} {clock(new Date(desk.start), ZONE)}, {city(ZONE)}</span>
	<input id="words" class="field words" type="search" placeholder={say.find} aria-label={say.findOnTheDesk} value={words} oninput={(event) => put('words', event.currentTarget.value)} />
	<ul class="legend" aria-label={say.texturesOfTime}>
		{#each TEXTURES as texture (texture.id)}
			<li><i class="texture-{texture.id}"></i>{texture.label}</li>
		{/each}
		<li><i class="first"></i>{say.firstStart}</li>
	</ul>
	<nav class="zoom" aria-label={say.howFar}>
		{#each SPANS as one (one.id)}
			<a href={href('span', one.id)} aria-current={one.id === span.id ? 'true' : undefined}>{one.label}</a>
		{/each}
	</nav>
</div>

{#if probe !== null}
	<p class="probed" role="status">
		<span>{say.asThingsStand} <b>{day(new Date(probe), ZONE)} {clock(new Date(probe), ZONE)}, {city(ZONE)}</b></span>
		<label>{say.probe} <input class="field" type="datetime-local" value={wall(probe, ZONE)} onchange={(event) => probeAt(instant(event.currentTarget.value, ZONE))} /></label>
		<a class="underline" href={href('probe', null)}>{say.backToNow} <kbd>Esc</kbd></a>
	</p>
{/if}
{#if desk.failed}<p class="failed" role="alert">{desk.failed}</p>{/if}

{#if place}<Closing station={place} asking={page.url.searchParams.get('close') === 'now'} onasking={(asking) => put('close', asking ? 'now' : null)} />{/if}

<div class="below">
	<Filters filters={desk.filters} query={page.url.searchParams} onsaved={() => desk.load()} />
	{#if session.me?.rights.includes('request')}<a class="underline ask" href="/ask">{say.ask}</a>{/if}
</div>

<div class="desk" class:halved={beside !== null}>
<div class="rows">
{#each desk.groups as group, n (group.id)}
	<section aria-labelledby="group-{group.id}" data-group={group.id}>
		<div class="group">
			<h2 id="group-{group.id}">{group.title}{#if group.rows.length}<span class="soft">{group.rows.length}</span>{/if}</h2>
			{#if n === 0}<div class="axis"><TimeAxis start={desk.start} {span} zone={ZONE} /><TimeProbe start={desk.start} {span} zone={ZONE} {probe} onprobe={probeAt} /></div>{/if}
		</div>
		{#if group.rows.length === 0}<p class="soft empty">{station || words ? say.noneOfThese : group.empty}</p>{/if}
		<ul>
			{#each lots(group.rows) as lot, n (n)}
				<Lot count={lot.length} needed={lot.some(({ number }) => number === beside || number === chosen)}>
					{#each lot as row (row.number)}
						<DeskRow {row} start={desk.start} {span} changed={desk.changed.has(row.number)} {probe} marked={desk.marked.includes(row.number)} question={desk.questions[row.number]} looking={desk.looking[row.number] ?? []} open={beside === row.number} onfocus={() => (chosen = row.number)} onopen={() => opens(row.number)} />
					{/each}
				</Lot>
			{/each}
		</ul>
	</section>
{/each}

{#if desk.loaded && desk.rows.length === 0}
	<p class="empty">{say.noneUnderWay} <code class="mono">dogana request</code>{say.appearsHere}</p>
{:else if desk.loaded && words && desk.shown.length === 0}
	<p class="empty">{say.noneHasTheseWords} <a class="underline" href={href('words', null)}>{common.showEverything}</a></p>
{:else if desk.loaded && station && desk.shown.length === 0}
	<p class="empty">{say.noneInto} <a class="underline" href="/desk">{say.showEveryEnvironment}</a></p>
{/if}

</div>
{#if beside !== null}<Beside number={beside} onclose={() => opens(null)} />{/if}
</div>

{#if desk.together.length}
	<form class="together" aria-label={say.approveTogether} onsubmit={(event) => { event.preventDefault(); void approveAll(); }}>
		<b>{say.marked(desk.together.length)}</b>
		<span class="soft">{desk.seat ? say.oneSeat(desk.together.map((row) => `${row.service.name} ${row.version}`).join(', '), desk.seat) : say.manySeats}</span>
		<label>{common.reason} <input class="field" maxlength="2000" bind:value={reason} /></label>
		<button class="button main" disabled={busy || desk.seat === null}>{say.approve(desk.together.length)}</button>
		<button class="button quiet" type="button" onclick={() => (desk.marked = [])}>{say.unmark}</button>
		{#if refused.length}<p role="alert">{refused.join(' ')}</p>{/if}
	</form>
{/if}

<style>
	.head {
		display: flex;
		align-items: baseline;
		gap: 1rem;
		padding: 0.9rem 0 0.1rem;
	}
	.below {
		display: flex;
		align-items: baseline;
	}
	.ask {
		margin-left: auto;
		font-size: 13px;
	}
	h1 {
		font-size: 25px;
		white-space: nowrap;
	}
	h1 .soft {
		font-weight: 400;
		font-size: 18px;
	}
	.head > span {
		white-space: nowrap;
	}
	.legend {
		margin-left: auto;
	}
	.words {
		width: 110px;
		padding-block: 2px;
	}
	.probed {
		display: flex;
		align-items: center;
		gap: 1.2rem;
		padding: 0.3rem 0;
		color: var(--blue);
	}
	.probed label {
		display: flex;
		align-items: center;
		gap: 0.4rem;
	}
	.probed .field {
		padding-block: 2px;
	}
	.together {
		position: sticky;
		bottom: 0;
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.9rem;
		padding: 0.6rem 0;
		background: var(--paper);
		border-top: 1.5px solid var(--ink);
	}
	.together .soft {
		flex: 1;
	}
	.together label {
		display: flex;
		align-items: center;
		gap: 0.4rem;
	}
	.together [role='alert'] {
		flex-basis: 100%;
		color: var(--wax);
	}
	.zoom {
		display: flex;
		gap: 0.9rem;
		font-size: 12.5px;
		color: var(--ink-soft);
		white-space: nowrap;
	}
	.legend i {
		width: 20px;
		height: 12px;
		border: 1px solid var(--hair-strong);
	}
	.legend .first {
		width: 0;
		height: 0;
		border: 5px solid transparent;
		border-left: 8px solid var(--verdigris);
	}
	.zoom a {
		padding: 0 1px;
	}
	.zoom [aria-current] {
		color: var(--ink);
		font-weight: 600;
		box-shadow: 0 2px 0 var(--wax);
	}
	.group {
		display: grid;
		grid-template-columns: var(--columns);
		column-gap: 18px;
		align-items: end;
		padding-top: 0.85rem;
		border-bottom: 1.5px solid var(--ink);
	}
	section {
		--columns: 92px 190px minmax(220px, 1fr) 178px minmax(300px, 1.35fr);
	}
	.axis {
		position: relative;
	}
	.rows {
		min-width: 0;
	}
	.halved {
		display: grid;
		grid-template-columns: minmax(0, 1fr) 452px;
		gap: 1.4rem;
		align-items: start;
	}
	.halved section {
		--columns: 92px 170px minmax(180px, 1fr) 140px;
	}
	@media (max-width: 1599px) {
		.halved .axis,
		.halved :global(.row .time) {
			display: none;
		}
	}
	@media (min-width: 1600px) {
		.halved section {
			--columns: 92px 190px minmax(220px, 1fr) 178px minmax(300px, 1fr);
		}
	}
	h2 {
		grid-column: 1 / 5;
		font-size: 18px;
		padding-bottom: 2px;
	}
	h2 .soft {
		margin-left: 0.5rem;
		font-weight: 400;
	}
	.empty {
		padding: 0.7rem 0;
	}
	.failed {
		padding: 0.8rem 0;
		color: var(--wax);
		font-weight: 600;
	}
	@media (max-width: 1100px) {
		.legend {
			display: none;
		}
		.head {
			justify-content: space-between;
		}
		section {
			--columns: 92px 160px minmax(180px, 1fr) 150px minmax(220px, 1fr);
		}
	}
	@media (max-width: 1000px) {
		.halved {
			grid-template-columns: minmax(0, 1fr);
		}
		.halved .rows {
			display: none;
		}
	}
	@media (max-width: 760px) {
		.head {
			flex-wrap: wrap;
			gap: 0.2rem 1rem;
		}
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
