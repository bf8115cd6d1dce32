<!-- One environment's policy, opened: its source, what a change would bring about, its versions. -->
<script lang="ts">
	import { api, data, saying, type Board } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import Tabs from '$lib/ui/tabs.svelte';
	import { sheet as say } from '$lib/words/policies';
	import Adopt from './adopt.svelte';
	import Changes from './changes.svelte';
	import Keep from './keep.svelte';
	import Starts from './starts.svelte';
	import Versions from './versions.svelte';
	import type { Writing } from './writing.svelte';

	let { column, writing, rule, back, onkept }: { column: Board['columns'][number]; writing: Writing; rule: string | null; back: string; onkept: () => Promise<void> } = $props();

	const TABS = [
		{ id: 'changes', name: say.changes },
		{ id: 'versions', name: say.versions }
	];
	let shown = $state('changes');
	let done = $state('');
	const rights = $derived(session.me?.rights ?? []);
	/** Nothing is in force, drafted or typed yet. */
	const blank = $derived(column.version === null && column.draft === null && !writing.source.trim() && rights.includes('write policy'));
	const drafted = $derived(column.draft !== null && writing.source === column.draft_source);
	const tools = Promise.all([import('./editor.svelte'), data(api.GET('/api/policy-schema'))]);

	async function adopted(says: string) {
		done = says;
		await onkept();
	}
</script>

<Tabs tabs={TABS} bind:shown>
	{#snippet head()}
		<a href={back} class="underline">{say.allEnvironments}</a>
		<h2>{column.environment.name}</h2>
		<span class="soft">{column.version === null ? say.none : say.inForce(column.version)}{column.coming !== null && column.coming_at ? say.coming(column.coming, when(new Date(column.coming_at), column.zone, new Date())) : ''}{column.baseline ? say.adds(column.baseline.name) : ''}{column.draft === null ? '' : say.drafted(column.draft, column.draft_by?.name)}</span>
	{/snippet}
	{#snippet beside()}
		<div class="tall">
			{#if blank}
				<Starts environment={column.environment.id} onpick={(text) => writing.write(text)} />
			{:else}
			{#await tools}
				<p class="soft">{say.openingTheSource}</p>
			{:then [editor, schema]}
				<editor.default source={writing.source} faults={writing.faults} {rule} {schema} readonly={!rights.includes('write policy')} onwrite={(text) => writing.write(text)} />
			{:catch error}
				<p role="alert">{saying(error)}</p>
			{/await}
			{/if}
		</div>
	{/snippet}
	{#snippet children(tab)}
		<div class="tall side">
			{#if done}<p class="done" role="status">{done}</p>{/if}
			{#if tab === 'versions'}
				<Versions environment={column.environment.id} zone={column.zone} version={column.version} />
			{:else}
				<div class="read"><Changes {writing} /></div>
				<Keep {writing} {onkept} />
				{#if column.draft !== null && drafted && rights.includes('adopt policy') && !writing.refused}<Adopt {column} draft={column.draft} onadopted={adopted} />{/if}
			{/if}
		</div>
	{/snippet}
</Tabs>

<style>
	.tall {
		height: calc(100vh - 292px);
		min-height: 380px;
	}
	.side {
		display: flex;
		flex-direction: column;
	}
	.read {
		flex: 1;
		overflow-y: auto;
	}
	@media (max-width: 900px) {
		.side {
			height: auto;
			min-height: 0;
		}
	}
	.done {
		border-left: 4px solid var(--verdigris);
		padding-left: 0.7rem;
		margin-bottom: 0.6rem;
	}
</style>
