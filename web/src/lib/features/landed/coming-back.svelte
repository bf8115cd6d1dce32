<!-- What going back to an earlier release takes away and brings back. -->
<script lang="ts">
	import { goingBack as say } from '$lib/words/landed';
	import { ComingBackState } from './going-back.svelte';
	let { service, environment, version }: { service: string; environment: string; version: string } = $props();

	const coming = new ComingBackState(() => ({ service, environment, version }));
	const found = $derived(coming.found);
</script>

{#if coming.failed}<p class="refused" role="alert">{coming.failed}</p>{:else if !found}<p class="soft" role="status">{say.reading}</p>{/if}
{#if found}
	<div class="means">
		<div>
			<h4>{say.commits(found.commits.length + found.more_commits)}</h4>
			<ul>{#each found.commits as commit (commit.revision)}<li><span class="mono soft">{commit.revision.slice(0, 8)}</span> {commit.subject} <span class="soft">{commit.author}</span></li>{/each}</ul>
			{#if found.more_commits}<p class="soft">{say.more(found.more_commits)}</p>{/if}
		</div>
		<div>
			{#if found.tickets.length}
				<h4>{say.tickets}</h4>
				<ul>{#each found.tickets as ticket (ticket.key)}<li>{#if ticket.link}<a class="underline" href={ticket.link}>{ticket.key}</a>{:else}{ticket.key}{/if} {ticket.title ?? ''}</li>{/each}</ul>
			{/if}
			<h4>{say.findings(found.findings.length)}</h4>
			<ul>{#each found.findings as one, n (n)}<li><b>{one.severity}</b> {one.name}: {one.message} <span class="soft mono">{one.where}</span></li>{/each}</ul>
			{#if found.unknown.length}
				<h4 class="wrong">{say.unknown}</h4>
				<ul>{#each found.unknown as why}<li>{why}</li>{/each}</ul>
			{/if}
		</div>
	</div>
{/if}

<style>
	.means {
		display: grid;
		grid-template-columns: repeat(auto-fit, minmax(min(100%, 20rem), 1fr));
		gap: 0 2rem;
		overflow-wrap: anywhere;
	}
	h4 {
		padding-top: 0.5rem;
		font-weight: 600;
		font-size: var(--text-note);
	}
</style>
