<script lang="ts">
	import { page } from '$app/state';
	import Changed from '$lib/features/estate/changed.svelte';
	import { ChangedState, EstateState, StandingState } from '$lib/features/estate/estate.svelte';
	import Head from '$lib/features/estate/head.svelte';
	import Matrix from '$lib/features/estate/matrix.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { estate as say } from '$lib/words/estate';

	const query = $derived(page.url.searchParams);
	const asked = (key: string) => query.get(key) ?? undefined;
	const estate: EstateState = new EstateState(() => ({ at: asked('as_of'), environment: asked('at'), group: asked('group'), words: asked('words') })).follow(() => live.version);
	const changed: ChangedState = new ChangedState(
		() => query.get('since'),
		() => query.get('as_of')
	).follow(() => live.version);
	const found = $derived(estate.first);
	const shown = $derived(found && !found.past ? estate.rows.map((one) => one.service.id).join(' ') : '');
	const standing: StandingState = new StandingState(() => shown.split(' ').filter(Boolean)).follow(() => live.version);
	const narrowed = $derived(Boolean(asked('group') ?? asked('words')));
	const unknown = $derived(found?.past && (!found.begins || Date.parse(found.at) < Date.parse(found.begins)));
</script>

<Head {found} />
{#each [estate.failed, changed.failed, standing.failed] as failed, n (n)}{#if failed}<p class="failed" role="alert">{failed}</p>{/if}{/each}
{#if changed.found && query.get('since')}<Changed found={changed.found} now={!query.get('as_of')} />{/if}
{#if found}
	{#if unknown && found.begins}<p role="status">{say.before(when(new Date(found.begins), session.zone, new Date()))}</p>
	{:else if found.total === 0}<p>{narrowed ? say.noneFits : say.noService}{#if !narrowed}{' '}<a class="underline" href="/set-up/services">{say.setUp}</a>{/if}</p>
	{:else}
		{#if !found.begins}<p class="soft">{say.none}</p>{/if}
		<Matrix {found} rows={estate.rows} url={page.url} standing={found.past ? undefined : standing} />
		{#if estate.next !== null}<button class="button quiet mt-4" disabled={estate.busy} onclick={() => estate.more()}>{estate.busy ? say.reading : say.more(Math.min(60, found.total - estate.rows.length))}</button>{/if}
		{#if found.past}<p class="soft about">{say.past}</p>{/if}
	{/if}
{:else if !estate.failed}<p class="soft">{say.reading}</p>{/if}

<style>
	.about {
		padding-top: 0.5rem;
	}
</style>
