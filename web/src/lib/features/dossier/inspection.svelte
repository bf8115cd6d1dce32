<!-- The findings, what stands in the way first; what no rule of the policy says of this promotion is put together. -->
<script lang="ts">
	import type { DossierState } from './dossier.svelte';
	import { day, when } from '$lib/time/time';
	import { inspection as say } from '$lib/words/dossier';
	import Opens from '$lib/ui/opens.svelte';
	import Finding from './finding.svelte';
	import { inOrder } from './findings';
	let { state: dossier }: { state: DossierState } = $props();

	const file = $derived(dossier.file!);
	const found = $derived(inOrder(file.findings));
	const policy = $derived(file.policy);
	const coming = $derived(policy.coming);
</script>

<h2>{say.inspection}</h2>
<p class="soft">
	{say.policy(policy.title, policy.version)}{#if policy.baseline}{say.overBaseline(policy.baseline)}{/if}{#if policy.adopted_by && policy.in_force_from}{say.adoptedBy(policy.adopted_by.name, day(new Date(policy.in_force_from), file.row.target.zone))}{/if}
</p>
{#if coming}
	<p class="soft">{say.coming(coming.version, coming.baseline, when(new Date(coming.at), file.row.target.zone, new Date(file.at)))}{coming.because === file.row.sentence ? '.' : say.asThingsAre(coming.verdict, coming.because)}</p>
{/if}
<ul>
	{#each found.stands as finding (finding.rule)}<Finding {finding} stands state={dossier} />{/each}
	{#each found.others as finding (finding.rule)}<Finding {finding} stands={false} state={dossier} />{/each}
</ul>
{#if found.unconcerned.length}
	<Opens>
		{#snippet line()}<span class="soft">{say.doNotConcern(found.unconcerned.length)}</span>{/snippet}
		<ul>{#each found.unconcerned as finding (finding.rule)}<Finding {finding} stands={false} state={dossier} />{/each}</ul>
	</Opens>
{/if}
