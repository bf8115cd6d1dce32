<!-- Two releases beside each other: commits, files, tickets, findings, components, policy then and now. -->
<script lang="ts">
	import { here } from '$lib/state/here.svelte';
	import { comparison as say } from '$lib/words/estate';
	import Opens from '$lib/ui/opens.svelte';
	import type { Schemas } from '$lib/api/client';
	import { ComparisonState, type Pair } from './history.svelte';
	let { pair }: { pair: Pair } = $props();

	const comparing = new ComparisonState(() => ({ ...pair })).follow();
	const found = $derived(comparing.found);
</script>

{#snippet findings(title: string, some: Schemas['ScanFinding'][])}
	<h3 class="label">{title}</h3>
	<ul>{#each some as one, n (n)}<li><b>{one.severity}</b> {one.name}: {one.message} <span class="soft mono">{one.where}</span></li>{/each}</ul>
{/snippet}
{#snippet commits(some: Schemas['Commit'][])}
	<ul>{#each some as one (one.revision)}<li><span class="mono soft">{one.revision.slice(0, 8)}</span> {one.subject} <span class="soft">{one.author}</span></li>{/each}</ul>
{/snippet}

<section aria-labelledby="compared">
	<header>
		<h2 id="compared">{say.heading(pair.before, pair.after)}</h2>
		<a class="underline" href={here({ of: null, before: null, after: null })}>{say.leave}</a>
	</header>
	{#if comparing.failed}<p class="refused" role="alert">{comparing.failed}</p>{:else if !found}<p class="soft" role="status">{say.reading}</p>{/if}
	{#if found}
		<div class="both">
			<div>
				<h3 class="label">{say.commits(found.commits.length)}</h3>
				{@render commits(found.commits)}
				{#if found.lost.length}<h3 class="label">{say.lost(found.lost.length)}</h3>{@render commits(found.lost)}{/if}
				{#if found.more}<p class="soft">{say.more(found.more)}</p>{/if}
				{#if found.tickets.length}<h3 class="label">{say.tickets}</h3><ul>{#each found.tickets as one (one.key)}<li>{#if one.link}<a class="underline" href={one.link}>{one.key}</a>{:else}{one.key}{/if} {one.title ?? ''}</li>{/each}</ul>{/if}
			</div>
			<div>
				{@render findings(say.new(found.new.length), found.new)}
				{@render findings(say.gone(found.gone.length), found.gone)}
				<h3 class="label">{say.parts(found.parts.length)}</h3>
				<ul>{#each found.parts as one}<li><b>{one.name}</b> <span class="mono">{one.before.join(', ') || say.none} → {one.after.join(', ') || say.none}</span></li>{/each}</ul>
				{#if found.policy}
					<h3 class="label">{say.policy(found.policy.then, found.policy.now)}</h3>
					<ul>{#each found.policy.differences as one}<li>{one}</li>{:else}<li>{say.samePolicy}</li>{/each}</ul>
				{/if}
				{#if found.unknown.length}<h3 class="label wrong">{say.unknown}</h3><ul>{#each found.unknown as why}<li>{why}</li>{/each}</ul>{/if}
			</div>
		</div>
		{#if found.files.length}
			<Opens>
				{#snippet line()}<span>{say.files(found.files.length + found.more_files)}</span>{/snippet}
				<ul>{#each found.files as one}<li class="mono">{one.path} <span class="soft">{say.lines(one.added ?? null, one.removed ?? null)}</span></li>{/each}</ul>
				{#if found.more_files}<p class="soft">{say.moreFiles(found.more_files)}</p>{/if}
			</Opens>
		{/if}
	{/if}
</section>

<style>
	section {
		margin-bottom: 0.8rem;
		padding: 0.5rem 0 0.8rem;
		border-block: 1.5px solid var(--ink);
	}
	header {
		display: flex;
		align-items: baseline;
		justify-content: space-between;
	}
	.both {
		display: grid;
		grid-template-columns: repeat(auto-fit, minmax(min(100%, 24rem), 1fr));
		gap: 0 28px;
		overflow-wrap: anywhere;
	}
	ul {
		max-height: 13rem;
		overflow-y: auto;
	}
	li {
		padding: 2px 0;
	}
</style>
