<!-- What came with the release: each report opens to what it says, before anybody decides. -->
<script lang="ts">
	import type { Dossier } from '$lib/api/client';
	import { fileAt, groupsOf, said } from './reports';
	import { when } from '$lib/time/time';
	import { bytes, capital } from '$lib/words';
	import { reports as say } from '$lib/words/dossier';
	import Opens from '$lib/ui/opens.svelte';
	let { file }: { file: Dossier } = $props();

	const now = $derived(new Date(file.at));
	const title = (name: string) => capital(name.replaceAll('-', ' '));
</script>

<h3 class="label">{say.reports}</h3>
<ul>
	{#each file.evidence as report (report.name)}
		{@const groups = groupsOf(report)}
		{@const raw = file.files[report.name]}
		<li>
			<Opens>
				{#snippet line()}<b>{title(report.name)}</b><span class={['below', report.unknown ? 'unknown' : 'soft']}>{said(report)}</span>{/snippet}
				<p class="soft">
					{say.by(report.by, when(new Date(report.produced_at), file.row.target.zone, now))}
					{#if raw}· <a class="underline" href={fileAt(file.row, report.name)} download>{raw.name}</a>, {bytes(raw.size)}{/if}
					{#if report.link}· <a class="underline" href={report.link} rel="noreferrer" target="_blank">{say.openWhereItIs}</a>{/if}
				</p>
				{#if report.maker}<p class="soft">{say.maker(report.maker)}</p>{/if}
				{#if report.unknown}<p class="unknown">{say.unknown(report.unknown)}</p>{/if}
				{#each groups as group (group.title)}
					<h4>{group.title}</h4>
					<ul>
						{#each group.lines as line, n (n)}
							<li class="line">
								{#if line.rank}<span class="rank" data-rank={line.rank}>{line.rank}</span>{/if}
								<span class="words">
									<b>{line.name}</b>
									{#if line.words}<span>{line.words}</span>{/if}
									{#if line.where}<span class="mono soft">{line.where}</span>{/if}
									{#if line.text}<pre>{line.text}</pre>{/if}
								</span>
							</li>
						{/each}
					</ul>
				{:else}
					<p class="soft">{report.kind === 'file' ? say.kept : say.nothing}</p>
				{/each}
			</Opens>
		</li>
	{:else}
		<li class="soft">{say.noneCameWithIt}</li>
	{/each}
</ul>

<style>
	h4 {
		margin-top: 0.4rem;
		font-weight: 600;
		font-size: var(--text-note);
	}
	.unknown {
		color: var(--blue);
		font-weight: 600;
	}
	.line {
		display: grid;
		grid-template-columns: auto minmax(0, 1fr);
		gap: 0.5rem;
		padding: 2px 0;
	}
	.words {
		grid-column: 2;
		display: grid;
		overflow-wrap: anywhere;
		line-height: 1.3;
	}
	.rank {
		grid-column: 1;
		align-self: start;
		min-width: 54px;
		border-bottom: 2px solid var(--hair-strong);
		font-size: var(--text-small);
		text-align: center;
	}
	.rank[data-rank='critical'],
	.rank[data-rank='high'] {
		border-bottom: 4px double var(--wax);
		font-weight: 700;
	}
	pre {
		max-height: 9rem;
		overflow: auto;
		padding: 0.3rem 0.4rem;
		background: var(--wash);
		font-family: var(--mono);
		font-size: var(--text-tiny);
		white-space: pre-wrap;
	}
</style>
