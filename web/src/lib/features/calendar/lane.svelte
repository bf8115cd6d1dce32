<!-- One environment along time: what closes it, what starts, what landed; a freeze can be drawn on it. -->
<script lang="ts">
	import type { Timeline } from '$lib/api/client';
	import { city, clock, stretch, when } from '$lib/time/time';
	import { drag, take, type Held } from './holding';
	import Marks from './marks.svelte';
	import { lane as say } from '$lib/words/calendar';

	type Lane = Timeline['lanes'][number];
	type Props = {
		lane: Lane;
		start: number;
		ms: number;
		now: number;
		nights: number[];
		/** Whether the viewer may move what closes it. */
		may: boolean;
		/** A second zone to tell times in. */
		other: string | null;
		drawn: { from: number; until: number } | null;
		ondraw: (from: number, until: number, moved?: Lane['closings'][number]) => void;
	};
	let { lane, start, ms, now, nights, may, other, drawn, ondraw }: Props = $props();

	const zone = $derived(lane.environment.zone);
	const closings = $derived(
		lane.closings.flatMap((one, n) => {
			const at = stretch(Date.parse(one.start), Date.parse(one.end), start, ms);
			return at ? [{ ...one, ...at, n }] : [];
		})
	);
	const freezes = $derived(
		closings
			.filter((one) => one.texture === 'freeze')
			.sort((a, b) => a.left - b.left)
			// A name ends where the next freeze begins.
			.map((one, n, all) => ({ ...one, room: Math.min(one.width, (all[n + 1]?.left ?? 1) - one.left || one.width) }))
	);
	let held: Held<Lane['closings'][number]> | null = null;

	function place(at: number): number {
		return ((at - start) / ms) * 100;
	}
	function instantAt(event: PointerEvent & { currentTarget: HTMLElement }): number {
		const box = event.currentTarget.getBoundingClientRect();
		return start + ((event.clientX - box.left) / box.width) * ms;
	}

	function moment(at: string): string {
		const date = new Date(at);
		const here = when(date, zone, new Date(now));
		return other ? `${here} (${when(date, other, new Date(now))} ${city(other)})` : here;
	}

	function down(event: PointerEvent & { currentTarget: HTMLElement }) {
		const near = (5 / event.currentTarget.getBoundingClientRect().width) * ms;
		held = take(instantAt(event), near, freezes);
		event.currentTarget.setPointerCapture(event.pointerId);
	}
	function move(event: PointerEvent & { currentTarget: HTMLElement }) {
		const shape = held && drag(held, instantAt(event));
		if (shape) ondraw(...shape, held?.closing);
	}
</script>

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div class="lane" data-lane={lane.environment.id} onpointerdown={down} onpointermove={move} onpointerup={() => (held = null)}>
	{#each nights as night (night)}<i class="night" style:left="{place(night)}%"></i>{/each}
	{#each closings as one (one.n)}
		<i class="closing texture-{one.texture}" class:freeze={one.texture === 'freeze'} style:left="{one.left * 100}%" style:width="{one.width * 100}%" title={say.closing(one.name, moment(one.start), moment(one.end))}></i>
	{/each}
	{#each freezes as one (one.n)}
		{#if one.room > 0.04}<span class="name" style:left="{one.left * 100}%" style:max-width="{one.room * 100}%">{one.name}</span>{/if}
		{#if may}
			<!-- The pointer works on the lane; this is for the keyboard. -->
			<button class="hold" style:left="{one.left * 100}%" style:width="{one.width * 100}%" aria-label={say.moveIt(one.name, moment(one.start), moment(one.end))} onclick={(event) => event.detail === 0 && ondraw(Date.parse(one.start), Date.parse(one.end), one)}></button>
		{/if}
	{/each}
	{#each lane.departures_at as at}<i class="set" style:left="{place(Date.parse(at))}%" title={say.takesInAt(clock(new Date(at), zone))}></i>{/each}
	{#if drawn}<i class="drawn texture-freeze" style:left="{place(drawn.from)}%" style:width="{((drawn.until - drawn.from) / ms) * 100}%"></i>{/if}
	{#if now > start && now < start + ms}<i class="now" style:left="{place(now)}%"></i>{/if}
	<Marks {lane} {now} {place} {moment} />
</div>

<style>
	.lane {
		position: relative;
		height: clamp(58px, 8.5vh, 110px);
		border-bottom: 1px solid var(--hair-strong);
		cursor: crosshair;
		touch-action: pan-y;
		overflow: hidden;
	}
	i {
		position: absolute;
		top: 0;
		bottom: 0;
	}
	.closing {
		top: 16px;
		bottom: 12px;
	}
	.freeze {
		border: 1px solid var(--hair-strong);
		background-color: var(--paper);
		cursor: move;
	}
	.name {
		position: absolute;
		top: 0;
		padding-inline: 2px 4px;
		font-size: var(--text-tiny);
		white-space: nowrap;
		overflow: hidden;
		text-overflow: ellipsis;
		pointer-events: none;
	}
	.hold {
		position: absolute;
		top: 16px;
		bottom: 12px;
		cursor: move;
	}
	.drawn {
		top: 12px;
		bottom: 8px;
		border: 2px solid var(--wax);
		pointer-events: none;
	}
	.set {
		width: 0;
		top: auto;
		height: 9px;
		border-left: 1.5px dashed var(--ink-soft);
	}
	.now {
		width: 2px;
		margin-left: -1px;
		background: var(--wax);
		pointer-events: none;
	}
</style>
