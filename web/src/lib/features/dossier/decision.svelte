<!-- The seats, what my word would bring about, and the word itself. -->
<script lang="ts">
	import type { DossierState } from './dossier.svelte';
	import { when } from '$lib/time/time';
	import { lowerFirst } from '$lib/words';
	import { common } from '$lib/words/common';
	import { decision as say } from '$lib/words/dossier';
	import { Typed } from '$lib/state/typed.svelte';
	import Back from '$lib/ui/back.svelte';
	import Exchange from './exchange.svelte';
	import Halting from './halting.svelte';
	import OtherBytes from './other-bytes.svelte';
	import Reschedule from './reschedule.svelte';
	import Seats from '$lib/ui/seats.svelte';
	let { state: dossier }: { state: DossierState } = $props();

	const file = $derived(dossier.file!);
	const mine = $derived(file.mine);
	const halts = $derived(file.landed?.may_accept || mine.may_cancel || mine.may_declare_urgent);
	const reasons = $derived(mine.may_approve || mine.may_turn_back || mine.may_retract || mine.may_withdraw || halts);
	const acts = $derived(reasons || mine.may_depart);
	const reasoned = $derived(dossier.comment.trim().length > 0);
	const zone = $derived(file.row.target.zone);
	const now = $derived(new Date(file.at));
	const id = $props.id();
	const typed = new Typed<string>(
		() => (dossier.file ? `reason-${dossier.file.row.number}` : null),
		() => dossier.comment,
		(was) => (dossier.comment = was),
		() => ''
	);
</script>

<h2>{say.decision}</h2>
<div class="seats"><Seats seats={file.row.seats} /></div>
{#if mine.lapsed}
	<p class="why-not">{say.lapsed(when(new Date(mine.lapsed.given_at), zone, now), when(new Date(mine.lapsed.at), zone, now), lowerFirst(mine.lapsed.because))}</p>
	<ul class="since">{#each mine.lapsed.changes ?? [] as change, n (n)}<li>{change}</li>{/each}</ul>
{/if}
{#if mine.sits_for}<p class="effect">{say.asStandIn(mine.sits_for.name)}</p>{/if}
{#if mine.effect}<p class="effect">{mine.effect}</p>{/if}
{#if mine.why_not}<p class="why-not">{mine.why_not}</p>{/if}
{#if dossier.refused}<p class="refused" role="alert">{dossier.refused}</p>{/if}
{#if file.landed}<OtherBytes landed={file.landed} {zone} {now} />{/if}
{#if acts}
	{#if reasons}
		<label for="{id}-comment">{common.reason} {#if mine.may_turn_back}<span class="soft">{mine.comment_needed ? say.needed : say.neededToTurnBack}</span>{/if}</label>
		<textarea id="{id}-comment" class="field" rows="3" maxlength="2000" bind:value={dossier.comment}></textarea>
	{/if}
	<Back {typed} />
	<div class="acts">
		{#if mine.may_approve}
			<button class="button main" disabled={dossier.busy !== null || (mine.comment_needed && !reasoned)} onclick={() => dossier.act('approve')}>{common.approve} <kbd>a</kbd></button>
		{/if}
		{#if mine.may_depart}
			<button class="button main" disabled={dossier.busy !== null} onclick={() => dossier.act('depart')}>{say.letItDepart}</button>
		{/if}
		{#if mine.may_turn_back}
			<button class="button grave" disabled={dossier.busy !== null || !reasoned} onclick={() => dossier.act('turn-back')}>{say.turnBack}</button>
		{/if}
		{#if mine.may_retract}
			<button class="button" disabled={dossier.busy !== null} onclick={() => dossier.act('retract')}>{say.takeMyApprovalBack}</button>
		{/if}
		{#if mine.may_withdraw}
			<button class="button quiet" disabled={dossier.busy !== null} onclick={() => dossier.act('withdraw')}>{say.withdrawTheRequest}</button>
		{/if}
	</div>
	{#if halts}<Halting state={dossier} />{/if}
	{#if mine.may_withdraw}<Reschedule state={dossier} />{/if}
	{#if mine.may_exchange}<Exchange state={dossier} />{/if}
	{#if mine.may_turn_back || mine.may_withdraw}
		<p class="soft text-small">
			{say.endsIt(mine.may_turn_back)}
		</p>
	{/if}
{/if}

<style>
	.seats {
		padding: 0.5rem 0;
	}
	.effect,
	.why-not {
		padding: 0.5rem 0.7rem;
		border-left: 3px solid var(--verdigris);
		background: var(--wash);
		line-height: 1.35;
	}
	.why-not {
		border-left-color: var(--hair-strong);
	}
	.since {
		padding: 0.3rem 0 0.3rem 1.1rem;
		list-style: square;
		font-size: var(--text-note);
		overflow-wrap: anywhere;
	}
	.since:empty {
		display: none;
	}
	.refused {
		margin-top: 0.5rem;
		color: var(--wax);
		font-weight: 600;
	}
	label {
		display: block;
		margin-top: 0.8rem;
		font-weight: 600;
	}
	label .soft {
		font-weight: 400;
	}
	.acts {
		display: flex;
		flex-wrap: wrap;
		gap: 0.5rem;
		padding: 0.6rem 0 0.4rem;
	}
	/* However long the sentence is, a thumb reaches the answer. */
	@media (max-width: 760px) {
		.acts {
			position: sticky;
			bottom: 0;
			background: var(--paper);
		}
	}
</style>
