<!-- What stands above the estate: which instant, since when it is compared, and whose services are shown. -->
<script lang="ts">
	import { page } from '$app/state';
	import Instant from '$lib/ui/instant.svelte';
	import { here, put } from '$lib/state/here.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { estate as say } from '$lib/words/estate';
	import Parts from './parts.svelte';
	import type { Estate } from './estate.svelte';
	let { found }: { found: Estate | null } = $props();

	const zone = session.zone;
	const query = $derived(page.url.searchParams);
	const asOf = $derived(query.get('as_of'));
	const now = $derived(found && !found.past ? Date.parse(found.at) : Date.now());
	/** Cut to the minute, so that the address stays short. */
	const minute = (at: number) => new Date(Math.floor(at / 60_000) * 60_000).toISOString().replace(':00.000Z', 'Z');
	const moment = (key: string) => (query.get(key) ? Date.parse(query.get(key) ?? '') || null : null);
</script>

<svelte:head><title>{say.title}</title></svelte:head>

<div class="view-head">
	<h1 class="mr-auto">{say.name} <span class="soft">{found?.past ? say.then(when(new Date(found.at), zone, new Date())) : say.now}</span></h1>
	<Parts />
</div>
<form class="filters" onsubmit={(event) => event.preventDefault()}>
	<label class="words">{say.find}<input class="field" type="search" value={query.get('words') ?? ''} oninput={(event) => put({ words: event.currentTarget.value })} /></label>
	{#if found?.groups.length}
		<label>{say.group}<select class="field" value={query.get('group') ?? ''} onchange={(event) => put({ group: event.currentTarget.value || null })}>
			<option value="">{say.anyGroup}</option>
			{#each found.groups as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
		</select></label>
	{/if}
	<label>{say.at}<Instant at={moment('as_of')} {zone} onchange={(at) => put({ as_of: minute(at) })} /></label>
	<nav class="spans" aria-label={say.spans}>
		{#each say.ago as ago (ago.id)}<a href={here({ as_of: ago.ms ? minute(now - ago.ms) : null })} aria-current={!ago.ms && !asOf ? 'true' : undefined}>{ago.label}</a>{/each}
	</nav>
	<label>{say.since}<Instant at={moment('since')} {zone} onchange={(at) => put({ since: minute(at) })} /></label>
</form>

<style>
	.filters {
		display: flex;
		flex-wrap: wrap;
		align-items: end;
		gap: 0.8rem;
		padding-bottom: 0.6rem;
	}
	label {
		display: grid;
		gap: 1px;
		width: 190px;
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	.spans {
		padding-bottom: 0.5rem;
	}
	@media (max-width: 760px) {
		label {
			width: calc(50% - 0.4rem);
		}
	}
</style>
