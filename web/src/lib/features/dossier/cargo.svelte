<!-- What would change against what runs there now. -->
<script lang="ts">
	import type { DossierState } from './dossier.svelte';
	import { capital } from '$lib/words';
	import { cargo as say } from '$lib/words/dossier';
	import Artifacts from './artifacts.svelte';
	import ComingBack from '$lib/features/landed/coming-back.svelte';
	import Commit from './commit.svelte';
	import Reports from './reports.svelte';
	let { state: dossier }: { state: DossierState } = $props();

	const file = $derived(dossier.file!);

	const now = $derived(new Date(file.at));
	const zone = $derived(file.row.target.zone);
	const change = $derived(file.change.value);
	const areas = $derived(
		Object.entries(
			(change?.files ?? []).reduce<Record<string, { path: string; added: number; removed: number }[]>>((out, one) => {
				const slash = one.path.indexOf('/');
				const area = slash < 0 ? 'top' : one.path.slice(0, slash);
				(out[area] ??= []).push({ path: one.path.slice(slash + 1), added: one.added ?? 0, removed: one.removed ?? 0 });
				return out;
			}, {})
		)
	);
	const widest = $derived(Math.max(1, ...(change?.files ?? []).map((one) => (one.added ?? 0) + (one.removed ?? 0))));
</script>

<h2>{say.cargo}</h2>
{#if file.row.kind === 'rollback' && !file.row.closed_at}<ComingBack service={file.row.service.id} environment={file.row.target.id} version={file.row.version} />{/if}
{#if !change}
	<p class="unread">{say.changeUnread(file.change.unknown)}</p>
{:else}
	<p class="soft">
		{say.counts(file.counts.commits, file.counts.files)}
		{#if change.base}{say.sinceWhatRunsThere} <span class="mono">{change.base.slice(0, 8)}</span>{:else}{say.nothingRunsYet}{/if}
	</p>
	<ul class="commits">
		{#each change.commits as commit (commit.revision)}
			<li><Commit {commit} number={file.row.number} {zone} {now} /></li>
		{/each}
	</ul>
	{#if change.commits.length < file.counts.commits}<button class="underline" onclick={() => dossier.more('commits')}>{say.showMore(file.counts.commits - change.commits.length, 'commit')}</button>{/if}
	{#if file.strangers.length}<p class="stranger">{say.strangers(file.strangers.map((one) => one.email || one.name))}</p>{/if}
	<h3 class="label">{say.filesChanged}</h3>
	<ul class="files">
		{#each areas as [area, files]}
			<li class="area">{area}/</li>
			{#each files as one}
				<li class="file">
					<span class="mono path" title="{area}/{one.path}">{one.path}</span>
					<span class="churn" aria-hidden="true"><i class="plus" style:width="{(one.added / widest) * 100}%"></i><i class="minus" style:width="{(one.removed / widest) * 100}%"></i></span>
					<span class="soft count">+{one.added} −{one.removed}</span>
				</li>
			{/each}
		{/each}
	</ul>
	{#if change.files.length < file.counts.files}<button class="underline" onclick={() => dossier.more('files')}>{say.showMore(file.counts.files - change.files.length, 'file')}</button>{/if}
{/if}
<h3 class="label">{say.tickets}</h3>
{#if file.tickets.value}
	<ul class="tickets">
		{#each file.tickets.value as ticket (ticket.key)}
			<li><span class="mono">{ticket.key}</span><span>{ticket.title ?? say.unknownTicket}</span><b>{ticket.status ?? '–'}</b></li>
		{:else}
			<li class="soft">{say.noTicket}</li>
		{/each}
	</ul>
{:else}
	<p class="unread">{say.unread(file.tickets.source, file.tickets.unknown)}</p>
{/if}
<Reports {file} />
<h3 class="label">{say.rolloutPlan}</h3>
<p>{capital(file.plan)}</p>
<Artifacts {file} />
{#if file.note}<h3 class="label">{say.note}</h3><p class="note">{file.note}</p>{/if}

<style>
	.area {
		font-weight: 600;
		font-size: var(--text-note);
		padding-top: 3px;
	}
	.file {
		display: grid;
		grid-template-columns: minmax(0, 1fr) 56px 74px;
		gap: 0.5rem;
		align-items: center;
		font-size: var(--text-note);
	}
	.path {
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
	}
	.path {
		padding-left: 0.7rem;
	}
	.count {
		text-align: right;
		white-space: nowrap;
		font-size: var(--text-small);
	}
	.churn {
		display: flex;
		height: 7px;
	}
	.plus {
		background: var(--ink-soft);
	}
	.minus {
		border: 1px solid var(--ink-soft);
	}
	.tickets li {
		display: grid;
		grid-template-columns: auto minmax(0, 1fr) auto;
		gap: 0.6rem;
		padding: 2px 0;
	}
	.stranger {
		padding-top: 0.3rem;
		color: var(--ochre);
		font-weight: 600;
		overflow-wrap: anywhere;
	}
	.unread {
		color: var(--blue);
	}
	.note {
		white-space: pre-wrap;
		overflow-wrap: anywhere;
	}
</style>
