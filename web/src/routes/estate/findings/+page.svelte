<script lang="ts">
	import { page } from '$app/state';
	import Row from '$lib/features/estate/finding-row.svelte';
	import { FindingsState } from '$lib/features/estate/findings.svelte';
	import OfService from '$lib/features/estate/of-service.svelte';
	import Parts from '$lib/features/estate/parts.svelte';
	import { live } from '$lib/state/live.svelte';
	import { findings as say } from '$lib/words/estate';

	const findings = new FindingsState((key) => page.url.searchParams.get(key) ?? undefined).follow(() => live.version);
	const found = $derived(findings.found);
	let hide = $state(true);
	const shown = $derived(hide ? findings.open : (found?.lines ?? []));
</script>

<svelte:head><title>{say.title}</title></svelte:head>
<div class="view-head">
	<h1 class="mr-auto">{say.heading} <span class="soft">{found ? say.sub(found.lines.length + found.more, findings.held.length) : ''}</span></h1>
	<Parts />
</div>
{#each [findings.failed, findings.refused] as failed, n (n)}{#if failed}<p class="failed" role="alert">{failed}</p>{/if}{/each}
{#if found}
	<p class="bar"><label><input type="checkbox" bind:checked={hide} /> {say.hide}</label><OfService /><a class="underline" href="/estate/where">{say.where}</a></p>
	{#if found.unknown.length}
		<details class="unknown"><summary>{say.unknown(found.unknown.length)}</summary><ul>{#each found.unknown as why}<li>{why}</li>{/each}</ul></details>
	{/if}
	<ul>{#each shown as one (JSON.stringify([one.service.id, one.name, one.file]))}<Row {one} {findings} now={Date.parse(found.at)} />{/each}</ul>
	{#if shown.length === 0}<p>{found.lines.length ? say.allHeld : say.none}</p>{/if}
	{#if found.more}<p class="soft">{say.more(found.more)}</p>{/if}
{:else if !findings.failed}<p class="soft">{say.reading}</p>{/if}

<style>
	.bar {
		display: flex;
		flex-wrap: wrap;
		align-items: baseline;
		gap: 0.3rem 1.4rem;
		padding: 0.2rem 0 0.5rem;
		border-bottom: 1.5px solid var(--ink);
	}
	.unknown {
		padding: 0.4rem 0;
		border-bottom: 1px solid var(--hair);
	}
	.unknown summary {
		color: var(--blue);
		font-weight: 600;
		cursor: pointer;
	}
</style>
