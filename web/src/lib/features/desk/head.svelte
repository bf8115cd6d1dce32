<!-- What stands above the rows: how much waits for oneself, what to find, what textures mean, how far time is drawn. -->
<script lang="ts">
	import { here, put } from '$lib/state/here.svelte';
	import { city, clock, day, HOUR, SPANS } from '$lib/time/time';
	import { TEXTURES } from '$lib/words';
	import { desk as say } from '$lib/words/desk';
	import type { DeskState } from './desk.svelte';
	import { isPending } from './probe';

	let { desk, words, span, zone }: { desk: DeskState; words: string; span: (typeof SPANS)[number]; zone: string } = $props();

	/** Also what others may do as well: whoever comes first. */
	const mine = $derived(desk.rows.filter((row) => row.waits_for === 'you').length + desk.signOffs.filter((one) => one.yours).length + desk.drafts.length + desk.changes.length);
	const pending = $derived(desk.rows.filter(isPending).length);
</script>

<svelte:head><title>{say.title(mine)}</title></svelte:head>

<div class="view-head">
	<h1>
		{#if !desk.loaded}{say.desk}{:else if mine}{say.forYou(mine)}{:else}{say.nothingWaitsForYou}{/if}
		<span class="soft">{desk.loaded ? say.pending(pending) : ''}</span>
	</h1>
	<a class="soft" href={here({ probe: new Date(desk.start + HOUR).toISOString() })} title={say.atAnotherTime}>{day(new Date(desk.start), zone)} {clock(new Date(desk.start), zone)}, {city(zone)}</a>
	<input id="words" class="field words" type="search" placeholder={say.find} aria-label={say.findOnTheDesk} value={words} oninput={(event) => put({ words: event.currentTarget.value })} />
	<ul class="legend" aria-label={say.texturesOfTime}>
		{#each TEXTURES as texture (texture.id)}
			<li><i class="texture-{texture.id}"></i>{texture.label}</li>
		{/each}
		<li><i class="flag"></i>{say.firstStart}</li>
	</ul>
	<nav class="spans" aria-label={say.howFar}>
		{#each SPANS as one (one.id)}
			<a href={here({ span: one.id })} aria-current={one.id === span.id ? 'true' : undefined}>{one.label}</a>
		{/each}
	</nav>
</div>

<style>
	.words {
		width: 110px;
		padding-block: 2px;
	}
</style>
