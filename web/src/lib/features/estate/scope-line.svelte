<!-- One ticket of a scope: what it is, how far it has come, and what holds it. -->
<script lang="ts">
	import type { Schemas } from '$lib/api/client';
	import { scopes as say, where } from '$lib/words/estate';
	import Opens from '$lib/ui/opens.svelte';
	import TrackOf from './where-track.svelte';
	let { one }: { one: Schemas['ScopeLine'] } = $props();

	const holds = $derived(one.tracks.flatMap((track) => track.stops).find((stop) => stop.says && stop.state !== 'runs' && stop.state !== 'landed'));
</script>

<li data-ticket={one.key} data-state={one.state}>
	<Opens>
		{#snippet line()}
			<span class="line"><span class="state">{say.states[one.state]}</span><b>{one.key}</b><span>{one.title ?? ''}</span></span>
			<span class="figure soft">{one.status ?? ''}</span>
			{#if holds}<span class="below soft">{holds.environment.name}: {holds.says}</span>{/if}
		{/snippet}
		{#if one.link}<a class="underline" href={one.link}>{one.key}</a>{/if}
		{#each one.tracks as track (track.service.id)}<TrackOf {track} />{:else}<p class="soft">{where.nothing(one.key)}</p>{/each}
	</Opens>
</li>

<style>
	li {
		border-bottom: 1px solid var(--hair);
	}
	.line {
		display: grid;
		grid-template-columns: 8rem 6rem minmax(0, 1fr);
		gap: 1rem;
	}
	/* The further, the more ink. */
	.state {
		padding-left: 0.5rem;
		border-left: 4px solid var(--hair-strong);
	}
	[data-state='on its way'] .state {
		border-left: 4px double var(--blue);
	}
	[data-state='everywhere'] .state {
		border-left-color: var(--verdigris);
		font-weight: 600;
	}
	@media (max-width: 760px) {
		.line {
			grid-template-columns: 8rem minmax(0, 1fr);
			gap: 0 0.6rem;
		}
		.line > :last-child {
			grid-column: 1 / -1;
		}
	}
</style>
