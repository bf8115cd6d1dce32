<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { withThe } from '$lib/address';
	import { api, data, saying, type Board, type Timeline } from '$lib/api/client';
	import { windowIn, withFreeze, type Moved } from '$lib/calendar/freeze';
	import Coming from '$lib/calendar/coming.svelte';
	import Lane from '$lib/calendar/lane.svelte';
	import Calendars from '$lib/set-up/calendars.svelte';
	import { live } from '$lib/live.svelte';
	import { Writing } from '$lib/policy/writing.svelte';
	import { session } from '$lib/session.svelte';
	import { city, clock, day, HOUR, instant, ticks, wall, when } from '$lib/time';
	import { TEXTURES } from '$lib/words';
	import { untrack } from 'svelte';
	import { common } from '$lib/words/common';
	import { calendar as say } from '$lib/words/calendar';

	type Closing = Timeline['lanes'][number]['closings'][number];
	const ZONE = session.zone;
	const DAYS = [7, 14, 28];
	const ZONES = Intl.supportedValuesOf('timeZone').filter((one) => one !== ZONE);
	const other = $derived(ZONES.find((one) => one === page.url.searchParams.get('zone')) ?? null);
	const days = $derived(DAYS.find((one) => String(one) === page.url.searchParams.get('days')) ?? 14);
	const station = $derived(page.url.searchParams.get('at'));
	let today = $state(Date.now());
	const start = $derived.by(() => {
		const from = instant(`${page.url.searchParams.get('from')}T00:00`, ZONE);
		return from ?? instant(`${wall(today - 2 * 24 * HOUR, ZONE).slice(0, 10)}T00:00`, ZONE) ?? today;
	});
	const ms = $derived(days * 24 * HOUR);
	const marks = $derived(ticks(start - 1, ms, 24, ZONE).filter((_, n) => days < 28 || n % 2 === 0));
	let found = $state<Timeline | null>(null);
	let board = $state<Board | null>(null);
	let failed = $state('');
	let done = $state('');
	const lanes = $derived(found?.lanes.filter((lane) => !station || lane.environment.id === station) ?? []);

	let drawn = $state<{ environment: string; zone: string; title: string; name: string; from: number; until: number; moved?: Moved; again: boolean; all: boolean } | null>(null);
	let writing = $state<Writing | null>(null);
	const may = $derived(session.me?.rights.includes('write policy') ?? false);
	const delayed = $derived(writing?.preview?.flips ?? []);

	$effect(() => {
		void live.version;
		const query = { start: new Date(start).toISOString(), days };
		data(api.GET('/api/timeline', { params: { query } })).then(
			(got) => {
				found = got;
				today = Date.parse(got.at);
				failed = '';
			},
			(error: unknown) => (failed = saying(error))
		);
		data(api.GET('/api/policy-board')).then(
			(got) => (board = got),
			() => undefined
		);
	});

	function shifted(by: number): string {
		return withThe(page.url, { from: wall(start + by * 24 * HOUR, ZONE).slice(0, 10) });
	}

	/** Close an environment from one instant to another, as a draft in one's head: its effect is asked for at once. */
	function close(environment: string, from: number, until: number, moved?: Closing) {
		const column = board?.columns.find((one) => one.environment.id === environment);
		const lane = found?.lanes.find((one) => one.environment.id === environment);
		if (!may || !column || !lane) return;
		done = '';
		const name = moved?.name ?? (drawn?.environment === environment ? drawn.name : say.byHand);
		const zone = lane.environment.zone;
		const was = moved && { rule: moved.rule, name: moved.name, from: wall(Date.parse(moved.start), zone), until: wall(Date.parse(moved.end), zone) };
		const stands = was ? windowIn(column.source, was) : null;
		const again = stands === 'again';
		drawn = { environment, zone, title: lane.environment.name, name, from, until, moved: stands ? was : undefined, again, all: again && (drawn?.all ?? false) };
		if (writing?.environment !== environment) writing = new Writing(environment, column.source, column.source);
		rewrite();
	}
	function rewrite() {
		const column = board?.columns.find((one) => one.environment.id === drawn?.environment);
		if (!drawn || !writing || !column) return;
		const { zone, moved, all } = drawn;
		const text = { name: drawn.name.trim() || say.byHand, from: wall(drawn.from, zone), until: wall(drawn.until, zone) };
		writing.write(withFreeze(column.source, text, zone, moved, all));
	}
	function tonight(environment: string, zone: string) {
		const date = wall(today, zone).slice(0, 10);
		const from = instant(`${date}T20:00`, zone) ?? today;
		close(environment, from, from + 10 * HOUR);
	}
	function put(key: 'from' | 'until', text: string) {
		const at = drawn && instant(text, drawn.zone);
		if (!drawn || at === null) return;
		drawn[key] = at;
		rewrite();
	}
	async function keep() {
		const version = await writing?.draft();
		if (!version || !drawn) return;
		done = say.drafted(version, drawn.title);
		leave();
	}
	const moment = (at: string | null) => (at && drawn ? when(new Date(at), drawn.zone, new Date(today)) : null);
	/** Whoever opened the form without a pointer goes on in it. */
	function focusedByKey(field: HTMLInputElement) {
		if (document.activeElement instanceof HTMLButtonElement) field.focus();
	}
	function leave() {
		writing?.stop();
		drawn = null;
		writing = null;
	}
	/** Asked for by a link: close one tonight. */
	$effect(() => {
		const asked = lanes.find((one) => one.environment.id === page.url.searchParams.get('close'));
		if (!asked || !board || untrack(() => drawn)) return;
		void goto(withThe(page.url, { close: null }), { keepFocus: true, noScroll: true, replaceState: true });
		untrack(() => tonight(asked.environment.id, asked.environment.zone));
	});
	function keys(event: KeyboardEvent) {
		if (event.key === 'Escape' && drawn) leave();
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
{#if failed}<p class="failed" role="alert">{failed}</p>{/if}
{#if done}<p class="done" role="status">{done} <a class="underline" href="/policies">{say.toThePolicies}</a></p>{/if}

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
				{#if may && board}<button class="close" onclick={() => tonight(lane.environment.id, lane.environment.zone)}>{say.closeItTonight}</button>{/if}
			</div>
			<Lane {lane} {start} {ms} {may} {other} now={today} nights={marks.map((one) => one.at)} drawn={drawn?.environment === lane.environment.id ? drawn : null} ondraw={(from, until, moved) => close(lane.environment.id, from, until, moved)} />
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

{#if drawn && writing}
	<form class="drawing" aria-label={say.aFreezeDrawnByHand} onsubmit={(event) => { event.preventDefault(); void keep(); }}>
		<h2>{drawn.moved ? say.move(drawn.title) : say.close(drawn.title)}</h2>
		<div class="what">
			<label>{common.name} <input class="field" {@attach focusedByKey} required maxlength="80" bind:value={drawn.name} oninput={() => rewrite()} /></label>
			<label>{common.from} <input class="field" type="datetime-local" value={wall(drawn.from, drawn.zone)} onchange={(event) => put('from', event.currentTarget.value)} /></label>
			<label>{common.until} <input class="field" type="datetime-local" value={wall(drawn.until, drawn.zone)} onchange={(event) => put('until', event.currentTarget.value)} /></label>
			{#if drawn.again}
				<fieldset>
					<legend>{say.recurring}</legend>
					<label><input type="radio" name="all" value={false} bind:group={drawn.all} onchange={() => rewrite()} /> {say.onlyThis}</label>
					<label><input type="radio" name="all" value={true} bind:group={drawn.all} onchange={() => rewrite()} /> {say.everyOne}</label>
				</fieldset>
			{/if}
			<p>
				<button class="button main" disabled={writing.busy || writing.refused !== ''}>{common.keepAsADraft}</button>
				<button class="button quiet" type="button" onclick={leave}>{common.leaveIt} <kbd>Esc</kbd></button>
			</p>
		</div>
		<div class="effect" aria-live="polite">
			{#if writing.refused}
				<p role="alert">{writing.refused} {writing.faults.map((fault) => fault.reason).join('; ')}</p>
			{:else if writing.preview}
				<p>
					<b>{delayed.length === 0 ? say.delaysNothing : say.touches(delayed.length, writing.preview.pending)}</b>
					{#if writing.preview.approvals}{say.lapse(writing.preview.approvals)}{/if}
				</p>
				<ul>
					{#each delayed as flip (flip.number)}
						<li>
							<a href="/promotion/{flip.number}"><b>{flip.service}</b> <span class="mono">{flip.version}</span></a>
							{#if flip.first_start !== flip.would_start}
								{say.firstStart(moment(flip.would_start))}
								<span class="soft">{say.insteadOf(moment(flip.first_start))}</span>
							{:else}{flip.was} → {flip.would_be}{/if}
						</li>
					{/each}
				</ul>
			{/if}
		</div>
	</form>
{/if}

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
	/* What it delays stays in sight while it is drawn. */
	.drawing {
		position: sticky;
		bottom: 0;
		padding: 0.5rem 0 0.7rem;
		background: var(--paper);
		border-top: 1.5px solid var(--wax);
	}
	.what {
		display: flex;
		flex-wrap: wrap;
		align-items: end;
		gap: 0.5rem 1rem;
		padding: 0.2rem 0 0.6rem;
	}
	.what > label {
		display: grid;
		font-size: 12.5px;
		color: var(--ink-soft);
	}
	.what .field {
		color: var(--ink);
	}
	legend {
		font-size: 12.5px;
		color: var(--ink-soft);
	}
	.what fieldset label {
		display: block;
		font-size: 13px;
		line-height: 1.4;
	}
	.what p {
		display: flex;
		gap: 0.7rem;
	}
	.effect ul {
		max-height: 22vh;
		overflow: auto;
	}
	h2 {
		font-size: 19px;
	}
	.effect li {
		padding: 2px 0;
		border-bottom: 1px solid var(--hair);
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
