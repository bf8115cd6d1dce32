<!-- How far something has come along the route of one service. -->
<script lang="ts">
	import type { Schemas } from '$lib/api/client';
	import { lines } from '$lib/features/frame/lines.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { where as say } from '$lib/words/estate';
	import Stamp from '$lib/ui/stamp.svelte';
	let { track }: { track: Schemas['Track'] } = $props();

	const order = $derived(lines.all.flatMap((line) => line.stations.map((one) => one.id)));
	const places = $derived([...track.stops.map((stop) => ({ place: stop.environment, stop })), ...track.missing.map((place) => ({ place, stop: null }))].sort((a, b) => order.indexOf(a.place.id) - order.indexOf(b.place.id)));
	const moment = (at: string) => when(new Date(at), session.zone, new Date());
</script>

<section aria-label={track.service.name}>
	<h2>{track.service.name} <span class="soft">{track.holds.length ? `${track.holds.join(', ')}: ` : ''}{track.says}</span></h2>
	<ol>
		{#each places as { place, stop } (place.id)}
			<li class:missing={!stop}>
				<b>{place.name}</b>
				{#if stop}
					<span><Stamp says={say.states[stop.state] ?? stop.state} /></span>
					<a href={stop.promotion ? `/promotion/${stop.promotion}` : undefined}><span class="mono">{stop.version}</span>{#if stop.at}<span class="soft">{stop.state === 'runs' || stop.state === 'landed' ? say.since(moment(stop.at)) : say.asked(moment(stop.at))}</span>{/if}</a>
					{#if stop.says}<span class="soft">{stop.says}</span>{/if}
				{:else}<span class="soft">{say.missing}</span>{/if}
			</li>
		{/each}
	</ol>
</section>

<style>
	h2 {
		padding: 0.7rem 0 0.3rem;
		border-bottom: 1.5px solid var(--ink);
	}
	h2 .soft {
		font-weight: 400;
		font-size: var(--text-label);
	}
	ol {
		display: grid;
		grid-template-columns: repeat(auto-fit, minmax(160px, 1fr));
	}
	li {
		display: grid;
		align-content: start;
		justify-items: start;
		gap: 3px;
		padding: 8px 10px 10px 0;
		border-bottom: 1px solid var(--hair);
		line-height: 1.3;
	}
	.missing {
		opacity: 0.85;
	}
	.soft {
		font-size: var(--text-small);
	}
	a {
		display: flex;
		flex-wrap: wrap;
		gap: 0 0.5rem;
		align-items: baseline;
	}
	a:hover {
		text-decoration: underline;
	}
</style>
