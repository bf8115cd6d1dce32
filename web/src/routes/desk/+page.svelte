<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { DeskState } from '$lib/desk.svelte';
	import { live } from '$lib/live.svelte';
	import DeskRow from '$lib/parts/desk-row.svelte';
	import TimeAxis from '$lib/parts/time-axis.svelte';
	import { clock, city, day, SPANS } from '$lib/time';
	import { TEXTURES } from '$lib/words';

	const ZONE = 'Europe/Rome';
	const station = $derived(page.url.searchParams.get('at'));
	const desk = new DeskState(() => station);
	const span = $derived(SPANS.find((one) => one.id === page.url.searchParams.get('span')) ?? SPANS[2]);
	const mine = $derived(desk.rows.filter((row) => row.waits_for === 'you').length);
	const pending = $derived(desk.rows.filter((row) => !['moving', 'ended'].includes(row.waits_for)).length);
	let chosen = $state<number | null>(null);

	$effect(() => {
		void live.version;
		void desk.load();
	});

	function zoomed(id: string): string {
		const query = new URLSearchParams(page.url.searchParams);
		query.set('span', id);
		return `?${query}`;
	}

	function keys(event: KeyboardEvent) {
		if (event.ctrlKey || event.metaKey || event.altKey) return;
		if (event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName)) return;
		if (event.key === 'j' || event.key === 'k') {
			chosen = desk.beside(chosen, event.key === 'j' ? 1 : -1);
			document.getElementById(`row-${chosen}`)?.focus();
		} else if (event.key === 'o' && chosen !== null) {
			void goto(`/promotion/${chosen}`);
		}
	}
</script>

<svelte:window onkeydown={keys} />
<svelte:head><title>{mine ? `(${mine}) ` : ''}Desk · Dogana</title></svelte:head>

<div class="head">
	<h1>
		{#if !desk.loaded}Desk{:else if mine}{mine} {mine === 1 ? 'waits' : 'wait'} for you{:else}Nothing waits for you{/if}
		<span class="soft">{desk.loaded ? `of ${pending} pending` : ''}</span>
	</h1>
	<span class="soft">{day(new Date(desk.start), ZONE)} {clock(new Date(desk.start), ZONE)}, {city(ZONE)}</span>
	<span class="keys soft"><kbd>j</kbd> <kbd>k</kbd> move <kbd>o</kbd> open</span>
	<ul class="legend" aria-label="Textures of time">
		{#each TEXTURES as texture (texture.id)}
			<li><i class="texture-{texture.id}"></i>{texture.label}</li>
		{/each}
		<li><i class="first"></i>first start</li>
	</ul>
	<nav class="zoom" aria-label="How far the time bars reach">
		{#each SPANS as one (one.id)}
			<a href={zoomed(one.id)} aria-current={one.id === span.id ? 'true' : undefined}>{one.label}</a>
		{/each}
	</nav>
</div>

{#if desk.failed}<p class="failed" role="alert">{desk.failed}</p>{/if}

{#each desk.groups as group, n (group.id)}
	<section aria-labelledby="group-{group.id}" data-group={group.id}>
		<div class="group">
			<h2 id="group-{group.id}">{group.title}{#if group.rows.length}<span class="soft">{group.rows.length}</span>{/if}</h2>
			{#if n === 0}<div class="axis"><TimeAxis start={desk.start} {span} zone={ZONE} /></div>{/if}
		</div>
		{#if group.rows.length === 0}<p class="soft empty">{group.empty}</p>{/if}
		<ul>
			{#each group.rows as row (row.number)}
				<DeskRow {row} start={desk.start} {span} changed={desk.changed.has(row.number)} onfocus={() => (chosen = row.number)} />
			{/each}
		</ul>
	</section>
{/each}

{#if desk.loaded && desk.rows.length === 0}
	<p class="empty">No promotion is under way. A pipeline asks with <code class="mono">dogana request</code>; what it asks for appears here at once.</p>
{:else if desk.loaded && station && desk.shown.length === 0}
	<p class="empty">Nothing is under way into this environment. <a class="underline" href="/desk">Show every environment</a></p>
{/if}

<style>
	.head {
		display: flex;
		align-items: baseline;
		gap: 1rem;
		padding: 0.9rem 0 0.1rem;
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
	.keys {
		font-size: 12.5px;
		white-space: nowrap;
	}
	.legend,
	.zoom {
		display: flex;
		gap: 0.9rem;
		font-size: 12.5px;
		color: var(--ink-soft);
		white-space: nowrap;
	}
	.legend li {
		display: flex;
		align-items: center;
		gap: 0.35rem;
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
	@media (max-width: 1420px) {
		.keys {
			display: none;
		}
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
	@media (max-width: 760px) {
		.head {
			flex-wrap: wrap;
			gap: 0.2rem 1rem;
		}
		.axis {
			display: none;
		}
	}
</style>
