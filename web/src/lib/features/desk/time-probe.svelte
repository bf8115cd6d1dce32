<!-- The probe that is drawn along the axis: every row shows its verdict at that instant. -->
<script lang="ts">
	import { Slider } from '@skeletonlabs/skeleton-svelte';
	import { HOUR, when, type Span } from '$lib/time/time';
	import { timeProbe as say } from '$lib/words/desk';
	let { start, span, zone, probe, onprobe }: { start: number; span: Span; zone: string; probe: number | null; onprobe: (at: number | null) => void } = $props();

	const QUARTER = HOUR / 4;
	const end = $derived(start + span.ms);
	const at = $derived(Math.min(end, probe ?? start));
	const drawn = $derived(probe !== null && probe <= end);

	/** The slider counts its steps from the left end, which is now; the probe stands at whole quarters of an hour. */
	const move = (to: number) => onprobe(Math.min(end, Math.max(start, Math.round(to / QUARTER) * QUARTER)));
</script>

<Slider
	class="time-probe"
	title={say.draw}
	min={start}
	max={end}
	step={QUARTER}
	largeStep={span.ms / 24}
	value={[at]}
	thumbSize={{ width: 12, height: 9 }}
	ids={{ thumb: () => 'probe' }}
	getAriaValueText={() => (probe === null ? say.now : when(new Date(at), zone, new Date(start)))}
	onValueChange={({ value: [to] }) => move(to!)}
>
	<Slider.Label class="sr-only">{say.name}</Slider.Label>
	<Slider.Control class="time-probe-line">
		<Slider.Thumb index={0} class={['time-probe-here', drawn && 'drawn']} />
	</Slider.Control>
</Slider>

<style>
	:global(.time-probe) {
		position: absolute;
		inset: 0;
		width: auto;
		height: auto;
	}
	:global(.time-probe-line) {
		width: 100%;
		height: 100%;
		cursor: ew-resize;
		touch-action: none;
	}
	:global(.time-probe-here) {
		position: absolute;
		bottom: -1px;
		width: 12px;
		height: 9px;
		border: 0;
		border-radius: 0;
		background: var(--blue);
		opacity: 0;
		clip-path: polygon(0 0, 100% 0, 50% 100%);
	}
	:global(.time-probe-here:is(.drawn, :focus-visible)) {
		opacity: 1;
	}
	:global(.time-probe-line:has(:focus-visible)) {
		outline: 2px solid var(--blue);
		outline-offset: 2px;
	}
</style>
