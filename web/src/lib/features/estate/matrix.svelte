<!-- Services by environments in route order; those that need attention first. Rows are laid out once they are near. -->
<script lang="ts">
	import { withThe } from '$lib/state/address';
	import { estate as say } from '$lib/words/estate';
	import CellOf from './cell.svelte';
	import type { Estate, StandingState } from './estate.svelte';
	let { found, rows, url, standing }: { found: Estate; rows: Estate['rows']; url: URL; standing?: StandingState } = $props();

	const at = $derived(Date.parse(found.at));
	const href = (service: string | null, environment: string | null) => withThe(new URL('/estate/history', url), { service, at: environment });
</script>

<div class="scrolls">
	<table aria-label={say.services} style:--columns={found.columns.length}>
		<thead>
			<tr>
				<th scope="col"><span class="label">{say.find}</span></th>
				{#each found.columns as column (column.id)}
					{@const fares = standing?.fares[column.id]}
					<th scope="col"><a href={href(null, column.id)}>{column.name}</a>{#if fares}<span class="fares" class:wrong={fares.beyond.length > 0} title={[...fares.beyond, ...fares.unknown].join('; ') || undefined}>{fares.says}</span>{/if}</th>{/each}
			</tr>
		</thead>
		<tbody>
			{#each rows as row (row.service.id)}
				<tr data-service={row.service.id}>
					<th scope="row"><a href={href(row.service.id, null)}>{row.service.name}</a>{#if row.group}<span class="soft">{row.group.name}</span>{/if}</th>
					{#each found.columns as column (column.id)}
						{@const cell = row.cells.find((one) => one.environment === column.id)}
						<td data-environment={column.id}>{#if cell}<CellOf {cell} {at} href={href(row.service.id, column.id)} commits={standing?.commits[`${row.service.id} ${column.id}`]} />{:else}<span class="soft none">{say.nothing}</span>{/if}</td>
					{/each}
				</tr>
			{/each}
		</tbody>
	</table>
</div>

<style>
	.scrolls {
		overflow-x: auto;
	}
	table {
		display: grid;
		min-width: calc(150px + var(--columns) * 132px);
		border-top: 1.5px solid var(--ink);
	}
	thead,
	tbody {
		display: contents;
	}
	tr {
		display: grid;
		grid-template-columns: minmax(150px, 1fr) repeat(var(--columns), minmax(132px, 1.25fr));
		border-bottom: 1px solid var(--hair);
	}
	tbody tr {
		content-visibility: auto;
		contain-intrinsic-size: auto 74px;
	}
	th {
		text-align: left;
		font-weight: 600;
	}
	thead th {
		padding: 4px 8px;
		font-family: var(--serif);
		font-size: var(--text-lead);
	}
	tbody th {
		position: sticky;
		left: 0;
		display: grid;
		align-content: start;
		padding: 6px 8px 6px 0;
		background: var(--paper);
		font-size: var(--text-label);
		line-height: 1.25;
	}
	thead th:first-child {
		padding-left: 0;
	}
	.fares {
		display: block;
		font-family: var(--typo-base--font-family);
		font-size: var(--text-small);
		font-weight: 400;
		color: var(--ink-soft);
	}
	.fares.wrong {
		color: var(--wax);
		font-weight: 600;
	}
	th .soft {
		font-size: var(--text-small);
		font-weight: 400;
	}
	th a:hover {
		text-decoration: underline;
	}
	td {
		min-width: 0;
		border-left: 1px solid var(--hair);
		overflow-wrap: anywhere;
	}
	.none {
		display: block;
		padding: 6px 8px;
		font-size: var(--text-small);
	}
</style>
