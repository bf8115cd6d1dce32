<!-- After a landing: who says how it is, the word itself, and that something goes wrong. -->
<script lang="ts">
	import type { Dossier } from '$lib/api/client';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { decision } from '$lib/words/dossier';
	import { incidents, signOff as say } from '$lib/words/landed';
	import { LandedState } from './landed.svelte';
	let { file }: { file: Dossier } = $props();

	const landed = new LandedState(() => file.row.number).follow(() => live.version);
	const asked = $derived(landed.signOff);
	const empty = $derived(landed.busy || landed.comment.trim().length === 0);
	const release = $derived(`service=${file.row.service.id}&to=${file.row.target.id}&kind=rollback`);
	let wrong = $state('');
	const id = $props.id();

	async function report() {
		if (await landed.report(file.row.service.id, file.row.target.id, wrong.trim())) wrong = '';
	}
</script>

{#if asked}
	<h2>{say.heading}</h2>
	<p class="effect" class:bad={asked.state === 'issues' || asked.overdue}>{asked.says}</p>
	{#if asked.may_close}
		<label for="{id}-saw">{say.what} <span class="soft">{say.whatHint}</span></label>
		<textarea id="{id}-saw" class="field" rows="2" maxlength="2000" bind:value={landed.comment}></textarea>
		<label for="{id}-ticket">{say.ticket}</label>
		<input id="{id}-ticket" class="field" maxlength="100" bind:value={landed.ticket} />
		{#if !asked.yours}<p class="soft others">{say.othersConfirm}</p>{/if}
		<dl>
			{#if asked.yours}
				<div><button class="button main" disabled={landed.busy} onclick={landed.confirm}>{say.confirm}</button><span>{say.confirmHint}</span></div>
			{/if}
			<div><button class="button grave" disabled={empty} onclick={landed.closeWithIssues}>{say.issues}</button><span>{say.issuesHint}</span></div>
		</dl>
	{/if}
{/if}
{#if landed.refused}<p class="refused" role="alert">{landed.refused}</p>{/if}
{#if file.row.state === 'landed'}
	<p class="ways">
		{#if session.may('request')}<a class="underline" href="/ask?{release}&version={encodeURIComponent(file.row.version)}">{decision.goBack(`${file.row.service.name} ${file.row.version}`)}</a>{/if}
		{#if asked?.state === 'issues' && session.may('request')}<a class="underline" href="/ask?{release}">{incidents.goBack}</a>{/if}
	</p>
	{#if session.may('comment')}
		<details>
			<summary>{incidents.report}</summary>
			<p class="soft">{incidents.reportHint}</p>
			<label for="{id}-wrong">{incidents.what}</label>
			<textarea id="{id}-wrong" class="field" rows="2" maxlength="2000" bind:value={wrong}></textarea>
			<button class="button grave" disabled={landed.busy || wrong.trim().length === 0} onclick={report}>{incidents.open}</button>
		</details>
	{/if}
{/if}

<style>
	.others {
		padding-top: 0.6rem;
	}
	h2 {
		padding-top: 0.8rem;
	}
	.effect {
		padding: 0.5rem 0.7rem;
		border-left: 3px solid var(--verdigris);
		background: var(--wash);
		line-height: 1.35;
		overflow-wrap: anywhere;
	}
	.effect.bad {
		border-left-color: var(--wax);
	}
	label {
		display: block;
		margin-top: 0.6rem;
		font-weight: 600;
	}
	label .soft {
		font-weight: 400;
	}
	dl {
		display: grid;
		gap: 0.5rem;
		padding: 0.6rem 0;
	}
	dl div {
		display: grid;
		grid-template-columns: 10rem 1fr;
		gap: 0.7rem;
		align-items: center;
		font-size: var(--text-small);
	}
	.ways {
		display: grid;
		gap: 0.3rem;
		padding: 0.5rem 0;
	}
	summary {
		padding: 0.2rem 0;
		cursor: pointer;
	}
</style>
