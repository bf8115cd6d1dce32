<script lang="ts">
	import { goto } from '$app/navigation';
	import { untrack } from 'svelte';
	import { page } from '$app/state';
	import { withThe } from '$lib/state/address';
	import { api, data, type Board } from '$lib/api/client';
	import { live } from '$lib/state/live.svelte';
	import { BoardState } from '$lib/features/policies/board.svelte';
	import Cell from '$lib/features/policies/cell.svelte';
	import { namesOfAll } from '$lib/features/policies/names';
	import Sheet from '$lib/features/policies/sheet.svelte';
	import type { Schema } from '$lib/api/json-schema';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { board as say } from '$lib/words/policies';

	const state = new BoardState(() => mayWrite);
	const of = $derived(page.url.searchParams.get('of'));
	const rule = $derived(page.url.searchParams.get('rule'));
	const station = $derived(page.url.searchParams.get('at'));
	const within = $derived(page.url.searchParams.get('in'));
	const kind = $derived(page.url.searchParams.get('kind'));
	const board = $derived(state.board);
	const column = $derived(state.column(of));
	const edited = $derived(state.column(within));
	const mayWrite = $derived(session.me?.rights.includes('write policy') ?? false);
	const tools = $derived(mayWrite ? Promise.all([data(api.GET('/api/policy-schema')) as Promise<Schema>, namesOfAll()]) : null);
	state.follow(() => live.version);
	$effect(() => {
		const one = column ?? edited;
		if (one) untrack(() => state.write(one));
	});
	$effect(() => state.hold());

	function opened(environment: string, id?: string): string {
		return withThe(page.url, { of: environment, rule: id ?? null, in: null, kind: null });
	}
	function cellAt(environment: string, kind: string, id: string | null): string {
		return withThe(page.url, { in: environment, kind, rule: id, of: null });
	}
	function closed(): string {
		return withThe(page.url, { of: null, rule: null, in: null, kind: null });
	}
	/** Where a rule is edited: one from the baseline, in the baseline. */
	function ruleAt(at: Board['rows'][number]['cells'][number], kind: string, one: { id: string; baseline: boolean }): string {
		const owner = (one.baseline && state.column(at.environment)?.baseline?.id) || at.environment;
		return mayWrite ? cellAt(owner, kind, one.id) : opened(owner, one.id);
	}
	function keys(event: KeyboardEvent) {
		if (event.key === 'Escape' && (column || edited) && !(event.target instanceof HTMLElement && event.target.closest('.cm-editor'))) void goto(closed(), { noScroll: true });
	}
</script>

<svelte:window onkeydown={keys} />
<svelte:head><title>{say.title}</title></svelte:head>

<div class="head">
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
{:else if board}
	<div class="scroll">
		<table>
			<thead>
				<tr>
					<th scope="col"><span class="sr">{say.rule}</span></th>
					{#each board.columns as one (one.environment.id)}
						<th scope="col" class:dim={station && station !== one.environment.id}>
							<a href={opened(one.environment.id)}>{one.environment.name}</a>
							<span class="soft">{one.version === null ? say.none : say.version(one.version, one.adopted_by)}</span>
							{#if one.coming !== null && one.coming_at}<span class="soft">{say.coming(one.coming, when(new Date(one.coming_at), session.zone, new Date()))}</span>{/if}
							{#if state.writings.get(one.environment.id)?.unkept}<a class="draft" href={opened(one.environment.id)}>{say.changedNotKeptYet}</a>{/if}
							{#if one.draft !== null}<a class="draft" href={opened(one.environment.id)}>{say.drafted(one.draft)}</a>{/if}
						</th>
					{/each}
				</tr>
			</thead>
			<tbody>
				{#each board.rows as row (row.kind)}
					<tr>
						<th scope="row">{row.name}</th>
						{#each row.cells as cell (cell.environment)}
							{@const here = cell.environment === within && row.kind === kind}
							<td class:laxer={cell.laxer.length > 0} class:here class:dim={station && station !== cell.environment} title={cell.laxer.join(' ')}>
								{#each cell.rules as one (one.id)}
									<a class="rule" class:baseline={one.baseline} href={ruleAt(cell, row.kind, one)} aria-expanded={mayWrite ? here && one.id === rule : undefined} data-sveltekit-noscroll title={one.title}>{one.setting || say.askedFor}</a>
								{/each}
								{#if cell.laxer.length}<span class="less">{cell.laxer.join(' ')}</span>{/if}
								{#if mayWrite && cell.rules.length === 0}
									<a class="another" href={cellAt(cell.environment, row.kind, null)} data-sveltekit-noscroll aria-label={say.askFor(row.name.toLowerCase(), state.column(cell.environment)?.environment.name)}>{say.notAskedFor}</a>
								{/if}
							</td>
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
	.head {
		display: flex;
		align-items: baseline;
		justify-content: space-between;
		gap: 1rem;
		padding: 0.9rem 0 0.5rem;
	}
	h1 {
		font-size: 25px;
	}
	h1 .soft {
		font-weight: 400;
		font-size: 18px;
	}
	.legend i {
		width: 14px;
		height: 14px;
	}
	.lax {
		border-left: 4px double var(--wax);
	}
	.from {
		border-bottom: 1px dotted var(--ink-soft);
	}
	.failed {
		color: var(--wax);
		font-weight: 600;
	}
	.scroll {
		overflow-x: auto;
	}
	table {
		width: 100%;
		min-width: 900px;
		border-collapse: collapse;
		table-layout: fixed;
		font-size: 13px;
	}
	th:first-child {
		width: 96px;
	}
	th {
		text-align: left;
		vertical-align: bottom;
		font-weight: 600;
		padding: 4px 10px 5px 8px;
	}
	thead th {
		border-bottom: 1.5px solid var(--ink);
		line-height: 1.25;
	}
	thead a:first-child {
		font-family: var(--serif);
		font-size: 16px;
	}
	thead .soft,
	.draft {
		display: block;
		font-size: 12px;
		font-weight: 400;
	}
	.draft {
		color: var(--wax);
		font-weight: 600;
	}
	tbody th {
		font-family: var(--serif);
		font-size: 15px;
		vertical-align: top;
		padding-left: 0;
	}
	tbody tr {
		border-bottom: 1px solid var(--hair);
	}
	td {
		vertical-align: top;
		padding: 5px 10px 5px 8px;
		border-left: 1px solid var(--hair);
		overflow-wrap: anywhere;
	}
	.laxer {
		border-left: 4px double var(--wax);
	}
	.less {
		display: block;
		font-size: 11.5px;
		color: var(--wax);
	}
	.dim {
		color: var(--ink-soft);
	}
	.rule {
		display: block;
		width: fit-content;
	}
	.another {
		font-size: 12px;
		color: var(--ink-soft);
		opacity: 0;
	}
	td:hover .another,
	td:focus-within .another,
	.here .another {
		opacity: 1;
	}
	.here {
		background: var(--paper-deep);
		box-shadow: inset 0 0 0 1.5px var(--ink);
	}
	.edit > td {
		border-left: 0;
		padding: 0 0 0 96px;
		background: var(--paper-deep);
	}
	.rule.baseline {
		border-bottom: 1px dotted var(--ink-soft);
	}
	thead a:hover,
	.rule:hover {
		text-decoration: underline;
	}
	.sr {
		position: absolute;
		left: -100vw;
	}
</style>
