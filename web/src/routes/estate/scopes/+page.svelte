<script lang="ts">
	import { goto } from '$app/navigation';
	import { api, data, saying } from '$lib/api/client';
	import Parts from '$lib/features/estate/parts.svelte';
	import ScopeForm from '$lib/features/estate/scope-form.svelte';
	import { ScopesState, type Draft } from '$lib/features/estate/scopes.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { day } from '$lib/time/time';
	import { scopes as say } from '$lib/words/estate';

	const list = new ScopesState().follow(() => live.version);
	const fresh: Draft = { title: '', due: null, themes: [], tickets: [], source: null, query: null };
	let making = $state(false);
	let refused = $state('');
	let busy = $state(false);

	async function make(body: Draft) {
		busy = true;
		refused = '';
		try {
			const made = await data(api.POST('/api/scopes', { body }));
			await goto(`/estate/scopes/${made.number}`);
		} catch (error) {
			refused = saying(error);
		} finally {
			busy = false;
		}
	}
</script>

<svelte:head><title>{say.title}</title></svelte:head>
<div class="view-head">
	<h1 class="mr-auto">{say.heading} <span class="soft">{say.sub}</span></h1>
	<Parts />
</div>
{#if list.failed}<p class="failed" role="alert">{list.failed}</p>{/if}
<ul class="lines">
	{#each list.all as one (one.number)}
		<li><a class="line" href="/estate/scopes/{one.number}"><b class="underline">{one.title}</b><span>{say.count(one.tickets)}{one.due ? `, ${say.dueOn(day(new Date(one.due), session.zone))}` : ''}</span><span class="soft">{one.themes.join(', ')}</span><span>{one.declared ? say.isDeclared : one.agreed ? say.isAgreed : ''}</span></a></li>
	{/each}
	{#if list.loaded && list.all.length === 0}<li class="empty">{say.none}</li>{/if}
</ul>
{#if making}<ScopeForm given={fresh} {refused} {busy} onsave={make} oncancel={() => (making = false)} />{:else if session.may('comment')}<button class="button" onclick={() => (making = true)}>{say.make}</button>{/if}

<style>
	.lines {
		--line: minmax(0, 1.4fr) minmax(0, 1fr) minmax(0, 1fr) 8rem;
	}
</style>
