<!-- Desks as one likes to see them, each under a name of one's own. -->
<script lang="ts">
	import { page } from '$app/state';
	import { api, data, saying, type Desk } from '$lib/api/client';
	import { common } from '$lib/words/common';
	import { filters as say } from '$lib/words/desk';
	let { filters, query, onsaved }: { filters: Desk['filters']; query: URLSearchParams; onsaved: () => Promise<void> } = $props();

	const KEPT = ['route', 'at', 'words', 'span'];
	const now = $derived(kept(query));
	const known = $derived(filters.find((one) => one.query === now));
	let naming = $state(false);
	let name = $state('');
	let refused = $state('');

	function kept(of: URLSearchParams): string {
		return new URLSearchParams(KEPT.flatMap((key) => (of.get(key) ? [[key, of.get(key)!]] : []))).toString();
	}
	async function act(done: () => Promise<unknown>) {
		try {
			await done();
			naming = false;
			name = refused = '';
			await onsaved();
		} catch (error) {
			refused = saying(error);
		}
	}
	const save = () => act(() => data(api.PUT('/api/filters/{name}', { params: { path: { name: name.trim() } }, body: { query: now } })));
	const drop = (gone: string) => act(() => data(api.DELETE('/api/filters/{name}', { params: { path: { name: gone } } })));
</script>

{#if filters.length || now}
	<nav class="filters" aria-label={say.savedFilters}>
		{#if filters.length}<a href="/desk" aria-current={now === '' ? 'true' : undefined}>{say.everything}</a>{/if}
		{#each filters as one (one.name)}<a href="{page.url.pathname}?{one.query}" aria-current={one === known ? 'true' : undefined}>{one.name}</a>{/each}
		{#if known}
			<button class="underline" onclick={() => drop(known.name)}>{say.forget(known.name)}</button>
		{:else if now && !naming}
			<button class="underline" onclick={() => (naming = true)}>{say.saveThisFilter}</button>
		{:else if now}
			<form onsubmit={(event) => (event.preventDefault(), void save())}>
				<!-- svelte-ignore a11y_autofocus -->
				<input class="field" aria-label={say.nameOfTheFilter} placeholder={common.name} required maxlength="60" autofocus bind:value={name} />
				<button class="button quiet">{say.save}</button>
				<button class="underline" type="button" onclick={() => (naming = false)}>{common.cancel}</button>
			</form>
		{/if}
		{#if refused}<span role="alert">{refused}</span>{/if}
	</nav>
{/if}

<style>
	.filters {
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.9rem;
		padding: 0.3rem 0;
		font-size: var(--text-note);
		color: var(--ink-soft);
	}
	[aria-current] {
		color: var(--ink);
		font-weight: 600;
		box-shadow: 0 2px 0 var(--wax);
	}
	form {
		display: flex;
		align-items: center;
		gap: 0.5rem;
	}
	.field {
		width: 140px;
		padding-block: 2px;
	}
	[role='alert'] {
		color: var(--wax);
	}
</style>
