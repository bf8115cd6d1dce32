<!-- One landing: when, what, how long it was on the air, what it brought, who decided, how it is; and what to do from there. -->
<script lang="ts">
	import { lines } from '$lib/features/frame/lines.svelte';
	import { here } from '$lib/state/here.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { capital, lowerFirst } from '$lib/words';
	import { history as say } from '$lib/words/estate';
	import BeforeAfter from './before-after.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	import type { HistoryRow } from './history.svelte';
	let { row, others, place }: { row: HistoryRow; others: string[]; place: boolean } = $props();

	const route = $derived(lines.all.find((one) => !one.urgent && one.stations.some((station) => station.id === row.environment.id)));
	const leg = $derived(route?.stations.find((one) => one.id === row.environment.id)?.leg ?? 0);
	const next = $derived(route?.stations.filter((one) => one.leg === leg + 1) ?? []);
	const before = $derived(route?.stations.filter((one) => one.leg === leg - 1) ?? []);
	const ask = (to: string, kind: string) => `/ask?service=${row.service.id}&version=${encodeURIComponent(row.version)}&to=${to}&kind=${kind}`;
	let choosing = $state('');
	let open = $state(false);
	const id = $props.id();
</script>

<details data-promotion={row.promotion} bind:open>
	<summary>
		<span class="soft at">{when(new Date(row.at), session.zone, new Date())}</span>
		<span><Stamp says={say.stamp(row)} /></span>
		<span class="what"><b>{row.service.name}</b> <span class="mono">{row.version}</span>{#if !place}<span class="soft">{row.environment.name}</span>{/if}{#if say.kinds[row.kind]}<span class="soft">{say.kinds[row.kind]}</span>{/if}</span>
		<span class="how">
			<span>{#if row.ran}{capital(say.onTheAir(row.ran, row.runs))}{:else}{row.ended}{/if}{#if row.against.length}, <b class="wrong">{row.against.map(lowerFirst).join('; ')}</b>{/if}</span>
			<span class="soft">{row.brought ? say.brought(row.brought.commits, row.brought.tickets, row.brought.files) : say.notKept}; {say.decided(row.requested_by, row.let_in_by)}</span>
		</span>
	</summary>
	<div class="acts" role="group" aria-label={say.acts(row.version)}>
		<a class="underline" href="/promotion/{row.promotion}">{row.service.name} {row.version}</a>
		{#if session.may('request') && !row.taken_back}
			{#if !row.runs}{#if row.good}<a class="underline" href={ask(row.environment.id, 'rollback')}>{say.goBack}</a>{:else}<span class="soft">{say.notGood}</span>{/if}{/if}
			{#if row.good}
				{#each next as one (one.id)}<a class="underline" href={ask(one.id, 'ordinary')}>{say.carryOn(one.name)}</a>{/each}
				{#if row.kind === 'urgent'}{#each before as one (one.id)}<a class="underline" href={ask(one.id, 'backfill')}>{say.backfill(one.name)}</a>{/each}{/if}
			{/if}
		{/if}
		{#if others.length}
			<label for="{id}-other">{say.with(row.version)}</label>
			<select id="{id}-other" class="field" bind:value={choosing}><option value="">{say.choose}</option>{#each others as one}<option value={one}>{one}</option>{/each}</select>
			<a class="button" aria-disabled={!choosing} href={choosing ? here({ of: row.service.id, before: choosing, after: row.version }) : undefined}>{say.compare}</a>
		{/if}
	</div>
	{#if open && !row.taken_back}<BeforeAfter promotion={row.promotion} />{/if}
</details>

<style>
	details {
		border-bottom: 1px solid var(--hair);
	}
	summary {
		display: grid;
		grid-template-columns: 7.2rem 7rem minmax(9rem, 0.8fr) minmax(0, 2fr);
		column-gap: 14px;
		align-items: center;
		min-height: 46px;
		padding: 5px 0;
		line-height: 1.3;
		list-style: none;
		cursor: pointer;
	}
	summary:hover,
	details[open] {
		background: var(--wash);
	}
	.what,
	.how {
		display: flex;
		min-width: 0;
		overflow-wrap: anywhere;
	}
	.what {
		flex-wrap: wrap;
		gap: 0 0.5rem;
		align-items: baseline;
	}
	.how {
		flex-direction: column;
	}
	.how .soft,
	.what .soft {
		font-size: var(--text-small);
	}
	.acts {
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.5rem 1.1rem;
		padding: 0.3rem 0 0.7rem;
	}
	.acts .field {
		width: auto;
	}
	@media (max-width: 900px) {
		summary {
			grid-template-columns: 6.6rem minmax(0, 1fr);
		}
		.how {
			grid-column: 1 / -1;
		}
	}
</style>
