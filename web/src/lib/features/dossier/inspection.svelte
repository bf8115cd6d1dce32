<!-- The findings, what stands in the way first; each opens to its evidence. -->
<script lang="ts">
	import type { Finding } from '$lib/api/client';
	import type { DossierState } from './dossier.svelte';
	import { day, when } from '$lib/time/time';
	import { lowerFirst } from '$lib/words';
	import { inspection as say } from '$lib/words/dossier';
	import Mark from '$lib/ui/mark.svelte';
	import Waiver from './waiver.svelte';
	let { state: dossier, narrow = false }: { state: DossierState; narrow?: boolean } = $props();

	const WEIGHT: Record<Finding['outcome'], number> = { unmet: 0, unknown: 1, pending: 2, waived: 3, met: 4, 'not applicable': 5 };
	const file = $derived(dossier.file!);
	const findings = $derived([...file.findings].sort((a, b) => Number(a.advisory) - Number(b.advisory) || WEIGHT[a.outcome] - WEIGHT[b.outcome]));
	const policy = $derived(file.policy);
	const zone = $derived(file.row.target.zone);
	const now = $derived(new Date(file.at));
</script>

<h2>{say.inspection}</h2>
<p class="soft">
	{say.policy(policy.title, policy.version)}{#if policy.baseline}{say.overBaseline(policy.baseline)}{/if}{#if policy.adopted_by && policy.in_force_from}{say.adoptedBy(policy.adopted_by.name, day(new Date(policy.in_force_from), file.row.target.zone))}{/if}
</p>
<ul class:narrow>
	{#each findings as finding (finding.rule)}
		{@const stands = WEIGHT[finding.outcome] < 3 && !finding.advisory}
		<li class:stands data-rule={finding.rule}>
			<div class="line"><Mark outcome={finding.outcome} /><span class="title">{finding.title}</span></div>
			<p class="because">{finding.because}{#if finding.advisory}{' '}<span class="soft">{say.advisory}</span>{/if}</p>
			{#if finding.evidence.length || finding.asked_since}
				<details open={stands}>
					<summary>{say.evidence}{finding.settled_by ? ` · ${say[finding.settled_by]}` : ''}</summary>
					<dl>
						{#each finding.evidence as line, n (n)}
							<dt>{line.label}</dt>
							<dd>
								{#if line.link}<a class="underline" href={line.link} rel="noreferrer" target="_blank">{line.value}</a>{:else}{line.value}{/if}
								{#if line.wanted}<span class="wanted">{say.shouldBe(line.wanted)}</span>{/if}
							</dd>
						{/each}
						{#if finding.asked_since}
							{@const since = finding.asked_since}
							<dt>{say.rule}</dt>
							<dd><a class="underline" href="/policies?of={since.environment}&rule={finding.rule}">{say.askedSince(since.version, since.adopted_by.name, day(new Date(since.in_force_from), zone))}</a></dd>
						{/if}
					</dl>
				</details>
			{/if}
			{#if finding.history.length}
				<ul class="history" aria-label={say.before}>
					{#each finding.history as earlier, n (n)}
						<li>
							{#if earlier.whose}{say.approvalCounted(earlier.whose.name, when(new Date(earlier.until), zone, now), lowerFirst(earlier.because))}
							{:else}{say.was} <b>{earlier.outcome}</b> {say.until(when(new Date(earlier.until), zone, now), lowerFirst(earlier.because))}{/if}
						</li>
					{/each}
				</ul>
			{/if}
			{#if finding.may_ask_again}
				{@const check = finding.may_ask_again}
				<button class="beside-mark as-link" disabled={dossier.busy !== null} onclick={() => dossier.askAgain(check)}>{say.askAgain}</button>
			{/if}
			<Waiver {finding} state={dossier} />
		</li>
	{/each}
</ul>

<style>
	li {
		padding: 0.55rem 0 0.6rem;
		border-bottom: 1px solid var(--hair);
	}
	.line {
		display: grid;
		grid-template-columns: 132px 1fr;
		align-items: baseline;
	}
	.title {
		font-size: var(--text-note);
		color: var(--ink-soft);
	}
	.because {
		padding-left: 132px;
		font-size: var(--text-label);
		line-height: 1.35;
		overflow-wrap: anywhere;
	}
	.narrow .line {
		grid-template-columns: 104px 1fr;
	}
	.narrow :is(.because, .history, details) {
		padding-left: 0;
	}
	.stands .because {
		font-weight: 600;
	}
	.history {
		padding-left: 132px;
		font-size: var(--text-note);
		color: var(--ink-soft);
	}
	.history li {
		padding: 0;
		border: 0;
	}
	details {
		padding-left: 132px;
		font-size: var(--text-note);
	}
	summary {
		color: var(--ink-soft);
		cursor: pointer;
		width: fit-content;
	}
	dl {
		display: grid;
		grid-template-columns: minmax(80px, auto) 1fr;
		gap: 1px 0.9rem;
		padding-top: 0.2rem;
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
</style>
