<!-- The environments as stations in order; choosing one filters the view. -->
<script lang="ts">
	import type { RouteLine, Station } from '$lib/api/client';
	import Stop from './stop.svelte';
	let { line, chosen, href }: { line: RouteLine; chosen: string | null; href: (station: string | null) => string } = $props();

	const legs = $derived(
		line.stations.reduce<Station[][]>((out, station) => {
			(out[station.leg] ??= []).push(station);
			return out;
		}, [])
	);
</script>

<nav class="line" aria-label={line.name}>
	{#each legs as stations, n (n)}
		<div class="leg" class:first={n === 0} class:last={n === legs.length - 1}>
			{#each stations as station (station.id)}
				<Stop {station} on={chosen === station.id} {href} />
			{/each}
		</div>
	{/each}
</nav>

<style>
	.line {
		display: flex;
		padding: 0.55rem 0 0.6rem;
	}
	.leg {
		position: relative;
		flex: 1 1 0;
		min-width: 0;
		display: flex;
		flex-direction: column;
		justify-content: center;
		gap: 0.35rem;
	}
	.leg.last {
		flex: 1.5 1 0;
	}
	/* The rails. */
	.leg::before {
		content: '';
		position: absolute;
		left: 8px;
		right: -8px;
		top: calc(50% - 1px);
		border-top: 2px solid var(--ink);
	}
	.leg.last::before {
		right: auto;
		width: 0;
		top: 25%;
		bottom: 25%;
		border-top: 0;
		border-left: 2px solid var(--ink);
	}
	@media (max-width: 760px) {
		.line {
			overflow-x: auto;
			gap: 0.3rem;
		}
		.leg,
		.leg.last {
			flex: none;
			padding-right: 0.6rem;
		}
		.leg::before {
			display: none;
		}
	}
</style>
