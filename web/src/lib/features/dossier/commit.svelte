<!-- One commit of the change; it opens to all it says and, file by file, to what it changed. -->
<script lang="ts">
	import { listed } from '$lib/words/common';
	import { api, data, saying, type Dossier, type Patch } from '$lib/api/client';
	import { when } from '$lib/time/time';
	import { cargo as say } from '$lib/words/dossier';
	import Opens from '$lib/ui/opens.svelte';

	type Commit = NonNullable<Dossier['change']['value']>['commits'][number];
	let { commit, number, zone, now }: { commit: Commit; number: number; zone: string; now: Date } = $props();

	const names = $derived(listed([commit.author, ...commit.co_authors.map((one) => one.name)]));

	let patch = $state<Patch | null>(null);
	let unread = $state('');
	/** All it says after its subject. */
	const said = $derived(patch?.message.split('\n').slice(1).join('\n').trim() ?? '');

	async function opened(event: Event & { currentTarget: HTMLDetailsElement }) {
		if (!event.currentTarget.open || patch) return;
		try {
			const path = { number, revision: commit.revision };
			const found = await data(api.GET('/api/promotions/{number}/commits/{revision}', { params: { path } }));
			patch = found.value ?? null;
			unread = found.value ? '' : say.commitUnread(found.unknown);
		} catch (error) {
			unread = saying(error);
		}
	}
	const kind = (line: string) => (line.startsWith('@@') ? 'place' : line.startsWith('+') ? 'added' : line.startsWith('-') ? 'removed' : 'same');
</script>

<Opens ontoggle={opened}>
	{#snippet line()}
		<span>{commit.subject}</span>
		<span class="soft below">{names} · {#if commit.at}{when(new Date(commit.at), zone, now)} ·{' '}{/if}<span class="mono">{commit.revision.slice(0, 8)}</span></span>
	{/snippet}
	{#if patch}
		{#if said}<p class="message">{said}</p>{/if}
		{#each patch.files as file, n (n)}
			<Opens class="patch" open={patch.files.length === 1}>
				{#snippet line()}<span class="mono">{file.path}</span><span class="soft figure">{say.files[file.what]} +{file.added} −{file.removed}</span>{/snippet}
				{#if file.lines.length}
					<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
					<pre tabindex="0" role="region" aria-label={say.patchOf(file.path)}>{#each file.lines as line, n (n)}<span data-kind={kind(line)}>{line}{'\n'}</span>{/each}</pre>
				{:else}<p class="soft">{say.noText}</p>{/if}
				{#if file.more}<p class="soft">{say.moreLines(file.more)}</p>{/if}
			</Opens>
		{/each}
		{#if patch.more}<p class="soft">{say.moreFiles(patch.more)}</p>{/if}
	{:else if unread}
		<p class="unread">{unread}</p>
	{:else}
		<p class="soft">{say.reading}</p>
	{/if}
</Opens>

<style>
	.message {
		white-space: pre-wrap;
		overflow-wrap: anywhere;
		font-size: var(--text-note);
	}
	pre {
		max-height: 24rem;
		overflow: auto;
		padding: 4px 0;
		border: 1px solid var(--hair);
		background: var(--wash);
		font-family: var(--mono);
		font-size: var(--text-tiny);
		line-height: 1.45;
	}
	pre span {
		display: block;
		padding: 0 6px;
	}
	[data-kind='added'] {
		font-weight: 600;
	}
	[data-kind='removed'] {
		color: var(--ink-soft);
	}
	[data-kind='place'] {
		color: var(--blue);
	}
	.unread {
		color: var(--blue);
	}
</style>
