<!-- Putting a draft in force: by somebody else than who wrote it, now or from a time on. -->
<script lang="ts">
	import { api, data, saying, type Board } from '$lib/api/client';
	import { sure } from '$lib/state/asked.svelte';
	import { session } from '$lib/state/session.svelte';
	import { city, when } from '$lib/time/time';
	import Instant from '$lib/ui/instant.svelte';
	import { common } from '$lib/words/common';
	import { sheet as say } from '$lib/words/policies';

	let { column, draft, onadopted }: { column: Board['columns'][number]; draft: number; onadopted: (says: string) => Promise<void> } = $props();

	let reason = $state('');
	let from = $state<number | null>(null);
	let refused = $state('');
	let busy = $state(false);
	/** Adopted already, and from when on it takes the place of this one. */
	const following = $derived.by(() => {
		const at = column.coming_at ? new Date(column.coming_at) : null;
		return column.coming !== null && at && at.getTime() > (from ?? Date.now()) ? say.until(column.coming, when(at, column.zone, new Date())) : '';
	});
	const own = $derived(column.draft_by?.id === session.me?.id);

	async function drop() {
		if (!(await sure(say.deleteDraftNow(draft), common.takeItAway))) return;
		busy = true;
		try {
			await data(api.DELETE('/api/environments/{environment}/policies/{version}', { params: { path: { environment: column.environment.id, version: draft } } }));
			await onadopted(say.deleted(draft));
		} catch (error) {
			refused = saying(error);
		} finally {
			busy = false;
		}
	}

	async function adopt() {
		busy = true;
		try {
			const path = { environment: column.environment.id, version: draft };
			const body = { reason, in_force_from: from === null ? null : new Date(from).toISOString() };
			await data(api.POST('/api/environments/{environment}/policies/{version}/adopt', { params: { path }, body }));
			refused = '';
			await onadopted(from === null ? say.adopted(draft) : say.adoptedFrom(draft));
		} catch (error) {
			refused = saying(error);
		} finally {
			busy = false;
		}
	}
</script>

<section aria-label={say.adopt}>
	<h3>{say.adoptVersion(draft)}</h3>
	{#if refused}<p role="alert" class="refused">{refused}</p>{/if}
	{#if own}
		<p class="soft">{say.yours}</p>
	{:else}
		<label class="reason">{common.reason}<textarea class="field" rows="2" bind:value={reason}></textarea></label>
		<label>{say.inForceFrom} <Instant zone={column.zone} bind:at={from} /></label> <span class="soft">{from === null ? say.atOnce : city(column.zone)}</span>
		{#if following}<p class="soft">{following}</p>{/if}
		<button class="button" disabled={busy} onclick={adopt}>{say.adoptVersion(draft)}</button>
	{/if}
	<button class="button quiet" disabled={busy} onclick={drop}>{say.deleteDraft(draft)}</button>
</section>

<style>
	section {
		border-top: 1.5px solid var(--ink);
		padding-top: 0.5rem;
	}
	h3 {
		font-size: var(--text-lead);
	}
	.reason {
		display: grid;
	}
	.button {
		display: flex;
		margin-top: 0.3rem;
	}
</style>
