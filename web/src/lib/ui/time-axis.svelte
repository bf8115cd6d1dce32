<!-- The axis that all time bars share. -->
<script lang="ts">
	import { ticks, type Span } from '$lib/time/time';
	import { timeAxis as say } from '$lib/words/desk';
	let { start, span, zone }: { start: number; span: Span; zone: string } = $props();
	const marks = $derived(ticks(start, span.ms, span.tick, zone));
	// Two weeks of days do not fit; every third does.
	const shown = $derived(marks.filter((_, n) => span.id !== '2w' || n % 3 === 0));
</script>

<div class="axis" aria-hidden="true">
	<span class="tick now" style:left="0">{say.now}</span>
	{#each shown as tick (tick.at)}
		{#if tick.place > (tick.midnight ? 0.15 : 0.1) && tick.place < 0.97}
			<span class="tick" class:midnight={tick.midnight} class:last={tick.place > 0.9} style:left="{tick.place * 100}%">{tick.label}</span>
		{/if}
	{/each}
</div>

<style>
	.axis {
		container-type: inline-size;
		position: relative;
		height: 1.4rem;
		font-size: 11.5px;
		color: var(--ink-soft);
	}
	.tick {
		position: absolute;
		bottom: 2px;
		transform: translateX(-50%);
		white-space: nowrap;
	}
	/* Its middle would lie beyond the end. */
	.last {
		transform: translateX(-100%);
	}
	.now {
		transform: none;
		color: var(--wax);
		font-weight: 600;
	}
	@container (width < 330px) {
		.tick:not(.midnight, .now) {
			display: none;
		}
	}
	.midnight {
		font-weight: 600;
		color: var(--ink);
	}
</style>
