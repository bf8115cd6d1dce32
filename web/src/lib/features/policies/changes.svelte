<!-- What a document would change: in words, on what is pending, and over the past. -->
<script lang="ts">
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { changes as say } from '$lib/words/policies';
	import Rehearsal from './rehearsal.svelte';
	import type { Fault, Writing } from './writing.svelte';

	let { writing, faults = writing.faults }: { writing: Writing; faults?: Fault[] } = $props();

	const preview = $derived(writing.preview);

	const moment = (at: string | null) => (at ? when(new Date(at), session.zone, new Date()) : null);
</script>

{#if writing.refused}
	<div class="faults" role="alert">
		<p>{say.refused(writing.refused)}</p>
		<ul>
			{#each faults as fault, n (n)}<li><code class="mono">{fault.pointer || '/'}</code> {fault.reason}</li>{/each}
		</ul>
	</div>
{:else if preview}
	<section class="effect" aria-label={say.whatItChanges}>
		<h3>{say.whatItChanges}</h3>
		<p class="soft">{say.order[preview.order]}</p>
		<ul class="said">
			{#each preview.differences as said, n (n)}<li>{said}</li>{:else}<li class="soft">{say.nothing}</li>{/each}
		</ul>
	</section>
	{#if preview.refused.length}
		<section class="effect" aria-label={say.cannotBeAdopted}>
			<h3>{say.cannotBeAdopted}</h3>
			<ul class="said">{#each preview.refused as said}<li>{said}</li>{/each}</ul>
		</section>
	{/if}
	{#if preview.reach.length}
		<section class="effect" aria-label={say.reach}>
			<h3>{say.reach}</h3>
			<ul class="said">{#each preview.reach as said}<li>{said}</li>{/each}</ul>
		</section>
	{/if}
	<section class="effect" aria-label={say.whatIsPending}>
		<h3>{say.whatIsPending}</h3>
		<p>
			{say.flips(preview.flips.length, preview.pending)}
			{#if preview.approvals}<b>{say.wouldLapse(preview.approvals)}</b>{say.whyTheyLapse}{/if}
		</p>
		<ul class="cases">
			{#each preview.flips as flip (flip.number)}
				<li><a href="/promotion/{flip.number}"><b>{flip.service}</b> <span class="mono">{flip.version}</span></a> {say.into(flip.into)}: {#if flip.was !== flip.would_be}{flip.was} → <b>{flip.would_be}</b>{:else}{say.flip(flip.would_be, moment(flip.would_start), moment(flip.first_start))}{/if}<span class="soft">{flip.because}</span></li>
			{/each}
		</ul>
	</section>
	<Rehearsal {writing} />
{:else}
	<p class="soft">{say.hint}</p>
{/if}

<style>
	.said {
		list-style: square;
		padding-left: 1.1rem;
	}
	.faults {
		border-left: 4px solid var(--wax);
		padding-left: 0.7rem;
	}
</style>
