<!-- A person asks: for one release, for several that cross together, or to go back. -->
<script lang="ts">
	import { onMount } from 'svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { AskState } from '$lib/features/asking/ask.svelte';
	import AskLine from '$lib/features/asking/ask-line.svelte';
	import { session } from '$lib/state/session.svelte';
	import { ask as say } from '$lib/words/ask';

	const state = new AskState();
	const may = session.may('request');
	const id = $props.id();
	onMount(() => void state.load(page.url.searchParams));

	async function send(event: SubmitEvent) {
		event.preventDefault();
		const number = await state.ask();
		if (number !== null) await goto(`/promotion/${number}`);
	}
</script>

<svelte:head><title>{say.title}</title></svelte:head>

<h1>{say.heading}</h1>
<p class="soft">{say.about}</p>
{#if !may}
	<p role="alert">{say.nobodyHere}</p>
{:else if state.loaded}
	<form onsubmit={send}>
		{#each state.lines as line, n (n)}
			<AskLine {state} bind:line={state.lines[n]!} onremove={state.bundle ? () => state.remove(n) : undefined} />
		{/each}
		<button class="underline add" type="button" onclick={() => state.add()}>{say.another}</button>
		{#if state.bundle}
			<label for="{id}-title">{say.bundleTitle} <span class="soft">{say.bundleHint(state.lines.length)}</span></label>
			<input id="{id}-title" class="field" required maxlength="80" bind:value={state.title} />
		{/if}
		<label for="{id}-note">{say.note} <span class="soft">{say.noteHint}</span></label>
		<textarea id="{id}-note" class="field" rows="3" maxlength="2000" bind:value={state.note}></textarea>
		{#if state.refused}<p class="refused" role="alert">{state.refused}</p>{/if}
		<div><button class="button main" disabled={!state.whole || state.busy}>{state.bundle ? say.askAll : say.ask}</button></div>
	</form>
{:else if state.refused}<p role="alert">{state.refused}</p>{/if}

<style>
	h1 {
		padding-top: 1rem;
		font-size: var(--text-view);
	}
	form {
		display: grid;
		gap: 0.5rem;
		max-width: 62rem;
		padding-top: 0.8rem;
	}
	label {
		font-weight: 600;
	}
	label .soft {
		font-weight: 400;
	}
	.add {
		justify-self: start;
	}
</style>
