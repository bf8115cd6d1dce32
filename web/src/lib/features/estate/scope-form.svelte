<!-- What a scope is: its title, date, themes, and its tickets, typed or found by a query. -->
<script lang="ts">
	import { api, data } from '$lib/api/client';
	import { Loader } from '$lib/state/loader.svelte';
	import { session } from '$lib/state/session.svelte';
	import { wordsOf } from '$lib/words';
	import { scopes as say } from '$lib/words/estate';
	import { untrack } from 'svelte';
	import Instant from '$lib/ui/instant.svelte';
	import type { Draft } from './scopes.svelte';
	let { given, refused, busy, onsave, oncancel }: { given: Draft; refused: string; busy: boolean; onsave: (draft: Draft) => void; oncancel: () => void } = $props();

	// As it was when somebody began to write: what changes meanwhile must not take the place of what they type.
	const was = untrack(() => $state.snapshot(given) as Draft);
	let title = $state(was.title);
	let due = $state(was.due ? Date.parse(was.due) : null);
	let themes = $state((was.themes ?? []).join(', '));
	let tickets = $state((was.tickets ?? []).join(' '));
	let source = $state(was.source ?? null);
	let query = $state(was.query ?? '');
	let trackers = $state.raw<{ id: string; title: string }[]>([]);
	new Loader(
		() => data(api.GET('/api/sources')),
		(found) => (trackers = found.filter((one) => one.kind === 'tickets' && one.settings.search))
	).follow();
	const id = $props.id();

	function save(event: SubmitEvent) {
		event.preventDefault();
		const split = themes
			.split(',')
			.map((one) => one.trim())
			.filter(Boolean);
		onsave({ ...was, title: title.trim(), due: due === null ? null : new Date(due).toISOString(), themes: split, tickets: source ? [] : wordsOf(tickets), source, query: source ? query.trim() : null });
	}
</script>

<form class="indented" onsubmit={save}>
	<label for="{id}-title">{say.name}</label>
	<input id="{id}-title" class="field" required maxlength="80" bind:value={title} />
	<label for="{id}-due">{say.due}</label>
	<Instant id="{id}-due" bind:at={due} zone={session.zone} />
	<label for="{id}-themes">{say.themes} <span class="soft">{say.themesHint}</span></label>
	<input id="{id}-themes" class="field" bind:value={themes} />
	{#if trackers.length}
		<label for="{id}-source">{say.source} <span class="soft">{say.queryHint}</span></label>
		<select id="{id}-source" class="field" bind:value={source}><option value={null}>{say.typed}</option>{#each trackers as one (one.id)}<option value={one.id}>{one.title}</option>{/each}</select>
	{/if}
	{#if source}
		<label for="{id}-query">{say.query}</label>
		<input id="{id}-query" class="field mono" required maxlength="500" bind:value={query} />
	{:else}
		<label for="{id}-tickets">{say.tickets} <span class="soft">{say.ticketsHint}</span></label>
		<textarea id="{id}-tickets" class="field mono" rows="3" bind:value={tickets}></textarea>
	{/if}
	{#if refused}<p class="refused" role="alert">{refused}</p>{/if}
	<div class="both"><button class="button main" disabled={busy || !title.trim()}>{say.save}</button><button type="button" class="button quiet" onclick={oncancel}>{say.cancel}</button></div>
</form>

<style>
	form {
		max-width: 44rem;
		margin-top: 0.8rem;
	}
	.both {
		display: flex;
		gap: 0.6rem;
		padding-top: 0.4rem;
	}
</style>
