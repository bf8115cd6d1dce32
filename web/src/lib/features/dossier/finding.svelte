<!-- One finding: its outcome, its rule and why; it opens to its evidence and to what it was before. -->
<script lang="ts">
	import type { Finding } from '$lib/api/client';
	import type { DossierState } from './dossier.svelte';
	import { day, when } from '$lib/time/time';
	import { lowerFirst, unparted } from '$lib/words';
	import { inspection as say } from '$lib/words/dossier';
	import Mark from '$lib/ui/mark.svelte';
	import Opens from '$lib/ui/opens.svelte';
	import Waiver from './waiver.svelte';
	let { finding, stands, state: dossier }: { finding: Finding; stands: boolean; state: DossierState } = $props();

	const file = $derived(dossier.file!);
	const zone = $derived(file.row.target.zone);
	const now = $derived(new Date(file.at));
	const opens = $derived(finding.evidence.length > 0 || finding.history.length > 0 || finding.asked_since !== null);
</script>

{#snippet line()}
	<span class="of"><Mark outcome={finding.outcome} /><span>{finding.title}</span></span>
	{#if finding.settled_by}<span class="figure of">{say[finding.settled_by]}</span>{/if}
	<span class="below because">{unparted(finding.because)}{#if finding.advisory}{' '}<span class="soft">{say.advisory}</span>{/if}</span>
{/snippet}

<li class:stands data-rule={finding.rule}>
	<Opens open={stands} {line} {opens}>
		<dl>
			{#each finding.evidence as line, n (n)}
				<dt>{line.label}</dt>
				<dd>
					{#if line.link}<a class="underline" href={line.link} rel="noreferrer" target="_blank">{line.value}</a>{:else}{unparted(line.value)}{/if}
					{#if line.wanted}<span class="wanted">{say.shouldBe(line.wanted)}</span>{/if}
				</dd>
			{/each}
			{#if finding.asked_since}
				{@const since = finding.asked_since}
				<dt>{say.rule}</dt>
				<dd><a class="underline" href="/policies?of={since.environment}&rule={finding.rule}">{say.askedSince(since.version, since.adopted_by.name, day(new Date(since.in_force_from), zone))}</a></dd>
			{/if}
		</dl>
		{#if finding.history.length}
			<ul class="soft" aria-label={say.before}>
				{#each finding.history as earlier, n (n)}
					<li>
						{#if earlier.whose}{say.approvalCounted(earlier.whose.name, when(new Date(earlier.until), zone, now), lowerFirst(earlier.because))}
						{:else}{say.was} <b>{earlier.outcome}</b> {say.until(when(new Date(earlier.until), zone, now), unparted(lowerFirst(earlier.because)))}{/if}
					</li>
				{/each}
			</ul>
		{/if}
	</Opens>
	{#if finding.may_ask_again}
		{@const check = finding.may_ask_again}
		<button class="as-link" disabled={dossier.busy !== null} onclick={() => dossier.askAgain(check)}>{say.askAgain}</button>
	{/if}
	<Waiver {finding} state={dossier} />
</li>

<style>
	li {
		padding: 0.25rem 0 0.3rem;
		border-bottom: 1px solid var(--hair);
	}
	.of {
		display: flex;
		align-items: baseline;
		gap: 0.5rem;
		font-size: var(--text-note);
		color: var(--ink-soft);
	}
	.because {
		font-size: var(--text-label);
		line-height: 1.35;
	}
	.stands .because {
		font-weight: 600;
	}
	ul li {
		padding: 0;
		border: 0;
	}
	dl {
		display: grid;
		grid-template-columns: minmax(80px, auto) 1fr;
		gap: 1px 0.9rem;
	}
	dt {
		color: var(--ink-soft);
		overflow-wrap: anywhere;
	}
	dt::first-letter {
		text-transform: uppercase;
	}
	dd {
		overflow-wrap: anywhere;
	}
	.wanted {
		display: block;
		color: var(--wax);
		font-weight: 600;
	}
	.as-link {
		margin-left: 14px;
	}
</style>
