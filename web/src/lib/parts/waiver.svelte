<!-- The exception from one rule: asked for with a reason and an end, granted by a second person, revoked. -->
<script lang="ts">
	import type { Finding } from '$lib/api/client';
	import type { DossierState } from '$lib/dossier.svelte';
	import { when } from '$lib/time';
	import { capital } from '$lib/words';
	let { finding, state: dossier }: { finding: Finding; state: DossierState } = $props();

	const SPANS = [
		{ hours: 4, label: '4 hours' },
		{ hours: 24, label: '1 day' },
		{ hours: 72, label: '3 days' },
		{ hours: 168, label: '1 week' }
	];
	const waiver = $derived(finding.waiver);
	const now = $derived(new Date(dossier.file!.at));
	const zone = $derived(dossier.file!.row.target.zone);
	let asking = $state(false);
	let reason = $state('');
	let hours = $state(24);
	const until = $derived(new Date(now.getTime() + hours * 3_600_000));
	const id = $props.id();

	async function ask(event: SubmitEvent) {
		event.preventDefault();
		if (await dossier.waive('ask', finding.rule, { reason, until: until.toISOString() })) {
			asking = false;
			reason = '';
		}
	}
</script>

{#if waiver}
	<div class="waiver">
		{#if !waiver.granted_by}
			<p>
				<b>{waiver.asked_by.name}</b> asks to waive this rule until {when(new Date(waiver.until), zone, now)}: {waiver.reason}
				<span class="soft">{capital(finding.waivable_by ?? '')} may grant it.</span>
			</p>
		{/if}
		{#if finding.may_grant}
			<p class="soft">Granting lets this promotion pass this one rule until then, and no other promotion.</p>
		{/if}
		<div class="acts">
			{#if finding.may_grant}
				<button class="button main" disabled={dossier.busy !== null} onclick={() => dossier.waive('grant', finding.rule)}>Grant the waiver</button>
			{/if}
			{#if finding.may_revoke}
				<button class="button quiet" disabled={dossier.busy !== null} onclick={() => dossier.waive('revoke', finding.rule)}>
					{waiver.granted_by ? 'Revoke the waiver' : 'Refuse the waiver'}
				</button>
			{/if}
		</div>
	</div>
{:else if finding.may_ask && !asking}
	<button class="ask" onclick={() => (asking = true)}>Ask for a waiver</button>
{:else if finding.may_ask}
	<form class="waiver" onsubmit={ask}>
		<p class="soft">
			Lets this promotion pass this one rule for a time. {capital(finding.waivable_by ?? '')} must grant it; the record keeps who asked, who granted,
			and why.
		</p>
		<label for="{id}-reason">Why it is to be waived</label>
		<textarea id="{id}-reason" class="field" rows="2" maxlength="2000" bind:value={reason}></textarea>
		<label for="{id}-hours">For</label>
		<div class="row">
			<select id="{id}-hours" class="field" bind:value={hours}>
				{#each SPANS as one (one.hours)}<option value={one.hours}>{one.label}</option>{/each}
			</select>
			<span class="soft">until {when(until, zone, now)}</span>
		</div>
		<div class="acts">
			<button class="button main" disabled={dossier.busy !== null || !reason.trim()}>Ask for the waiver</button>
			<button type="button" class="button quiet" onclick={() => (asking = false)}>Leave it</button>
		</div>
	</form>
{/if}

<style>
	.waiver {
		margin: 0.4rem 0 0 132px;
		padding: 0.5rem 0.7rem;
		border-left: 3px solid var(--hair-strong);
		background: var(--wash);
		font-size: 14px;
		line-height: 1.35;
		overflow-wrap: anywhere;
	}
	.ask {
		margin-left: 132px;
		font-size: 13px;
		color: var(--ink-soft);
		text-decoration: underline;
		text-underline-offset: 3px;
	}
	label {
		display: block;
		margin-top: 0.4rem;
		font-weight: 600;
	}
	.row {
		display: flex;
		align-items: baseline;
		gap: 0.6rem;
	}
	select {
		width: auto;
	}
	.acts {
		display: flex;
		flex-wrap: wrap;
		gap: 0.5rem;
		padding-top: 0.5rem;
	}
	.acts:empty {
		display: none;
	}
	@media (max-width: 760px) {
		.waiver,
		.ask {
			margin-left: 0;
		}
	}
</style>
