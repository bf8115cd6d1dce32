<!-- Ledger entries as lines of a book. -->
<script lang="ts">
	import type { Entry } from '$lib/api/client';
	import Part from '$lib/ui/part.svelte';
	import { clock, day } from '$lib/time/time';
	import { changes } from './changes';
	import { entries as say } from '$lib/words/dossier';
	import { changes as words } from '$lib/words/set-up';
	let { entries, zone, linked = false }: { entries: Entry[]; zone: string; linked?: boolean } = $props();

	function newDay(n: number): boolean {
		const before = entries[n - 1];
		const entry = entries[n];
		return !before || !entry || day(new Date(before.at), zone) !== day(new Date(entry.at), zone);
	}
</script>

<ol class="entries">
	{#each entries as entry, n (entry.id)}
		{#if newDay(n)}<li class="day label">{day(new Date(entry.at), zone)}</li>{/if}
		<Part as="li">
			<li class="entry" data-action={entry.action}>
				<span class="mono place" title={entry.index === null ? say.noPlace : say.place(entry.index)}>{entry.index ?? '…'}</span>
				<time datetime={entry.at}>{clock(new Date(entry.at), zone)}</time>
				<span class="act">{entry.action}</span>
				<span class="says">
					{#if linked && entry.promotion}<a href="/promotion/{entry.promotion}">{entry.says}</a>{:else}{entry.says}{/if}
					{#if 'new' in entry.details || 'old' in entry.details}
						<ul class="changed">
							{#each changes(entry.details) as one}<li>{one.field}: {one.is}{#if entry.details.old}, {words.was} {one.was}{/if}</li>{/each}
						</ul>
					{/if}
					{#if entry.reason}<q>{entry.reason}</q>{/if}
				</span>
				<span class="soft way">{entry.channel === 'engine' ? say.byInspection : entry.channel === 'API' ? say.byApi : say.atTheDesk}</span>
			</li>
		</Part>
	{/each}
</ol>

<style>
	.day {
		padding-top: 0.7rem;
		border-bottom: 1px solid var(--hair-strong);
	}
	.entry {
		display: grid;
		grid-template-columns: 52px 48px 116px minmax(0, 1fr) 104px;
		gap: 0.6rem;
		align-items: baseline;
		padding: 4px 0;
		border-bottom: 1px solid var(--hair);
	}
	.place {
		text-align: right;
		color: var(--ink-soft);
	}
	.act {
		font-family: var(--serif);
		font-variant-caps: all-small-caps;
		font-weight: 700;
		font-size: var(--text-label);
		letter-spacing: 0.04em;
	}
	[data-action='turn back'] .act,
	[data-action='roll back'] .act {
		color: var(--wax);
	}
	[data-action='approve'] .act,
	[data-action='clear'] .act,
	[data-action='land'] .act {
		color: var(--verdigris);
	}
	a:hover {
		text-decoration: underline;
	}
	.changed {
		font-size: var(--text-note);
		color: var(--ink-soft);
	}
	q {
		display: block;
		font-family: var(--serif);
		font-style: italic;
		font-size: var(--text-label);
		color: var(--ink-soft);
	}
	.way {
		text-align: right;
		font-size: var(--text-small);
	}
	@media (max-width: 760px) {
		.entry {
			grid-template-columns: 44px 44px 1fr;
		}
		.says {
			grid-column: 1 / -1;
		}
		.way {
			display: none;
		}
	}
</style>
