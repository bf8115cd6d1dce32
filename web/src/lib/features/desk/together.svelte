<!-- Approving what is marked, each on what its row showed when it was. -->
<script lang="ts">
	import { common } from '$lib/words/common';
	import { desk as say } from '$lib/words/desk';
	import type { DeskState } from './desk.svelte';

	let { desk }: { desk: DeskState } = $props();

	let reason = $state('');
	let refused = $state<string[]>([]);
	let busy = $state(false);
	const named = $derived(desk.together.map((row) => `${row.service.name} ${row.version}`).join(', '));

	async function approve(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		refused = await desk.approve(reason.trim());
		if (refused.length === 0) reason = '';
		busy = false;
	}
</script>

<form aria-label={say.approveTogether} onsubmit={approve}>
	<b>{say.marked(desk.together.length)}</b>
	<span class="soft">{desk.seat ? say.oneSeat(named, desk.seat) : say.manySeats}</span>
	<label>{common.reason} <input class="field" maxlength="2000" bind:value={reason} /></label>
	<button class="button main" disabled={busy || desk.seat === null}>{say.approve(desk.together.length)}</button>
	<button class="button quiet" type="button" onclick={() => (desk.marked = [])}>{say.unmark}</button>
	{#if refused.length}<p role="alert">{refused.join(' ')}</p>{/if}
</form>

<style>
	form {
		position: sticky;
		bottom: 0;
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.9rem;
		padding: 0.6rem 0;
		background: var(--paper);
		border-top: 1.5px solid var(--ink);
	}
	.soft {
		flex: 1;
	}
	label {
		display: flex;
		align-items: center;
		gap: 0.4rem;
	}
	[role='alert'] {
		flex-basis: 100%;
		color: var(--wax);
	}
</style>
