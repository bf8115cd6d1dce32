<script lang="ts">
	import { page } from '$app/state';
	import Parts from '$lib/features/estate/parts.svelte';
	import TrackOf from '$lib/features/estate/where-track.svelte';
	import { WhereState } from '$lib/features/estate/where.svelte';
	import { put } from '$lib/state/here.svelte';
	import { where as say } from '$lib/words/estate';

	const what = $derived(page.url.searchParams.get('what') ?? '');
	const asking: WhereState = new WhereState(() => what).follow();
	const found = $derived(asking.found);
	let typed = $derived(what);
	const id = $props.id();
</script>

<svelte:head><title>{say.title}</title></svelte:head>
<div class="view-head">
	<h1 class="mr-auto">{say.heading}</h1>
	<Parts />
</div>
<form
	onsubmit={(event) => {
		event.preventDefault();
		put({ what: typed.trim() });
	}}
>
	<label for="{id}-what">{say.label} <span class="soft">{say.hint}</span></label>
	<div><input id="{id}-what" class="field" type="search" maxlength="200" bind:value={typed} /><button class="button main" disabled={!typed.trim()}>{say.find}</button></div>
</form>
{#if asking.failed}<p class="failed" role="alert">{asking.failed}</p>
{:else if what && !found}<p class="soft" role="status">{say.reading}</p>{/if}
{#if found}
	<p role="status">{found.kind ? say.found(found.asked, say.kinds[found.kind] ?? found.kind) : say.nothing(found.asked)}</p>
	{#each found.tracks as track (track.service.id)}<TrackOf {track} />{/each}
	{#if found.unknown.length}<h2 class="label">{say.unknown}</h2><ul>{#each found.unknown as why}<li>{why}</li>{/each}</ul>{/if}
{/if}

<style>
	form {
		display: grid;
		gap: 2px;
		max-width: 46rem;
		padding: 0.4rem 0 0.8rem;
	}
	form div {
		display: flex;
		gap: 0.6rem;
	}
	label {
		font-weight: 600;
	}
	label .soft {
		font-weight: 400;
		font-size: var(--text-small);
	}
	h2 {
		padding-top: 0.9rem;
		color: var(--wax);
	}
</style>
