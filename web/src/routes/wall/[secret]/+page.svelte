<!-- A board on a wall: large and calm, read again and again, with nothing to press. -->
<script lang="ts">
	import { page } from '$app/state';
	import { api, data } from '$lib/api/client';
	import { ShownState } from '$lib/features/estate/boards.svelte';
	import ShownBoard from '$lib/features/estate/shown.svelte';
	import { clock, day } from '$lib/time/time';
	import { boards as say } from '$lib/words/estate';
	import { onMount } from 'svelte';

	const EVERY_MS = 15_000;
	const OLD_MS = 60_000;
	let turn = $state(0);
	let now = $state(Date.now());
	const board: ShownState = new ShownState(() => data(api.GET('/api/walls/{secret}', { params: { path: { secret: page.params.secret ?? '' } } }))).follow(() => turn);
	const found = $derived(board.found);
	const at = $derived(found ? new Date(found.estate.at) : null);
	const old = $derived(at !== null && now - at.getTime() > OLD_MS);
	onMount(() => {
		const again = setInterval(() => {
			now = Date.now();
			turn += 1;
		}, EVERY_MS);
		return () => clearInterval(again);
	});
</script>

<svelte:head><title>{say.titleOf(found?.title ?? say.heading)}</title></svelte:head>
<main class="wall">
	{#if found && at}
		<header>
			<h1>{found.title}</h1>
			{#if old || board.failed}<p class="refused" role="alert">{say.lost}</p>{/if}
			<p>{say.asOf(`${day(at, found.zone)} ${clock(at, found.zone)}`)}</p>
		</header>
		<ShownBoard {found} zone={found.zone} links={false} />
	{:else if board.failed}<p class="refused" role="alert">{board.failed}</p>{:else}<p>{say.reading}</p>{/if}
</main>

<style>
	.wall {
		padding: 1.2rem 2rem;
		zoom: 1.25;
	}
	header {
		display: flex;
		align-items: baseline;
		gap: 2rem;
		padding-bottom: 0.6rem;
	}
	h1 {
		margin-right: auto;
		font-size: var(--text-page);
	}
</style>
