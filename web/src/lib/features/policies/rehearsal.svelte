<!-- What a document would have done over the past, and what delay it would have cost. -->
<script lang="ts">
	import { changes as say } from '$lib/words/policies';
	import { delays } from './delays';
	import Thresholds from './thresholds.svelte';
	import type { Writing } from './writing.svelte';
	import Segments from '$lib/ui/segments.svelte';

	let { writing }: { writing: Writing } = $props();

	const SPANS = [30, 90, 365];
	let days = $state(90);
	const outcome = $derived(writing.outcome);
	const changed = $derived(outcome?.turns.reduce((sum, one) => sum + one.count, 0) ?? 0);
	const stopped = $derived(outcome?.turns.filter((one) => one.turn !== 'newly cleared') ?? []);
	const held = $derived(stopped.reduce((sum, one) => sum + one.count, 0));
	const heldBadly = $derived(stopped.reduce((sum, one) => sum + one.badly, 0));
	const bars = $derived(outcome ? delays(outcome.delays, held) : []);
	const most = $derived(Math.max(1, ...bars.map((bar) => bar.count)));
</script>

<section class="effect" aria-label={say.rehearsal}>
	<h3>{say.rehearsal}</h3>
	{#if writing.progress && !outcome}
		<p role="status">{say.progress(writing.progress.done, writing.progress.of)}</p>
		<progress max={writing.progress.of || 1} value={writing.progress.done} aria-label={say.rehearsedSoFar}></progress>
		<button class="button quiet" onclick={() => writing.stop()}>{say.stop}</button>
	{:else}
		<div class="start">
			<button class="button quiet" onclick={() => void writing.rehearse(days)}>{outcome ? say.again : say.rehearse}</button>
			<Segments label={say.overTheLast} choices={SPANS.map((span) => [span, say.days(span)])} bind:value={days} />
		</div>
	{/if}
	{#if outcome}
		<p>
			{say.outcome(outcome.of, outcome.departed, outcome.badly)}
			{#if changed === 0}
				<b>{say.nothingTurns}</b>
			{:else}
				<b>{say.stopped(held)}</b>{#if held}{say.stoppedBadly(heldBadly)}{/if}{changed > held ? say.letGo(changed - held) : ''}.
			{/if}
		</p>
		{#if held}
			<figure aria-label={say.delays}>
				{#each bars as bar (bar.label)}
					<span class="bar-label">{bar.label}</span><span class="bar"><i style:width="{(bar.count / most) * 100}%"></i></span><span class="bar-count">{bar.count || ''}</span>
				{/each}
			</figure>
		{/if}
		{#if writing.courses}<Thresholds courses={writing.courses} names={writing.names} />{/if}
		<ul class="cases">
			{#each outcome.turned as one (one.number)}
				<li><a href="/promotion/{one.number}"><b>{writing.names[one.number] ?? one.number}</b></a> {one.turn}{one.badly ? say.rolledBack : ''}<span class="soft">{one.because}</span></li>
			{/each}
		</ul>
		{#if changed > outcome.turned.length}<p class="soft">{say.latest(outcome.turned.length, changed)}</p>{/if}
	{/if}
</section>

<style>
	.start {
		display: flex;
		gap: 0.8rem;
		align-items: center;
		padding: 0.2rem 0 0.4rem;
	}
	progress {
		width: 100%;
		height: 6px;
		accent-color: var(--ink);
	}
	figure {
		display: grid;
		grid-template-columns: auto 1fr 2rem;
		gap: 2px 0.6rem;
		align-items: center;
		padding: 0.4rem 0;
		font-size: var(--text-small);
	}
	.bar {
		height: 12px;
		border-left: 1px solid var(--hair-strong);
	}
	.bar i {
		display: block;
		height: 100%;
		background: var(--ochre);
	}
	.bar-count {
		text-align: right;
	}
</style>
