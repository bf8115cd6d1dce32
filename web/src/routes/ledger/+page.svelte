<script lang="ts">
	import { session } from '$lib/state/session.svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { here } from '$lib/state/here.svelte';
	import { LedgerState, type Narrowed } from '$lib/features/ledger/ledger.svelte';
	import { live } from '$lib/state/live.svelte';
	import Entries from '$lib/features/ledger/entries.svelte';
	import { clock, day } from '$lib/time/time';
	import { common } from '$lib/words/common';
	import { ledger as say } from '$lib/words/ledger';

	const ZONE = session.zone;
	const query = $derived(page.url.searchParams);
	const narrowed = $derived<Narrowed>({
		person: query.get('person') ?? undefined,
		environment: query.get('at') ?? undefined,
		service: query.get('service') ?? undefined,
		action: query.get('action') ?? undefined,
		words: query.get('words') ?? undefined
	});
	const any = $derived(Object.values(narrowed).some(Boolean));
	const ledger = new LedgerState(() => narrowed);
	const checkpoint = $derived(ledger.first?.checkpoint);
	const unplaced = $derived((ledger.first?.total ?? 0) - (checkpoint?.size ?? 0));

	ledger.follow(() => live.version);

	function narrow(key: string, value: string) {
		void goto(here({ [key]: value }), { keepFocus: true, noScroll: true, replaceState: key === 'words' });
	}
</script>

<svelte:head><title>{say.title}</title></svelte:head>

<div class="view-head">
	<h1 class="mr-auto">{say.ledger} <span class="soft">{ledger.first ? say.entries(ledger.first.total) : ''}</span></h1>
	{#if checkpoint}
		<p class="proof">
			<span class="seal" aria-hidden="true"></span>
			<span>
				{say.checkpoint(unplaced === 0 ? say.all : `${checkpoint.size}`, `${day(new Date(checkpoint.signed_at), ZONE)} ${clock(new Date(checkpoint.signed_at), ZONE)}`)}<br />
				<span class="mono soft">{say.treeHead(checkpoint.root.slice(0, 24))}</span>
			</span>
		</p>
	{/if}
	<a class="button quiet" href="/api/ledger/export" download>{common.exportIt}</a>
</div>
<form class="filters" onsubmit={(event) => event.preventDefault()}>
	<label>{say.words}<input class="field" type="search" placeholder={say.inAnyEntry} value={narrowed.words ?? ''} oninput={(e) => narrow('words', e.currentTarget.value)} /></label>
	{#if ledger.filters}
		{#each [['person', 'Person', ledger.filters.people], ['at', 'Environment', ledger.filters.environments], ['service', 'Service', ledger.filters.services], ['action', 'Decision', ledger.filters.actions.map((one) => ({ id: one, name: one }))]] as const as [key, title, options] (key)}
			<label>{title}<select class="field" value={query.get(key) ?? ''} onchange={(e) => narrow(key, e.currentTarget.value)}>
				<option value="">{say.any}</option>
				{#each options as option (option.id)}<option value={option.id}>{option.name}</option>{/each}
			</select></label>
		{/each}
	{/if}
	{#if any}<a class="clear" href="/ledger">{common.showEverything}</a>{/if}
</form>
{#if ledger.failed}<p class="failed" role="alert">{ledger.failed}</p>{/if}
{#if ledger.first && ledger.entries.length === 0}
	<p class="empty">{any ? say.noneFits : say.none}</p>
{:else}
	<Entries entries={ledger.entries} zone={ZONE} linked />
{/if}
{#if ledger.next !== null}
	<button class="button quiet mt-4" disabled={ledger.busy} onclick={() => ledger.more()}>{ledger.busy ? say.reading : say.older}</button>
{/if}

<style>
	.view-head {
		align-items: center;
	}
	.proof {
		display: flex;
		align-items: center;
		gap: 0.7rem;
		font-size: var(--text-note);
		line-height: 1.35;
	}
	.seal {
		width: 30px;
		height: 30px;
		border: 5px double var(--verdigris);
		border-radius: 50%;
	}
	.filters {
		display: flex;
		flex-wrap: wrap;
		align-items: end;
		gap: 0.8rem;
	}
	label {
		display: grid;
		gap: 1px;
		width: 180px;
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	.clear {
		padding-bottom: 0.45rem;
		text-decoration: underline;
	}
	.empty {
		padding: 2rem 0;
	}
	@media (max-width: 760px) {
		label {
			width: calc(50% - 0.4rem);
		}
	}
</style>
