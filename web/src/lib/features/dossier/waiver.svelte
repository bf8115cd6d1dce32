<!-- The exception from one rule: asked for with a reason and an end, granted by a second person, revoked. -->
<script lang="ts">
	import type { Finding } from '$lib/api/client';
	import type { DossierState } from './dossier.svelte';
	import { when } from '$lib/time/time';
	import { capital } from '$lib/words';
	import { common } from '$lib/words/common';
	import { waiver as say } from '$lib/words/dossier';
	import Segments from '$lib/ui/segments.svelte';
	let { finding, state: dossier }: { finding: Finding; state: DossierState } = $props();

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
		if (await dossier.askWaiver(finding.rule, { reason, until: until.toISOString() })) {
			asking = false;
			reason = '';
		}
	}
</script>

{#if waiver}
	<div class="waiver">
		{#if !waiver.granted_by}
			<p>
				<b>{waiver.asked_by.name}</b> {say.asks(when(new Date(waiver.until), zone, now), waiver.reason)}
				<span class="soft">{say.mayGrant(capital(finding.waivable_by ?? ''))}</span>
			</p>
		{/if}
		{#if finding.may_grant}
			<p class="soft">{say.granting}</p>
		{/if}
		<div class="acts">
			{#if finding.may_grant}
				<button class="button main" disabled={dossier.busy !== null} onclick={() => dossier.grantWaiver(finding.rule, waiver.asked_at)}>{say.grantTheWaiver}</button>
			{/if}
			{#if finding.may_revoke}
				<button class="button quiet" disabled={dossier.busy !== null} onclick={() => dossier.revokeWaiver(finding.rule)}>
					{waiver.granted_by ? say.revoke : say.refuse}
				</button>
			{/if}
		</div>
	</div>
{:else if finding.may_ask && !asking}
	<button class="as-link" onclick={() => (asking = true)}>{say.askForAWaiver}</button>
{:else if finding.may_ask}
	<form class="waiver" onsubmit={ask}>
		<p class="soft">
			{say.asking(capital(finding.waivable_by ?? ''))}
		</p>
		<label for="{id}-reason">{say.why}</label>
		<textarea id="{id}-reason" class="field" rows="2" maxlength="2000" bind:value={reason}></textarea>
		<div class="row">
			<Segments label={say.howLong} choices={say.spans} bind:value={hours} />
			<span class="soft">{say.until(when(until, zone, now))}</span>
		</div>
		<div class="acts">
			<button class="button main" disabled={dossier.busy !== null || !reason.trim()}>{say.askForTheWaiver}</button>
			<button type="button" class="button quiet" onclick={() => (asking = false)}>{common.leaveIt}</button>
		</div>
	</form>
{/if}

<style>
	.as-link {
		margin-left: 14px;
	}
	.waiver {
		margin: 0.4rem 0 0 14px;
		padding: 0.5rem 0.7rem;
		border-left: 3px solid var(--hair-strong);
		background: var(--wash);
		font-size: var(--text-body);
		line-height: 1.35;
		overflow-wrap: anywhere;
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
	.acts {
		display: flex;
		flex-wrap: wrap;
		gap: 0.5rem;
		padding-top: 0.5rem;
	}
	.acts:empty {
		display: none;
	}
</style>
