<script lang="ts">
	import BoardForm from '$lib/features/estate/board-form.svelte';
	import { BoardsState } from '$lib/features/estate/boards.svelte';
	import Parts from '$lib/features/estate/parts.svelte';
	import { sure } from '$lib/state/asked.svelte';
	import { session } from '$lib/state/session.svelte';
	import { day } from '$lib/time/time';
	import { boards as say } from '$lib/words/estate';

	const boards = new BoardsState().follow();
	async function drop(number: number, name: string) {
		if (await sure(say.sure(name), say.drop)) await boards.drop(number);
	}
</script>

<svelte:head><title>{say.title}</title></svelte:head>
<div class="view-head">
	<h1 class="mr-auto">{say.heading} <span class="soft">{say.sub}</span></h1>
	<Parts />
</div>
{#each [boards.failed, boards.draft ? '' : boards.refused] as failed, n (n)}{#if failed}<p class="failed" role="alert">{failed}</p>{/if}{/each}
<ul class="lines">
	{#each boards.all as one (one.id)}
		<li>
			<div class="line">
				<a class="underline" href="/estate/boards/{one.id}"><b>{one.board.title}</b></a>
				<span>{say.count(one.board.services?.length ?? 0, one.board.charts?.length ?? 0)}{one.wall_until ? `, ${say.hangs(day(new Date(one.wall_until), session.zone))}` : ''}</span>
				<span class="acts">
					<button class="button quiet" onclick={() => boards.begin(one)}>{say.edit}</button>
					<button class="button quiet" disabled={boards.busy} onclick={() => boards.hang(one.id)}>{say.wall}</button>
					{#if one.wall_until}<button class="button quiet" disabled={boards.busy} onclick={() => boards.takeDown(one.id)}>{say.takeDown}</button>{/if}
					<button class="button quiet" onclick={() => drop(one.id, one.board.title)}>{say.drop}</button>
				</span>
			</div>
			{#if boards.editing === one.id && boards.draft}<BoardForm {boards} draft={boards.draft} />{/if}
		</li>
	{/each}
	{#if boards.loaded && boards.all.length === 0}<li class="empty">{say.none}</li>{/if}
</ul>
{#if boards.wall}<p class="once" role="status">{say.wallHint}<br /><a class="mono underline" href={boards.wall} target="_blank" rel="noopener noreferrer">{boards.wall}</a></p>{/if}
{#if boards.draft && boards.editing === null}<BoardForm {boards} draft={boards.draft} />{:else}<button class="button" onclick={() => boards.begin(null)}>{say.make}</button>{/if}

<style>
	.lines {
		--line: minmax(0, 1fr) minmax(0, 1fr) auto;
	}
	.acts {
		display: flex;
		flex-wrap: wrap;
		gap: 0.5rem;
	}
</style>
