<!-- Ordering back what moves, accepting what landed otherwise, declaring something urgent: each with a reason. -->
<script lang="ts">
	import type { DossierState } from './dossier.svelte';
	import { when } from '$lib/time/time';
	import { decision as say } from '$lib/words/dossier';
	let { state: dossier }: { state: DossierState } = $props();

	const file = $derived(dossier.file!);
	const mine = $derived(file.mine);
	/** Its deployer says nothing: somebody who looked may speak in its place. */
	const silent = $derived(mine.may_cancel && file.row.moving?.silent ? file.row.moving : null);
	const still = $derived(dossier.busy !== null || dossier.comment.trim().length === 0);
</script>

{#if mine.may_cancel}<p class="soft">{say.cancelHint}</p>{/if}
{#if silent}<p class="soft">{say.silentHint(silent.heard_from.name, when(new Date(silent.heard_at), file.row.target.zone, new Date(file.at)), silent.says)}</p>{/if}
{#if mine.may_declare_urgent}<p class="soft">{say.urgentHint}</p>{/if}
<div class="acts">
	{#if file.landed?.may_accept}<button class="button" disabled={still} onclick={() => dossier.act('accept')}>{file.landed.asked_by ? say.accept : say.askToAccept}</button>{/if}
	{#if mine.may_cancel}<button class="button grave" disabled={still} onclick={() => dossier.act('cancel')}>{say.cancel}</button>{/if}
	{#if silent}<button class="button" disabled={still} onclick={() => dossier.act('end-landed')}>{say.itLanded}</button><button class="button grave" disabled={still} onclick={() => dossier.act('end-failed')}>{say.itFailed}</button>{/if}
	{#if mine.may_cancel && file.clearance_live}<button class="button quiet" disabled={dossier.busy !== null} onclick={() => dossier.act('revoke')}>{say.revoke}</button>{/if}
	{#if mine.may_declare_urgent}<button class="button quiet" disabled={still} onclick={() => dossier.act('urgent')}>{say.urgent}</button>{/if}
</div>

<style>
	.acts {
		display: flex;
		flex-wrap: wrap;
		gap: 0.5rem;
		padding: 0.4rem 0;
	}
	p {
		font-size: var(--text-small);
	}
</style>
