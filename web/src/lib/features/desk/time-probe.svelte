<!-- The probe that is drawn along the axis: every row shows its verdict at that instant. -->
<script lang="ts">
	import { HOUR, when, type Span } from '$lib/time/time';
	import { timeProbe as say } from '$lib/words/desk';
	let { start, span, zone, probe, onprobe }: { start: number; span: Span; zone: string; probe: number | null; onprobe: (at: number | null) => void } = $props();

	const QUARTER = HOUR / 4;
	const STEPS: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 24, PageDown: -24 };
	const at = $derived(probe ?? start);
	let drawn = false;

	function draw(event: PointerEvent & { currentTarget: HTMLElement }) {
		if (event.type === 'pointerdown') {
			drawn = true;
			event.currentTarget.setPointerCapture(event.pointerId);
		}
		if (!drawn) return;
		const box = event.currentTarget.getBoundingClientRect();
		move(start + ((event.clientX - box.left) / box.width) * span.ms);
	}

	function move(to: number) {
		onprobe(Math.min(start + span.ms, Math.max(start, Math.round(to / QUARTER) * QUARTER)));
	}

	function keys(event: KeyboardEvent) {
		const step = STEPS[event.key];
		if (step === undefined) return;
		move(at + step * HOUR);
		event.preventDefault();
	}
</script>

<div
	id="probe"
	role="slider"
	tabindex="0"
	aria-label={say.name}
	aria-valuemin={start}
	aria-valuemax={start + span.ms}
	aria-valuenow={at}
	aria-valuetext={probe === null ? say.now : when(new Date(at), zone, new Date(start))}
	title={say.draw}
	onpointerdown={draw}
	onpointermove={draw}
	onpointerup={() => (drawn = false)}
	onkeydown={keys}
>
	{#if probe !== null && at <= start + span.ms}<span style:left="{((at - start) / span.ms) * 100}%"></span>{/if}
</div>

<style>
	div {
		position: absolute;
		inset: 0;
		cursor: ew-resize;
		touch-action: none;
	}
	span {
		position: absolute;
		bottom: -1px;
		transform: translateX(-50%);
		border: 6px solid transparent;
		border-top: 9px solid var(--blue);
		border-bottom: 0;
	}
</style>
