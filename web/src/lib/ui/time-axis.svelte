<!-- The axis that all time bars share. -->
<script lang="ts">
	import { ticks, type Span, type Tick } from '$lib/time/time';
	import { timeAxis as say } from '$lib/words/desk';
	let { start, span, zone }: { start: number; span: Span; zone: string } = $props();
	const marks = $derived(ticks(start, span.ms, span.tick, zone));
	// Two weeks of days do not fit; every third does.
	const fitting = $derived(marks.filter((_, n) => span.id !== '2w' || n % 3 === 0).filter((tick) => tick.place > (tick.midnight ? 0.15 : 0.1) && tick.place < 0.97));
	// A day at the end stands left of its mark, where the hour before it would touch it.
	const shown = $derived(fitting.filter((tick, n) => tick.midnight || !touches(tick, fitting[n + 1])));

	const isLast = (tick: Tick) => tick.place > 0.9;
	const touches = (tick: Tick, next: Tick | undefined) => next !== undefined && next.midnight && isLast(next) && next.place - tick.place < 0.2;
</script>

<div class="axis" aria-hidden="true">
	<span class="tick now" style:left="0">{say.now}</span>
	{#each shown as tick (tick.at)}
		<span class="tick" class:midnight={tick.midnight} class:last={isLast(tick)} style:left="{tick.place * 100}%">{tick.label}</span>
	{/each}
</div>

<style>
	.axis {
		container-type: inline-size;
		position: relative;
		height: 1.4rem;
		font-size: var(--text-tiny);
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
