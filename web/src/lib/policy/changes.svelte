<!-- What a document would change: in words, on what is pending, and over the past. -->
<script lang="ts">
	import { session } from '$lib/session.svelte';
	import { when } from '$lib/time';
	import { delays } from './delays';
	import type { Fault, Writing } from './writing.svelte';

	let { writing, faults = writing.faults }: { writing: Writing; faults?: Fault[] } = $props();

	const SPANS = [30, 90, 365];
	let days = $state(90);
	const preview = $derived(writing.preview);
	const outcome = $derived(writing.outcome);
	const changed = $derived(outcome?.turns.reduce((sum, one) => sum + one.count, 0) ?? 0);
	const stopped = $derived(outcome?.turns.filter((one) => one.turn !== 'newly cleared') ?? []);
	const held = $derived(stopped.reduce((sum, one) => sum + one.count, 0));
	const heldBadly = $derived(stopped.reduce((sum, one) => sum + one.badly, 0));
	const bars = $derived(outcome ? delays(outcome.delays, held) : []);
	const most = $derived(Math.max(1, ...bars.map((bar) => bar.count)));

	const ORDER = { stricter: 'Stricter than what is in force.', laxer: 'Laxer than what is in force.', equal: 'It asks for the same.', incomparable: 'Stricter in some things, laxer in others.' } as const;

	function count(n: number, thing: string): string {
		return `${n} ${thing}${n === 1 ? '' : 's'}`;
	}
</script>

{#if writing.refused}
	<div class="faults" role="alert">
		<p>{writing.refused} Nothing is lost: it stays as you typed it.</p>
		<ul>
			{#each faults as fault (fault.place + fault.reason)}<li><code class="mono">{fault.place || '/'}</code> {fault.reason}</li>{/each}
		</ul>
	</div>
{:else if preview}
	<section aria-label="What it changes">
		<h3>What it changes</h3>
		<p class="soft">{ORDER[preview.order]}</p>
		<ul class="said">
			{#each preview.differences as said (said)}<li>{said}</li>{:else}<li class="soft">Nothing.</li>{/each}
		</ul>
	</section>
	<section aria-label="What is pending">
		<h3>What is pending</h3>
		<p>
			{preview.flips.length === 0 ? `None of ${count(preview.pending, 'pending promotion')} would be decided otherwise or start later.` : `${preview.flips.length} of ${count(preview.pending, 'pending promotion')} would be decided otherwise, or start at another time.`}
			{#if preview.approvals}<b>{count(preview.approvals, 'approval')} would lapse</b>: each is bound to the policy it was given under.{/if}
		</p>
		<ul class="cases">
			{#each preview.flips as flip (flip.number)}
				<li><a href="/promotion/{flip.number}"><b>{flip.service}</b> <span class="mono">{flip.version}</span></a> {#if flip.was !== flip.would_be}{flip.was} → <b>{flip.would_be}</b>{:else}{flip.would_be}, first start {flip.would_start ? when(new Date(flip.would_start), session.zone, new Date()) : 'not within 14 days'} instead of {flip.first_start ? when(new Date(flip.first_start), session.zone, new Date()) : 'none'}{/if}<span class="soft">{flip.because}</span></li>
			{/each}
		</ul>
	</section>
	<section aria-label="Rehearsal">
		<h3>Rehearsal</h3>
		{#if writing.progress && !outcome}
			<p role="status">{writing.progress.done} of {count(writing.progress.of, 'past promotion')} held against it.</p>
			<progress max={writing.progress.of || 1} value={writing.progress.done} aria-label="Rehearsed so far"></progress>
			<button class="button quiet" onclick={() => writing.stop()}>Stop</button>
		{:else}
			<p class="start">
				<button class="button quiet" onclick={() => void writing.rehearse(days)}>{outcome ? 'Rehearse again' : 'Rehearse'}</button>
				<label>over the last <select class="field" bind:value={days}>{#each SPANS as span (span)}<option value={span}>{span} days</option>{/each}</select></label>
			</p>
		{/if}
		{#if outcome}
			<p>
				Of {count(outcome.of, 'promotion')}, {outcome.departed} departed and {outcome.badly || 'none'} of those {outcome.badly === 1 ? 'was' : 'were'} rolled back.
				{#if changed === 0}
					<b>It would have decided all of them as they were decided.</b>
				{:else}
					<b>It would have stopped {held || 'none'}</b>{#if held}, {heldBadly || 'none'} of which ended badly{/if}{changed > held ? `, and let go ${changed - held} that were not` : ''}.
				{/if}
			</p>
			{#if held}
				<figure aria-label="How long it would have delayed them">
					{#each bars as bar (bar.label)}
						<span class="bar-label">{bar.label}</span><span class="bar"><i style:width="{(bar.count / most) * 100}%"></i></span><span class="bar-count">{bar.count || ''}</span>
					{/each}
				</figure>
			{/if}
			<ul class="cases">
				{#each outcome.turned as one (one.number)}
					<li><a href="/promotion/{one.number}"><b>{writing.names[one.number] ?? one.number}</b></a> {one.turn}{one.badly ? ', was rolled back' : ''}<span class="soft">{one.because}</span></li>
				{/each}
			</ul>
			{#if changed > outcome.turned.length}<p class="soft">These are the latest {outcome.turned.length} of {changed}.</p>{/if}
		{/if}
	</section>
{:else}
	<p class="soft">Change something: what it would change stands here as you type, before anything is kept.</p>
{/if}

<style>
	section {
		padding-bottom: 0.9rem;
	}
	h3 {
		font-size: 16px;
		border-bottom: 1px solid var(--hair);
		margin-bottom: 0.3rem;
	}
	.said {
		list-style: square;
		padding-left: 1.1rem;
	}
	.cases li {
		padding: 3px 0;
		border-bottom: 1px solid var(--hair);
	}
	.cases .soft {
		display: block;
		font-size: 12.5px;
	}
	.cases a:hover {
		text-decoration: underline;
	}
	.faults {
		border-left: 4px solid var(--wax);
		padding-left: 0.7rem;
	}
	.start {
		display: flex;
		gap: 0.8rem;
		align-items: center;
		padding: 0.2rem 0 0.4rem;
	}
	.start label {
		display: flex;
		gap: 0.5rem;
		align-items: center;
		white-space: nowrap;
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
		font-size: 12.5px;
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
