<!-- Closing the chosen environment at once, and opening it again with a second person. -->
<script lang="ts">
	import { api, data, saying, type Station } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { HOUR, when } from '$lib/time/time';
	import { closing as say } from '$lib/words/ask';
	import { common } from '$lib/words/common';
	import Segments from '$lib/ui/segments.svelte';
	let { station, asking = false, onasking }: { station: Station; asking?: boolean; onasking: (asking: boolean) => void } = $props();

	const closed = $derived(station.closed_at_once);
	const second = $derived(closed?.opening_asked_by && closed.opening_asked_by.id !== session.me?.id);
	let hours = $state(4);
	let reason = $state('');
	let refused = $state('');
	let busy = $state(false);
	const id = $props.id();

	async function send(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		refused = '';
		try {
			if (closed) await data(api.POST('/api/closings/{number}/open', { params: { path: { number: closed.id } }, body: { reason } }));
			else await data(api.POST('/api/closings', { body: { environment: station.id, until: new Date(Date.now() + hours * HOUR).toISOString(), reason } }));
			reason = '';
			onasking(false);
		} catch (error) {
			refused = saying(error);
		} finally {
			busy = false;
		}
	}
</script>

<div class="closing">
	{#if closed}
		<p class="shut"><b>{say.closedBy(station.name, closed.by.name, when(new Date(closed.until), session.zone, new Date()), closed.reason)}</b>
			{#if closed.opening_asked_by}<span class="soft">{say.askedBy(closed.opening_asked_by.name)}</span>{/if}</p>
	{/if}
	{#if station.may_close && !asking && (!closed || !closed.opening_asked_by || second)}
		<button class="underline" onclick={() => onasking(true)}>{closed ? (second ? say.agree : say.open) : say.closeIt(station.name)}</button>
	{:else if station.may_close && asking}
		<form class="indented" aria-label={closed ? say.reopening(station.name) : say.closing(station.name)} onsubmit={send}>
			<h3>{closed ? say.reopening(station.name) : say.closing(station.name)}</h3>
			{#if !closed}
				<Segments label={say.howLong} choices={say.hours} bind:value={hours} />
			{/if}
			<label for="{id}-reason">{common.reason}</label>
			<input id="{id}-reason" class="field" required maxlength="2000" bind:value={reason} />
			<p class="soft">{say.about}</p>
			{#if refused}<p class="refused" role="alert">{refused}</p>{/if}
			<div>
				<button class="button {closed ? '' : 'grave'}" disabled={busy || reason.trim() === ''}>{closed ? (second ? say.openIt : say.askToOpen) : say.close}</button>
				<button class="button quiet" type="button" onclick={() => onasking(false)}>{common.cancel}</button>
			</div>
		</form>
	{/if}
</div>

<style>
	.closing {
		padding: 0.2rem 0 0.5rem;
	}
	.shut {
		padding: 0.4rem 0.7rem;
		border-left: 4px solid var(--ochre);
		background: var(--wash);
	}
	form {
		max-width: 34rem;
	}
	form div {
		display: flex;
		gap: 0.5rem;
	}
</style>
