<!-- The head of a column of the board: the policy in force, what comes, and what waits to be adopted or kept. -->
<script lang="ts">
	import type { Board } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { board as say } from '$lib/words/policies';
	import { opened } from './where';
	import { unparted } from '$lib/words';

	let { column, unkept, dim }: { column: Board['columns'][number]; unkept: boolean; dim: boolean } = $props();

	const at = $derived(opened(column.environment.id));
</script>

<th scope="col" class:dim>
	<a class="name" href={at}>{column.environment.name}</a>
	<span class="soft">{column.version === null ? say.none : say.version(column.version, column.adopted_by)}</span>
	{#if column.signs_off}<span class="soft">{unparted(column.signs_off)}</span>{/if}
	{#if column.coming !== null && column.coming_at}<span class="soft">{say.coming(column.coming, when(new Date(column.coming_at), session.zone, new Date()))}</span>{/if}
	{#if unkept}<a class="draft" href={at}>{say.changedNotSavedYet}</a>{/if}
	{#if column.draft !== null}<a class="draft" href={at}>{say.drafted(column.draft)}</a>{/if}
</th>

<style>
	th {
		text-align: left;
		vertical-align: bottom;
		font-weight: 600;
		padding: 4px 10px 5px 8px;
		border-bottom: 1.5px solid var(--ink);
		line-height: 1.25;
	}
	.name {
		font-family: var(--serif);
		font-size: var(--text-lead);
	}
	.soft,
	.draft {
		display: block;
		font-size: var(--text-small);
		font-weight: 400;
	}
	.draft {
		color: var(--wax);
		font-weight: 600;
	}
	.dim {
		color: var(--ink-soft);
	}
	a:hover {
		text-decoration: underline;
	}
</style>
