<!-- What stands above the lanes: which days, what marks mean, how many days. -->
<script lang="ts">
	import { here } from '$lib/state/here.svelte';
	import { city, day, HOUR, wall } from '$lib/time/time';
	import { TEXTURES } from '$lib/words';
	import { calendar as say } from '$lib/words/calendar';
	import { DAYS } from './calendar.svelte';

	let { start, days, zone }: { start: number; days: number; zone: string } = $props();

	const end = $derived(start + days * 24 * HOUR - 1);
	const shifted = (by: number) => here({ from: wall(start + by * 24 * HOUR, zone).slice(0, 10) });
</script>

<svelte:head><title>{say.title}</title></svelte:head>

<div class="view-head">
	<h1>{say.name} <span class="soft">{say.span(day(new Date(start), zone), day(new Date(end), zone), city(zone))}</span></h1>
	<ul class="legend" aria-label={say.texturesOfTime}>
		{#each TEXTURES.slice(0, 3) as texture (texture.id)}<li><i class="texture-{texture.id}"></i>{texture.label}</li>{/each}
		<li><i class="flag"></i>{say.couldStart}</li>
		<li><i class="set"></i>{say.takesIn}</li>
		<li><i class="dot"></i>{say.landed}</li>
		<li><i class="square"></i>{say.rolledBack}</li>
	</ul>
	<nav class="spans" aria-label={say.whichDays}>
		<a href={shifted(-7)} aria-label={say.weekEarlier}>{say.back}</a>
		<a href="/calendar">{say.today}</a>
		<a href={shifted(7)} aria-label={say.weekLater}>{say.on}</a>
		{#each DAYS as one (one)}<a href={here({ days: String(one) })} aria-current={one === days ? 'true' : undefined}>{say.weeks(one / 7)}</a>{/each}
	</nav>
</div>

<style>
	.legend .set {
		width: 0;
		height: 10px;
		border: 0;
		border-left: 1.5px dashed var(--ink-soft);
	}
	.legend .dot {
		width: 9px;
		height: 9px;
		border: 0;
		border-radius: 50%;
		background: var(--ink);
	}
	.legend .square {
		width: 9px;
		height: 9px;
		border: 2px solid var(--wax);
	}
</style>
