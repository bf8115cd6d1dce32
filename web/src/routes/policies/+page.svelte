<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { api, data } from '$lib/api/client';
	import type { Schema } from '$lib/api/json-schema';
	import BoardCell from '$lib/features/policies/board-cell.svelte';
	import { BoardState } from '$lib/features/policies/board.svelte';
	import Cell from '$lib/features/policies/cell.svelte';
	import ColumnHead from '$lib/features/policies/column-head.svelte';
	import { namesOfAll } from '$lib/features/policies/names';
	import Sheet from '$lib/features/policies/sheet.svelte';
	import { cellAt, closed, opened } from '$lib/features/policies/where';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { board as say } from '$lib/words/policies';
	import { untrack } from 'svelte';

	const query = $derived(page.url.searchParams);
	const rule = $derived(query.get('rule'));
	const station = $derived(query.get('at'));
	const within = $derived(query.get('in'));
	const kind = $derived(query.get('kind'));
	const mayWrite = $derived(session.may('write policy'));
	const tools = $derived(mayWrite ? Promise.all([data(api.GET('/api/policy-schema')) as Promise<Schema>, namesOfAll()]) : null);

	const state = new BoardState(() => mayWrite);
	state.follow(() => live.version);
	const board = $derived(state.board);
	const column = $derived(state.column(query.get('of')));
	const edited = $derived(state.column(within));
	$effect(() => {
		const one = column ?? edited;
		if (one) untrack(() => state.write(one));
	});
	$effect(() => state.hold());

	function keys(event: KeyboardEvent) {
		if (event.key === 'Escape' && (column || edited) && !(event.target instanceof HTMLElement && event.target.closest('.cm-editor'))) void goto(closed(), { noScroll: true });
	}
</script>

<svelte:window onkeydown={keys} />
<svelte:head><title>{say.title}</title></svelte:head>

<div class="view-head">
	<h1>{say.policies} <span class="soft">{say.whatEachEnvironmentAsksFor}</span></h1>
	<ul class="legend" aria-label={say.marks}>
		<li><i class="lax"></i>{say.laxer}</li>
		<li><i class="from"></i>{say.fromTheBaseline}</li>
	</ul>
</div>
{#if state.failed}<p role="alert" class="failed">{state.failed}</p>{/if}

{#if column}
	{@const writing = state.writings.get(column.environment.id)}
	{#if writing}{#key column.environment.id}<Sheet {column} {writing} {rule} back={closed()} onkept={() => state.load()} />{/key}{/if}
{:else if board && board.columns.length === 0}
	<p class="empty">{say.noEnvironment} <a class="underline" href="/set-up/environments">{say.setOneUp}</a></p>
{:else if board}
	<div class="scroll">
		<table>
			<thead>
				<tr>
					<th scope="col"><span class="sr-only">{say.rule}</span></th>
					{#each board.columns as one (one.environment.id)}
						<ColumnHead column={one} unkept={state.writings.get(one.environment.id)?.unkept ?? false} dim={station !== null && station !== one.environment.id} />
					{/each}
				</tr>
			</thead>
			<tbody>
				{#each board.rows as row (row.kind)}
					<tr>
						<th scope="row">{row.name}</th>
						{#each row.cells as cell (cell.environment)}
							<BoardCell board={state} {row} {cell} here={cell.environment === within && row.kind === kind} {rule} dim={station !== null && station !== cell.environment} {mayWrite} />
						{/each}
					</tr>
					{#if edited && row.kind === kind}
						{@const writing = state.writings.get(edited.environment.id)}
						<tr class="edit">
							<td colspan={board.columns.length + 1}>
								{#await tools then found}
									{#if writing && found}
										{#key edited.environment.id + (rule ?? '')}
											<Cell column={edited} {kind} name={row.name} {rule} schema={found[0]} names={found[1]} {writing} source={opened(edited.environment.id, rule ?? undefined)} back={closed()} onkept={() => state.load()} onnamed={(id) => void goto(cellAt(edited.environment.id, row.kind, id), { noScroll: true, keepFocus: true, replaceState: true })} />
										{/key}
									{/if}
								{/await}
							</td>
						</tr>
					{/if}
				{/each}
			</tbody>
		</table>
	</div>
{/if}

<style>
	.legend i {
		width: 14px;
		height: 14px;
		border: 0;
	}
	.legend .lax {
		border-left: 4px double var(--wax);
	}
	.legend .from {
		border-bottom: 1px dotted var(--ink-soft);
	}
	.scroll {
		overflow-x: auto;
	}
	table {
		width: 100%;
		min-width: 900px;
		border-collapse: collapse;
		table-layout: fixed;
		font-size: var(--text-note);
	}
	th:first-child {
		width: 96px;
	}
	thead th {
		border-bottom: 1.5px solid var(--ink);
	}
	tbody th {
		text-align: left;
		vertical-align: top;
		padding: 4px 10px 5px 0;
		font-family: var(--serif);
		font-size: var(--text-label);
	}
	tbody tr {
		border-bottom: 1px solid var(--hair);
	}
	.edit > td {
		vertical-align: top;
		padding: 0 0 0 96px;
		background: var(--paper-deep);
	}
</style>
