<!-- What came with the release: each report with what it says in single values. -->
<script lang="ts">
	import type { Dossier } from '$lib/api/client';
	import { when } from '$lib/time';
	import { capital } from '$lib/words';
	let { file }: { file: Dossier } = $props();

	const said = (content: Record<string, unknown>) =>
		Object.entries(content)
			.filter(([, value]) => ['string', 'number', 'boolean'].includes(typeof value))
			.map(([key, value]) => `${key.replaceAll('_', ' ')} ${value}`)
			.join(', ');
</script>

<h3 class="label">Reports</h3>
<ul>
	{#each file.evidence as report (report.name)}
		<li>
			<span>{#if report.link}<a class="underline" href={report.link} rel="noreferrer" target="_blank">{capital(report.name.replaceAll('-', ' '))}</a>{:else}{capital(report.name.replaceAll('-', ' '))}{/if}</span>
			<span class="said">{said(report.content)}</span>
			<span class="soft">by {report.by} · {when(new Date(report.produced_at), file.row.target.zone, new Date(file.at))}</span>
		</li>
	{:else}
		<li class="soft">None came with it.</li>
	{/each}
</ul>

<style>
	h3 {
		margin: 0.9rem 0 0.15rem;
		border-bottom: 1px solid var(--hair);
	}
	li {
		display: grid;
		padding: 3px 0;
		line-height: 1.3;
	}
	.said {
		font-size: 13px;
		font-variant-numeric: tabular-nums;
		overflow-wrap: anywhere;
	}
	.soft {
		font-size: 12.5px;
	}
</style>
