<!-- One environment as a station: how many wait and move, whether it is closed now, and until when. -->
<script lang="ts">
	import type { Station } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { clock, day } from '$lib/time/time';
	import { routeLine as say } from '$lib/words/frame';

	let { station, on, href }: { station: Station; on: boolean; href: (station: string | null) => string } = $props();

	const ZONE = session.zone;

	function counts(station: Station): string {
		const parts = [];
		if (station.waiting) parts.push(say.waiting(station.waiting));
		if (station.moving) parts.push(say.moving(station.moving));
		return parts.join(', ') || say.nothingWaits;
	}

	function closed(station: Station): string {
		if (!station.closed_until) return '';
		const until = new Date(station.closed_until);
		return say.closedUntil(moment(until));
	}

	function moment(at: Date): string {
		const same = day(at, ZONE) === day(new Date(), ZONE);
		return `${same ? '' : `${day(at, ZONE).split(' ')[0]} `}${clock(at, ZONE)}`;
	}
</script>

<a class="station" href={href(on ? null : station.id)} aria-current={on ? 'true' : undefined} title={[station.closed_by ? say.closedBy(station.closed_by) : say.open, station.takes_in ? say.takesIn(station.takes_in) : ''].filter(Boolean).join('; ')}>
	<span class="dot" class:texture-freeze={station.closed_by !== null} data-moving={station.moving > 0}></span>
	<span class="text">
		<span class="name">{station.name}</span>
		<span class="soft">{counts(station)}{#if station.closed_by}{' · '}<b>{closed(station)}</b>{:else if station.next_at}{' · '}{say.takesIn(moment(new Date(station.next_at)))}{/if}</span>
	</span>
</a>

<style>
	.station {
		position: relative;
		display: flex;
		align-items: center;
		gap: 0.6rem;
		min-width: 0;
		padding: 1px 0;
	}
	.dot {
		position: relative;
		flex: none;
		width: 18px;
		height: 18px;
		border: 2px solid var(--ink);
		border-radius: 50%;
		background-color: var(--paper);
	}
	[data-moving='true']::after {
		content: '';
		position: absolute;
		inset: 3px;
		background: var(--blue);
		border-radius: 50%;
	}
	.text {
		display: flex;
		flex-direction: column;
		min-width: 0;
		padding: 0 0.6rem 0 0.2rem;
		margin-left: -0.3rem;
		background: var(--paper);
		font-size: var(--text-small);
		line-height: 1.25;
	}
	.text > * {
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
	}
	.name {
		font-family: var(--serif);
		font-size: var(--text-lead);
		font-weight: 600;
	}
	b {
		color: var(--ochre);
	}
	[aria-current] .dot {
		border-color: var(--wax);
		outline: 2px solid var(--wax);
		outline-offset: 1px;
	}
	.station:hover .name,
	[aria-current] .name {
		text-decoration: underline;
		text-decoration-thickness: 2px;
		text-underline-offset: 3px;
		text-decoration-color: var(--wax);
	}
</style>
