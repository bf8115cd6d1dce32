<!-- What stands above the rows: how much waits for oneself, what to find, what textures mean, how far time is drawn. -->
<script lang="ts">
	import { here, put } from '$lib/state/here.svelte';
	import { city, clock, day, SPANS } from '$lib/time/time';
	import { TEXTURES } from '$lib/words';
	import { desk as say } from '$lib/words/desk';
	import type { DeskState } from './desk.svelte';

	let { desk, words, span, zone }: { desk: DeskState; words: string; span: (typeof SPANS)[number]; zone: string } = $props();

	const mine = $derived(desk.rows.filter((row) => row.waits_for === 'you').length);
	const pending = $derived(desk.rows.filter((row) => !['moving', 'halted', 'ended'].includes(row.waits_for)).length);
</script>

<svelte:head><title>{say.title(mine)}</title></svelte:head>

<div class="head">
	<h1>
		{#if !desk.loaded}{say.desk}{:else if mine}{say.forYou(mine)}{:else}{say.nothingWaitsForYou}{/if}
		<span class="soft">{desk.loaded ? say.pending(pending) : ''}</span>
	</h1>
	<span class="soft">{day(new Date(desk.start), zone)} {clock(new Date(desk.start), zone)}, {city(zone)}</span>
	<input id="words" class="field words" type="search" placeholder={say.find} aria-label={say.findOnTheDesk} value={words} oninput={(event) => put({ words: event.currentTarget.value })} />
	<ul class="legend" aria-label={say.texturesOfTime}>
		{#each TEXTURES as texture (texture.id)}
			<li><i class="texture-{texture.id}"></i>{texture.label}</li>
		{/each}
		<li><i class="first"></i>{say.firstStart}</li>
	</ul>
	<nav class="zoom" aria-label={say.howFar}>
		{#each SPANS as one (one.id)}
			<a href={here({ span: one.id })} aria-current={one.id === span.id ? 'true' : undefined}>{one.label}</a>
		{/each}
	</nav>
</div>

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
	.words {
		width: 110px;
		padding-block: 2px;
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
	@media (max-width: 1100px) {
		.legend {
			display: none;
		}
		.head {
			justify-content: space-between;
		}
	}
	@media (max-width: 760px) {
		.head {
			flex-wrap: wrap;
			gap: 0.2rem 1rem;
		}
	}
</style>
