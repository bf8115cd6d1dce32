<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import Beside from '$lib/features/desk/beside.svelte';
	import Closing from '$lib/features/desk/closing.svelte';
	import { DeskState } from '$lib/features/desk/desk.svelte';
	import Filters from '$lib/features/desk/filters.svelte';
	import Groups from '$lib/features/desk/groups.svelte';
	import Head from '$lib/features/desk/head.svelte';
	import Probed from '$lib/features/desk/probed.svelte';
	import { keepSeen, seenBy } from '$lib/features/desk/seen';
	import Together from '$lib/features/desk/together.svelte';
	import { lines } from '$lib/features/frame/lines.svelte';
	import { put } from '$lib/state/here.svelte';
	import { busyElsewhere } from '$lib/state/keys';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { HOUR, SPANS } from '$lib/time/time';
	import { desk as say } from '$lib/words/desk';
	import { onDestroy, tick } from 'svelte';

	const zone = session.zone;
	const me = session.me?.id ?? '';
	const query = $derived(page.url.searchParams);
	const station = $derived(query.get('at'));
	const place = $derived(lines.all.flatMap((line) => line.stations).find((one) => one.id === station));
	const words = $derived(query.get('words') ?? '');
	const probe = $derived(Date.parse(query.get('probe') ?? '') || null);
	const open = $derived(Number(query.get('open')) || null);
	const span = $derived(SPANS.find((one) => one.id === query.get('span')) ?? SPANS[2]);
	let chosen = $state<number | null>(null);

	const desk = new DeskState(
		() => station,
		() => words,
		seenBy(me)
	);
	desk.follow(() => live.version);
	function left() {
		if (desk.seen) keepSeen(me, desk.seen);
	}
	onDestroy(left);

	function opens(number: number | null) {
		desk.saw(number);
		put({ open: number === null ? null : String(number) });
	}
	function probeAt(at: number | null) {
		put({ probe: at === null ? null : new Date(at).toISOString() });
	}

	function keys(event: KeyboardEvent) {
		if (busyElsewhere(event)) return;
		if (event.key === 'j' || event.key === 'k') {
			chosen = desk.beside(chosen, event.key === 'j' ? 1 : -1);
			// A row far from the screen is drawn when it is chosen.
			void tick().then(() => document.getElementById(`row-${chosen}`)?.focus());
			if (open !== null) opens(chosen);
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
		} else if (event.key === 'Escape' && open !== null) {
			opens(null);
		} else if (event.key === 'Escape' && probe !== null) {
			probeAt(null);
		}
	}
</script>

<svelte:window onkeydown={keys} onpagehide={left} />

<Head {desk} {words} {span} {zone} />
{#if probe !== null}<Probed {probe} {zone} onprobe={probeAt} />{/if}
{#if desk.failed}<p class="failed" role="alert">{desk.failed}</p>{/if}
{#if place}<Closing station={place} asking={query.get('close') === 'now'} onasking={(asking) => put({ close: asking ? 'now' : null })} />{/if}

<div class="below">
	<Filters filters={desk.filters} {query} onsaved={() => desk.load()} />
	{#if session.may('request')}<a class="underline ask" href="/ask">{say.ask}</a>{/if}
</div>

<div class:halved={open !== null}>
	<Groups {desk} {span} {zone} {probe} {station} {words} {open} bind:chosen onprobe={probeAt} onopen={opens} />
	{#if open !== null}<Beside number={open} onclose={() => opens(null)} />{/if}
</div>

{#if desk.together.length}<Together {desk} />{/if}

<style>
	.below {
		display: flex;
		align-items: baseline;
	}
	.ask {
		margin-left: auto;
		font-size: var(--text-note);
	}
	.halved {
		display: grid;
		grid-template-columns: minmax(0, 1fr) 452px;
		gap: 1.4rem;
		align-items: start;
	}
	@media (max-width: 1000px) {
		.halved {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
