<!-- Finds promotions, services, rules, people and views by a few letters, and goes there. -->
<script lang="ts">
	import { goto } from '$app/navigation';
	import { api, data } from '$lib/api/client';
	import { stations } from './lines.svelte';
	import Dialog from '$lib/ui/dialog.svelte';
	import { session } from '$lib/state/session.svelte';
	import { VIEWS } from '$lib/words';
	import { Combobox, useListCollection } from '@skeletonlabs/skeleton-svelte';
	import { onMount, untrack } from 'svelte';
	import { common } from '$lib/words/common';
	import { palette as say } from '$lib/words/frame';

	interface Found {
		what: string;
		name: string;
		href?: string;
		act?: () => void;
	}
	const MOST = 12;

	let { acts, onclose }: { acts: Record<string, () => void>; onclose: () => void } = $props();
	const mayClose = session.may('write policy');
	let all = $state.raw<Found[]>([
		...VIEWS.map((view) => ({ what: say.view, name: view.name, href: view.path })),
		...(session.may('request') ? [{ what: say.act, name: say.ask, href: '/ask' }] : []),
		...untrack(() => Object.entries(acts)).map(([name, act]) => ({ what: say.act, name, act }))
	]);
	const places = $derived(stations());
	const closings = $derived(places.filter((one) => one.may_close && !one.closed_at_once).map((one): Found => ({ what: say.act, name: say.closeNow(one.name), href: `/desk?at=${one.id}&close=now` })));
	let words = $state('');
	const found = $derived.by(() => {
		const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
		const fits = [...all, ...closings].filter((one) => wanted.every((word) => `${one.what} ${one.name}`.toLowerCase().includes(word)));
		const entries = words.trim() ? [{ what: say.where, name: say.whereIs(words.trim()), href: `/estate/where?what=${encodeURIComponent(words.trim())}` }, { what: say.entries, name: say.withWords(words.trim()), href: `/ledger?words=${encodeURIComponent(words.trim())}` }] : [];
		return [...fits.slice(0, MOST), ...entries];
	});
	// By its place: two may be called alike.
	const listed = $derived(useListCollection({ items: found.map((one, n) => ({ ...one, n })), itemToValue: (one) => String(one.n), itemToString: (one) => one.name }));

	onMount(() => {
		const add = (more: Found[]) => (all = [...all, ...more]);
		void data(api.GET('/api/desk')).then(
			(desk) => {
				const mine = desk.rows.find((row) => row.waits_for === 'you');
				if (mine) add([{ what: say.act, name: say.next, href: `/promotion/${mine.number}` }]);
				add(desk.rows.map((row) => ({ what: say.promotion, name: say.into(`${row.service.name} ${row.version}`, row.target.name), href: `/promotion/${row.number}` })));
			},
			() => undefined
		);
		void data(api.GET('/api/policy-board')).then(
			(board) => {
				const names = Object.fromEntries(board.columns.map((one) => [one.environment.id, one.environment.name]));
				if (mayClose) add(board.columns.map((one) => ({ what: say.act, name: say.tonight(one.environment.name), href: `/calendar?close=${one.environment.id}` })));
				add(board.columns.map((one) => ({ what: say.policy, name: one.environment.name, href: `/policies?of=${one.environment.id}` })));
				add(board.rows.flatMap((row) => row.cells.flatMap((cell) => cell.rules.map((rule) => ({ what: say.rule, name: `${rule.title}, ${names[cell.environment]}`, href: `/policies?of=${cell.environment}&rule=${rule.id}` })))));
			},
			() => undefined
		);
		void data(api.GET('/api/ledger/filters')).then(
			(filters) => {
				add(filters.services.map((one) => ({ what: common.service, name: one.name, href: `/desk?words=${encodeURIComponent(one.name)}` })));
				add(filters.people.map((one) => ({ what: say.person, name: one.name, href: `/ledger?person=${one.id}` })));
			},
			() => undefined
		);
	});

	function go(one: Found | undefined) {
		if (!one) return;
		onclose();
		if (one.act) one.act();
		else if (one.href) void goto(one.href);
	}
</script>

<Dialog name={say.findAndGo} width="620px" {onclose}>
	<Combobox
		open
		collection={listed}
		inputBehavior="autohighlight"
		selectionBehavior="preserve"
		loopFocus={false}
		disableLayer
		value={[]}
		onInputValueChange={({ inputValue }) => (words = inputValue)}
		onSelect={({ itemValue }) => go(found[Number(itemValue)])}
	>
		<Combobox.Input class="field asked" aria-label={say.whatToFind} placeholder={say.whatThereIs} />
		<Combobox.Content class="found" aria-label={say.found}>
			{#each listed.items as one (one.n)}<Combobox.Item item={one}><span class="soft">{one.what}</span> {one.name}</Combobox.Item>{/each}
		</Combobox.Content>
	</Combobox>
	{#if found.length === 0}<p class="soft">{say.nothingOfThatName}</p>{/if}
</Dialog>

<style>
	:global(.asked) {
		width: 100%;
		font-size: var(--text-lead);
	}
	:global(.window .found) {
		gap: 0;
		border: 0;
		padding: 0.5rem 0 0;
		background: none;
	}
	:global(.window .found > li) {
		display: grid;
		grid-template-columns: 90px 1fr;
		justify-content: start;
		border-radius: 0;
		padding: 3px 6px;
		cursor: pointer;
	}
	:global(.window .found > li[data-highlighted]) {
		background: var(--ink);
		color: var(--paper);
	}
	:global(.window .found > li[data-highlighted] .soft) {
		color: inherit;
	}
	p {
		padding: 0.5rem 6px 0;
	}
</style>
