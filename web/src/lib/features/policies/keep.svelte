<!-- Keeping what was written as a draft, or giving it up. -->
<script lang="ts">
	import { session } from '$lib/state/session.svelte';
	import { common } from '$lib/words/common';
	import { keep as say } from '$lib/words/policies';
	import type { Writing } from './writing.svelte';

	let { writing, onkept }: { writing: Writing; onkept: () => Promise<void> } = $props();

	let done = $state('');
	const mayWrite = $derived(session.may('write policy'));

	async function draft() {
		const version = await writing.draft();
		if (version === null) return;
		done = say.drafted(version);
		await onkept();
	}
</script>

{#if writing.unkept && mayWrite}
	<p class="act">
		<button class="button" disabled={writing.busy || writing.refused !== ''} onclick={draft}>{common.keepAsADraft}</button>
		<button class="button quiet" onclick={() => writing.undo()}>{say.undoTheChanges}</button>
		<span class="soft">{say.hint}</span>
	</p>
{:else if done}
	<p class="done" role="status">{done}</p>
{/if}

<style>
	.act {
		border-top: 1.5px solid var(--ink);
		padding-top: 0.5rem;
	}
	.act .quiet {
		margin-left: 0.4rem;
	}
	.act .soft {
		display: block;
		padding-top: 0.2rem;
	}
	.done {
		border-left: 4px solid var(--verdigris);
		padding-left: 0.7rem;
	}
</style>
