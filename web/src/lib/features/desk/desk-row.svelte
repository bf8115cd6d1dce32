<!-- One promotion on the Desk: stamp, what, why it waits, on whom, until when. -->
<script lang="ts">
	import type { Desk, Row } from '$lib/api/client';
	import { isPending, probed } from './probe';
	import { REACH, span as lasting, type Span } from '$lib/time/time';
	import { stampOf, unparted } from '$lib/words';
	import { row as say } from '$lib/words/desk';
	import Looking from '$lib/features/dossier/looking.svelte';
	import Rungs from './rungs.svelte';
	import Seats from '$lib/ui/seats.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	import TimeBar from '$lib/ui/time-bar.svelte';

	type Props = {
		row: Row;
		start: number;
		span: Span;
		changed: boolean;
		probe: number | null;
		marked: boolean;
		question: Desk['questions'][number] | undefined;
		looking: { id: string; name: string }[];
		open: boolean;
		onfocus: () => void;
		onopen: () => void;
	};
	let { row, start, span, changed, probe, marked, question, looking, open: beside, onfocus, onopen }: Props = $props();

	/** A plain click or Enter opens it beside the Desk; with a key held, as any link. */
	function select(event: MouseEvent) {
		if (event.ctrlKey || event.metaKey || event.shiftKey || event.altKey || matchMedia('(max-width: 760px)').matches) return;
		event.preventDefault();
		onopen();
	}

	const waited = $derived(lasting(start - Date.parse(row.requested_at)));
	const then = $derived(probe === null ? null : probed(row, probe, start + REACH));
	const pending = $derived(isPending(row));
</script>

<li>
	<a id="row-{row.number}" class="row" class:changed class:marked class:beside aria-current={beside ? 'true' : undefined} onclick={select} href="/promotion/{row.number}" {onfocus} data-number={row.number}>
		<span class="stamp"><Stamp says={then ? then.verdict : stampOf(row)} /></span>
		<span class="what">
			<span class="service"><b>{row.service.name}</b> <span class="mono">{row.version}</span></span>
			<span class="soft leg">{#if row.kind !== 'ordinary'}<b class="kind" data-urgent={row.urgent}>{row.kind}</b>{/if}{say.leg(row.source, row.target.name)}</span>
		</span>
		<span class="why">
			{#if then}<span class="then">{say.atTheProbe(then.says)}</span>{:else}<span>{unparted(row.sentence)}</span>{/if}
			{#if question}<span class="question"><b>{say.asksYou(question.by.name)}</b> {question.text}</span>{/if}
			<span class="soft asked">{say.askedBy(row.requested_by.name, waited)}{row.bundle ? say.crosses(row.bundle.name) : ''}{changed ? say.changed : ''}{marked ? say.marked : ''} <Looking people={looking} too={beside} /></span>
		</span>
		<span class="seats"><Seats seats={row.seats} /></span>
		<span class="time">{#if pending}<TimeBar {row} {start} {span} {probe} />{:else if row.going}<Rungs going={row.going} />{/if}</span>
	</a>
</li>

<style>
	.row {
		display: grid;
		grid-template-columns: var(--columns);
		column-gap: 18px;
		align-items: center;
		min-height: 56px;
		padding: 7px 0;
		border-bottom: 1px solid var(--hair);
	}
	.row:hover {
		background: var(--wash);
	}
	.row:focus-visible {
		outline-offset: 2px;
		background: var(--wash);
	}
	.changed {
		box-shadow: -10px 0 0 -6px var(--wax);
	}
	.marked {
		background: var(--wash);
		box-shadow: -10px 0 0 -4px var(--blue);
	}
	.beside {
		background: var(--wash);
		box-shadow: 10px 0 0 -2px var(--ink);
	}
	.question {
		padding-left: 0.5rem;
		border-left: 3px solid var(--ochre);
	}
	.then {
		color: var(--blue);
	}
	.what,
	.why {
		display: flex;
		flex-direction: column;
		min-width: 0;
	}
	.service {
		font-size: var(--text-label);
		line-height: 1.25;
	}
	.service .mono {
		white-space: nowrap;
	}
	.leg,
	.asked {
		font-size: var(--text-small);
	}
	.kind {
		margin-right: 0.4rem;
		padding: 0 0.3rem;
		border: 1px solid currentColor;
		color: var(--ink);
		font-size: var(--text-tiny);
	}
	.kind[data-urgent='true'] {
		border-width: 1px 1px 1px 4px;
		color: var(--wax);
	}
	.why {
		line-height: 1.32;
		overflow-wrap: anywhere;
	}
	.seats {
		min-width: 0;
	}
	@media (max-width: 760px) {
		.row {
			grid-template-columns: 92px 1fr;
			row-gap: 6px;
		}
		.why,
		.seats,
		.time {
			grid-column: 1 / -1;
		}
	}
</style>
