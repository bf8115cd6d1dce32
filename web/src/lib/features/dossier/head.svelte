<!-- What stands above a file: what it is, what it waits for, who asked, and when it could go. -->
<script lang="ts">
	import type { Dossier } from '$lib/api/client';
	import { SPANS, span as lasting } from '$lib/time/time';
	import Stamp from '$lib/ui/stamp.svelte';
	import TimeAxis from '$lib/ui/time-axis.svelte';
	import TimeBar from '$lib/ui/time-bar.svelte';
	import { capital, stampOf, unparted } from '$lib/words';
	import { dossier as say } from '$lib/words/dossier';
	import OpenThere from '$lib/features/frame/open-there.svelte';
	import Looking from './looking.svelte';

	let { file }: { file: Dossier } = $props();

	const start = $derived(Date.parse(file.at));
	const open = $derived(['waiting', 'cleared'].includes(file.row.state));
</script>

<svelte:head><title>{say.title(say.of(`${file.row.service.name} ${file.row.version}`, file.row.target.name))}</title></svelte:head>

<div class="head">
	<div class="stamp"><Stamp says={stampOf(file.row)} large /></div>
	<div class="what">
		<h1>{file.row.service.name} <span class="mono">{file.row.version}</span> <span class="into">{say.from(file.row.source, file.row.target.name)}</span></h1>
		<p class="sentence" aria-live="polite">{unparted(file.row.sentence)}</p>
		<p class="soft">
			{#if file.row.kind !== 'ordinary'}<b>{capital(file.row.kind)}{file.row.urgent ? say.byRoute(file.row.route.name) : ''}.</b>{/if}
			{#if file.missing_in.length}<b>{say.missingIn(file.missing_in)}</b>{/if}
			{#if file.row.bundle}<b>{say.crossesWith(file.row.bundle.name)}</b>{/if}
			{say.promotion} <span class="mono">{file.row.number}</span>{say.askedBy(file.row.requested_by.name, lasting(start - Date.parse(file.row.requested_at)))}{#if file.authors.length}{say.writtenBy(file.authors.map((one) => one.name))}{/if}{#if file.row.prepared_at}{say.itsDeployerIsReady}{/if}.
			<OpenThere environment={file.row.target.id} service={file.row.service.id} version={file.row.version} />
			<Looking people={file.looking} />
		</p>
	</div>
	{#if open}
		<div class="time">
			<TimeAxis {start} span={SPANS[2]} zone={file.row.target.zone} />
			<TimeBar row={file.row} {start} span={SPANS[2]} />
		</div>
	{/if}
</div>

<style>
	.head {
		display: grid;
		grid-template-columns: auto minmax(0, 1fr) 380px;
		gap: 1.4rem;
		align-items: start;
		padding: 1rem 0 0.9rem;
	}
	.stamp {
		padding-top: 3px;
	}
	h1 {
		font-size: var(--text-view);
	}
	h1 .mono {
		font-size: var(--text-section);
		font-weight: 500;
	}
	.into {
		font-weight: 400;
		white-space: nowrap;
	}
	.sentence {
		font-size: var(--text-lead);
		font-weight: 600;
		line-height: 1.35;
		overflow-wrap: anywhere;
	}
	@media (max-width: 1100px) {
		.head {
			grid-template-columns: auto minmax(0, 1fr) 280px;
		}
	}
	@media (max-width: 760px) {
		.head {
			grid-template-columns: 1fr;
			gap: 0.5rem;
		}
		.into {
			white-space: normal;
		}
	}
</style>
