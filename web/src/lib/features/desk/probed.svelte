<!-- Says that rows show their verdict at another instant, and leads back to now. -->
<script lang="ts">
	import { here } from '$lib/state/here.svelte';
	import { city, clock, day, REACH } from '$lib/time/time';
	import Instant from '$lib/ui/instant.svelte';
	import { desk as say } from '$lib/words/desk';

	let { probe, zone, onprobe }: { probe: number; zone: string; onprobe: (at: number | null) => void } = $props();
</script>

<p role="status">
	<span>{say.asThingsStand} <b>{day(new Date(probe), zone)} {clock(new Date(probe), zone)}, {city(zone)}</b></span>
	<label>{say.probe} <Instant at={probe} {zone} onchange={onprobe} /></label>
	{#if probe > Date.now() + REACH}<span>{say.beyondReach}</span>{/if}
	<a class="underline" href={here({ probe: null })}>{say.backToNow} <kbd>Esc</kbd></a>
</p>

<style>
	p {
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.3rem 1.2rem;
		padding: 0.3rem 0;
		color: var(--blue);
	}
	label {
		display: flex;
		align-items: center;
		gap: 0.4rem;
	}
</style>
