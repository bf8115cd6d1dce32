<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { withThe } from '$lib/address';
	import { api, data, saying, type Board } from '$lib/api/client';
	import { live } from '$lib/live.svelte';
	import Sheet from '$lib/policy/sheet.svelte';
	import { when } from '$lib/time';

	let board = $state<Board | null>(null);
	let failed = $state('');
	const of = $derived(page.url.searchParams.get('of'));
	const rule = $derived(page.url.searchParams.get('rule'));
	const station = $derived(page.url.searchParams.get('at'));
	const column = $derived(board?.columns.find((one) => one.environment.id === of) ?? null);

	async function load() {
		try {
			board = await data(api.GET('/api/policy-board'));
			failed = '';
		} catch (error) {
			failed = saying(error);
		}
	}
	$effect(() => {
		void live.version;
		void load();
	});

	function opened(environment: string, id?: string): string {
		return withThe(page.url, { of: environment, rule: id ?? null });
	}
	function closed(): string {
		return withThe(page.url, { of: null, rule: null });
	}
	function keys(event: KeyboardEvent) {
		if (event.key === 'Escape' && column && !(event.target instanceof HTMLElement && event.target.closest('.cm-editor'))) void goto(closed(), { noScroll: true });
	}
</script>

<svelte:window onkeydown={keys} />
<svelte:head><title>Policies · Dogana</title></svelte:head>

<div class="head">
	<h1>Policies <span class="soft">what each environment asks for</span></h1>
	<ul class="legend" aria-label="Marks">
		<li><i class="lax"></i>asks for less than the leg before</li>
		<li><i class="from"></i>from the baseline</li>
	</ul>
</div>
{#if failed}<p role="alert" class="failed">{failed}</p>{/if}

{#if column}
	{#key column.environment.id}
		<Sheet {column} {rule} back={closed()} onkept={load} />
	{/key}
{:else if board}
	<div class="scroll">
		<table>
			<thead>
				<tr>
					<th scope="col"><span class="sr">Rule</span></th>
					{#each board.columns as one (one.environment.id)}
						<th scope="col" class:dim={station && station !== one.environment.id}>
							<a href={opened(one.environment.id)}>{one.environment.name}</a>
							<span class="soft">{one.version === null ? 'no policy: nothing can enter' : `version ${one.version}${one.adopted_by ? `, ${one.adopted_by}` : ''}`}</span>
							{#if one.coming !== null && one.coming_at}<span class="soft">version {one.coming} from {when(new Date(one.coming_at), 'Europe/Rome', new Date())}</span>{/if}
							{#if one.draft !== null}<a class="draft" href={opened(one.environment.id)}>version {one.draft} waits to be adopted</a>{/if}
						</th>
					{/each}
				</tr>
			</thead>
			<tbody>
				{#each board.rows as row (row.kind)}
					<tr>
						<th scope="row">{row.name}</th>
						{#each row.cells as cell (cell.environment)}
							<td class:laxer={cell.laxer.length > 0} class:dim={station && station !== cell.environment} title={cell.laxer.join(' ')}>
								{#each cell.rules as one (one.id)}
									<a class="rule" class:baseline={one.baseline} href={opened(cell.environment, one.id)} title={one.title}>{one.setting || 'asked for'}</a>
								{/each}
								{#if cell.laxer.length}<span class="less">{cell.laxer.join(' ')}</span>{/if}
							</td>
						{/each}
					</tr>
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
