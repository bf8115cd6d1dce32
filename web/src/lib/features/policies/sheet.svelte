<!-- One environment's policy, opened: its source, what a change would bring about, its versions. -->
<script lang="ts">
	import { api, data, saying, type Board } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { city } from '$lib/time/time';
	import Instant from '$lib/ui/instant.svelte';
	import { common } from '$lib/words/common';
	import { sheet as say } from '$lib/words/policies';
	import Changes from './changes.svelte';
	import Keep from './keep.svelte';
	import Versions from './versions.svelte';
	import type { Writing } from './writing.svelte';

	let { column, writing, rule, back, onkept }: { column: Board['columns'][number]; writing: Writing; rule: string | null; back: string; onkept: () => Promise<void> } = $props();

	let shown = $state<'changes' | 'versions'>('changes');
	let reason = $state('');
	let from = $state<number | null>(null);
	let refused = $state('');
	let done = $state('');
	let busy = $state(false);
	const rights = $derived(session.me?.rights ?? []);
	const own = $derived(column.draft_by?.id === session.me?.id);
	const drafted = $derived(column.draft !== null && writing.source === column.draft_source);
	const tools = Promise.all([import('./editor.svelte'), data(api.GET('/api/policy-schema'))]);

	async function adopt() {
		if (column.draft === null) return;
		busy = true;
		try {
			await data(
				api.POST('/api/environments/{environment}/policies/{version}/adopt', {
					params: { path: { environment: column.environment.id, version: column.draft } },
					body: { reason, in_force_from: from === null ? null : new Date(from).toISOString() }
				})
			);
			done = from ? say.adoptedFrom(column.draft) : say.adopted(column.draft);
			refused = '';
			await onkept();
		} catch (error) {
			refused = saying(error);
		} finally {
			busy = false;
		}
	}
</script>

<div class="sheet">
	<div class="bar">
		<a href={back} class="underline">{say.allEnvironments}</a>
		<h2>{column.environment.name}</h2>
		<span class="soft">{column.version === null ? say.none : say.inForce(column.version)}{column.baseline ? say.adds(column.baseline.name) : ''}{column.draft === null ? '' : say.drafted(column.draft, column.draft_by?.name)}</span>
		<span class="tabs" role="tablist">
			<button role="tab" aria-selected={shown === 'changes'} onclick={() => (shown = 'changes')}>{say.changes}</button>
			<button role="tab" aria-selected={shown === 'versions'} onclick={() => (shown = 'versions')}>{say.versions}</button>
		</span>
	</div>
	<div class="halves">
		<div class="source">
			{#await tools}
				<p class="soft">{say.openingTheSource}</p>
			{:then [editor, schema]}
				<editor.default source={writing.source} faults={writing.faults} {rule} {schema} readonly={!rights.includes('write policy')} onwrite={(text) => writing.write(text)} />
			{:catch error}
				<p role="alert">{saying(error)}</p>
			{/await}
		</div>
		<div class="side">
			{#if done}<p class="done" role="status">{done}</p>{/if}
			{#if shown === 'versions'}
				<Versions environment={column.environment.id} zone={session.zone} version={column.version} />
			{:else}
				<div class="read"><Changes {writing} /></div>
				<Keep {writing} {onkept} />
				{#if drafted && rights.includes('adopt policy') && !writing.refused}
					<section class="act" aria-label={say.adopt}>
						<h3>{say.adoptVersion(column.draft)}</h3>
						{#if own}
							<p class="soft">{say.yours}</p>
						{:else}
							<label class="reason">{common.reason}<textarea class="field" rows="2" bind:value={reason}></textarea></label>
							<label>{say.inForceFrom} <Instant zone={session.zone} bind:at={from} /></label> <span class="soft">{from ? city(session.zone) : 'at once'}</span>
							{#if refused}<p role="alert" class="refused">{refused}</p>{/if}
							<button class="button" disabled={busy} onclick={adopt}>{say.adoptVersion(column.draft)}</button>
						{/if}
					</section>
				{/if}
			{/if}
		</div>
	</div>
</div>

<style>
	.bar {
		display: flex;
		align-items: baseline;
		gap: 1rem;
		border-bottom: 1.5px solid var(--ink);
		padding-bottom: 3px;
	}
	h2 {
		font-size: 20px;
	}
	.tabs {
		margin-left: auto;
		display: flex;
		gap: 1rem;
		font-family: var(--serif);
		font-size: 16px;
	}
	.tabs button {
		cursor: pointer;
	}
	.tabs [aria-selected='true'] {
		font-weight: 700;
		box-shadow: 0 2px 0 var(--wax);
	}
	.halves {
		display: grid;
		grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
		gap: 24px;
		padding-top: 0.8rem;
	}
	.source,
	.side {
		height: calc(100vh - 292px);
		min-height: 380px;
	}
	.side {
		display: flex;
		flex-direction: column;
	}
	.read {
		flex: 1;
		overflow-y: auto;
	}
	.done {
		border-left: 4px solid var(--verdigris);
		padding-left: 0.7rem;
		margin-bottom: 0.6rem;
	}
	.act {
		border-top: 1.5px solid var(--ink);
		padding-top: 0.5rem;
	}
	.act h3 {
		font-size: 17px;
	}
	.reason {
		display: grid;
	}
	.refused {
		color: var(--wax);
		font-weight: 600;
	}
	.act .button {
		margin-top: 0.3rem;
	}
	@media (max-width: 900px) {
		.halves {
			grid-template-columns: 1fr;
		}
	}
</style>
