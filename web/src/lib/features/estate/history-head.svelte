<!-- Whose history it is, and the way to others and back. -->
<script lang="ts">
	import OpenThere from '$lib/features/frame/open-there.svelte';
	import { stations } from '$lib/features/frame/lines.svelte';
	import { api, data, type Schemas } from '$lib/api/client';
	import { put } from '$lib/state/here.svelte';
	import { Loader } from '$lib/state/loader.svelte';
	import { history as say } from '$lib/words/estate';
	import Parts from './parts.svelte';
	let { service, environment }: { service: string | undefined; environment: string | undefined } = $props();

	let services = $state.raw<Record<string, Schemas['Service']>>({});
	new Loader(
		() => data(api.GET('/api/services')),
		(found) => (services = found)
	).follow();
	const places = $derived(stations());
	const place = $derived(places.find((one) => one.id === environment)?.name ?? environment);
	const name = $derived([service && (services[service]?.title ?? service), place].filter(Boolean).join(', ') || say.everything);
</script>

<svelte:head><title>{say.title(name)}</title></svelte:head>

<div class="view-head">
	<h1>{name} <span class="soft">{say.sub}</span></h1>
	<Parts />
</div>
<div class="which">
	<label>{say.service}<select class="field" value={service ?? ''} onchange={(event) => put({ service: event.currentTarget.value || null, of: null })}><option value="">{say.every}</option>{#each Object.entries(services) as [id, one] (id)}<option value={id}>{one.title}</option>{/each}</select></label>
	<label>{say.place}<select class="field" value={environment ?? ''} onchange={(event) => put({ at: event.currentTarget.value || null })}><option value="">{say.everywhere}</option>{#each places as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select></label>
	{#if service && environment}<OpenThere {environment} {service} history={false} />{/if}
</div>

<style>
	h1 {
		margin-right: auto;
		white-space: normal;
	}
	.which {
		display: flex;
		flex-wrap: wrap;
		align-items: baseline;
		gap: 0.4rem 1.4rem;
		padding-bottom: 0.5rem;
	}
	label {
		display: flex;
		align-items: baseline;
		gap: 0.4rem;
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	.field {
		width: auto;
	}
</style>
