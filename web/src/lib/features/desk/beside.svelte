<!-- A promotion's file beside the Desk: why, until when, and the word one has to say. -->
<script lang="ts">
	import { DossierState } from '$lib/features/dossier/dossier.svelte';
	import { busyElsewhere } from '$lib/state/keys';
	import { live } from '$lib/state/live.svelte';
	import { look } from '$lib/features/dossier/presence';
	import { SPANS } from '$lib/time/time';
	import { stampOf, unparted } from '$lib/words';
	import { common } from '$lib/words/common';
	import { beside as say, row } from '$lib/words/desk';
	import Decision from '$lib/features/dossier/decision.svelte';
	import Inspection from '$lib/features/dossier/inspection.svelte';
	import Looking from '$lib/features/dossier/looking.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	import TimeAxis from '$lib/ui/time-axis.svelte';
	import TimeBar from '$lib/ui/time-bar.svelte';

	let { number, onclose }: { number: number; onclose: () => void } = $props();

	const dossier = new DossierState(() => number);
	const file = $derived(dossier.file?.row.number === number ? dossier.file : null);
	const start = $derived(file ? Date.parse(file.at) : 0);
	let panel = $state<HTMLElement>();

	dossier.follow(() => live.version);
	$effect(() => look(number));

	function keys(event: KeyboardEvent) {
		if (busyElsewhere(event)) return;
		if (event.key === 'a' && file?.mine.may_approve) void dossier.act('approve');
		else if (event.key === 'r') {
			event.preventDefault();
			panel?.querySelector<HTMLElement>('textarea')?.focus();
		}
	}
</script>

<svelte:window onkeydown={keys} />

<aside bind:this={panel} aria-label={say.besideTheDesk}>
	{#if file}
		<p class="ways"><a class="underline" href="/promotion/{number}">{say.theWholeFile} <kbd>o</kbd></a> <button class="underline" onclick={onclose}>{common.close} <kbd>Esc</kbd></button></p>
		<div class="title"><Stamp says={stampOf(file.row)} /><h2>{file.row.service.name} <span class="mono">{file.row.version}</span></h2></div>
		<p class="sentence" aria-live="polite">{unparted(file.row.sentence)}</p>
		<p class="soft">{row.leg(file.row.source, file.row.target.name)}{say.askedBy(file.row.requested_by.name)}{#if file.authors.length}{say.writtenBy(file.authors.map((one) => one.name))}{/if}. <Looking people={file.looking} /></p>
		{#if ['waiting', 'cleared'].includes(file.row.state)}
			<TimeAxis {start} span={SPANS[2]} zone={file.row.target.zone} />
			<TimeBar row={file.row} {start} span={SPANS[2]} />
		{/if}
		<section><Decision state={dossier} /></section>
		<section><Inspection state={dossier} /></section>
	{:else if dossier.failed}
		<p class="sentence">{dossier.failed}</p>
		<button class="button" onclick={onclose}>{common.close}</button>
	{/if}
</aside>

<style>
	aside {
		position: sticky;
		top: 0;
		max-height: 100vh;
		overflow-y: auto;
		padding: 0.9rem 2px 1rem 1.2rem;
		border-left: 1.5px solid var(--ink);
	}
	.ways {
		display: flex;
		justify-content: space-between;
		font-size: var(--text-small);
	}
	.title {
		display: flex;
		align-items: center;
		gap: 0.8rem;
		padding: 0.4rem 0 0.2rem;
	}
	.title .mono {
		font-size: var(--text-lead);
		font-weight: 500;
	}
	.sentence {
		font-weight: 600;
		line-height: 1.35;
		overflow-wrap: anywhere;
	}
	section {
		margin-top: 0.8rem;
		padding-top: 0.6rem;
		border-top: 1px solid var(--hair-strong);
	}
</style>
