<script lang="ts">
	import { page } from '$app/state';
	import { api, data } from '$lib/api/client';
	import { ShownState } from '$lib/features/estate/boards.svelte';
	import Parts from '$lib/features/estate/parts.svelte';
	import ShownBoard from '$lib/features/estate/shown.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { boards as say } from '$lib/words/estate';

	const number = $derived(Number(page.params.id));
	const board: ShownState = new ShownState(() => data(api.GET('/api/boards/{number}/shown', { params: { path: { number } } }))).follow(() => live.version);
	const found = $derived(board.found);
</script>

<svelte:head><title>{say.titleOf(found?.title ?? say.heading)}</title></svelte:head>
<div class="view-head">
	<h1 class="mr-auto">{found?.title ?? ''} <span class="soft">{found ? say.of(found.owner) : ''}</span></h1>
	<Parts />
</div>
{#if board.failed}<p class="failed" role="alert">{board.failed}</p>{:else if !found}<p class="soft">{say.reading}</p>{/if}
{#if found}<ShownBoard {found} zone={session.zone} />{/if}

<style>
</style>
