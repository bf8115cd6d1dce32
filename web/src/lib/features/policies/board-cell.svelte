<!-- What one environment asks for of one kind; where it asks for less than the leg before, its edge says so. -->
<script lang="ts">
	import type { Board } from '$lib/api/client';
	import { board as say } from '$lib/words/policies';
	import type { BoardState } from './board.svelte';
	import { cellAt, opened } from './where';
	import { unparted } from '$lib/words';

	type Row = Board['rows'][number];
	type Props = {
		board: BoardState;
		row: Row;
		cell: Row['cells'][number];
		/** Whether it is edited now, and of which rule. */
		here: boolean;
		rule: string | null;
		dim: boolean;
		mayWrite: boolean;
	};
	let { board, row, cell, here, rule, dim, mayWrite }: Props = $props();

	/** Where a rule is edited: one from the baseline, in the baseline. */
	function at(one: { id: string; baseline: boolean }): string {
		const owner = (one.baseline && board.column(cell.environment)?.baseline?.id) || cell.environment;
		return mayWrite ? cellAt(owner, row.kind, one.id) : opened(owner, one.id);
	}
</script>

<td class:laxer={cell.laxer.length > 0} class:here class:dim title={cell.laxer.join(' ')}>
	{#each cell.rules as one (one.id)}
		<a class="rule" class:baseline={one.baseline} href={at(one)} aria-expanded={mayWrite ? here && one.id === rule : undefined} data-sveltekit-noscroll title={one.title}>{unparted(one.setting) || say.askedFor}</a>
	{/each}
	{#if cell.laxer.length}<span class="less">{cell.laxer.join(' ')}</span>{/if}
	{#if mayWrite && cell.rules.length === 0}
		<a class="another" href={cellAt(cell.environment, row.kind, null)} data-sveltekit-noscroll aria-label={say.askFor(row.name.toLowerCase(), board.column(cell.environment)?.environment.name)}>{say.notAskedFor}</a>
	{/if}
</td>

<style>
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
		font-size: var(--text-tiny);
		color: var(--wax);
	}
	.dim {
		color: var(--ink-soft);
	}
	.rule {
		display: block;
		width: fit-content;
	}
	.rule:hover {
		text-decoration: underline;
	}
	.rule.baseline {
		border-bottom: 1px dotted var(--ink-soft);
	}
	.another {
		font-size: var(--text-small);
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
</style>
