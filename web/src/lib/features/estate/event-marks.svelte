<!-- What happened, as marks over the charts on their axis; each is a link, and its shape says of which kind it is. -->
<script lang="ts">
	import { when } from '$lib/time/time';
	import { charts as say } from '$lib/words/estate';
	import type { Occurrence } from './charts.svelte';
	import { LEFT, RIGHT } from './plot.svelte';
	let { found, zone }: { found: { occurrences: Occurrence[]; start: number; end: number }; zone: string } = $props();

	const inset = [LEFT, RIGHT].map((one) => `${one}px`);
	const LASTING = ['freeze', 'closing'];
	const place = (at: number) => Math.min(1, Math.max(0, (at - found.start) / (found.end - found.start))) * 100;
	const closed = $derived(found.occurrences.filter((one) => LASTING.includes(one.kind)));
	const marks = $derived(found.occurrences.filter((one) => !LASTING.includes(one.kind) && Date.parse(one.at) >= found.start));
	const title = (one: Occurrence) => `${when(new Date(one.at), zone, new Date())}: ${one.says}`;
</script>

<div class="strip" role="group" aria-label={say.marked} style:margin-left={inset[0]} style:margin-right={inset[1]}>
	{#each closed as one, n (n)}
		{@const from = place(Date.parse(one.at))}
		<span class="closed texture-freeze" title={title(one)} style:left="{from}%" style:width="{place(one.until ? Date.parse(one.until) : found.end) - from}%"></span>
	{/each}
	{#each marks as one, n (n)}
		{#if one.promotion !== null}<a class="event" data-kind={one.kind} href="/promotion/{one.promotion}" title={title(one)} aria-label={title(one)} style:left="{place(Date.parse(one.at))}%"></a>
		{:else}<span class="event" data-kind={one.kind} role="img" title={title(one)} aria-label={title(one)} style:left="{place(Date.parse(one.at))}%"></span>{/if}
	{/each}
</div>

<style>
	.strip {
		position: relative;
		height: 22px;
		margin-top: 0.4rem;
		border-bottom: 1px solid var(--hair-strong);
	}
	.closed {
		position: absolute;
		top: 0;
		height: 7px;
	}
	.event {
		position: absolute;
		bottom: 1px;
		width: 11px;
		height: 11px;
		transform: translateX(-50%);
	}
	.event[data-kind='landing'] {
		border-radius: 50%;
		background: var(--ink);
	}
	.event[data-kind='rollback'] {
		border-radius: 50%;
		border: 2.5px solid var(--wax);
	}
	.event[data-kind='taken back'] {
		border: 2.5px solid var(--wax);
	}
	.event[data-kind='step'] {
		width: 5px;
		border-left: 2px solid var(--blue);
	}
	.event[data-kind='incident'] {
		background: var(--wax);
		clip-path: polygon(50% 0, 100% 100%, 0 100%);
	}
	.event[data-kind='policy'] {
		width: 6px;
		border-left: 4px double var(--ink);
	}
	a.event:hover {
		outline: 2px solid var(--blue);
		outline-offset: 1px;
	}
</style>
