<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { api, data } from '$lib/api/client';
	import { DossierState } from '$lib/features/dossier/dossier.svelte';
	import { busyElsewhere } from '$lib/state/keys';
	import { live } from '$lib/state/live.svelte';
	import Cargo from '$lib/features/dossier/cargo.svelte';
	import Comment from '$lib/features/dossier/comment.svelte';
	import Decision from '$lib/features/dossier/decision.svelte';
	import Entries from '$lib/features/ledger/entries.svelte';
	import Looking from '$lib/features/dossier/looking.svelte';
	import Inspection from '$lib/features/dossier/inspection.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	import TimeAxis from '$lib/ui/time-axis.svelte';
	import TimeBar from '$lib/ui/time-bar.svelte';
	import { look } from '$lib/features/dossier/presence';
	import { session } from '$lib/state/session.svelte';
	import { SPANS, span as lasting } from '$lib/time/time';
	import { capital, stampOf } from '$lib/words';
	import { common } from '$lib/words/common';
	import { dossier as say } from '$lib/words/dossier';

	const number = $derived(Number(page.params.number));
	const dossier = new DossierState(() => number);
	const file = $derived(dossier.file);
	const start = $derived(file ? Date.parse(file.at) : 0);
	const open = $derived(file !== null && ['waiting', 'cleared'].includes(file.row.state));

	dossier.follow(() => live.version);

	$effect(() => look(number));

	/** On to the next promotion that waits for oneself; to the Desk when there is none. */
	async function next() {
		const desk = await data(api.GET('/api/desk')).catch(() => null);
		const mine = desk?.rows.filter((row) => row.waits_for === 'you' && row.number !== number) ?? [];
		await goto(mine[0] ? `/promotion/${mine[0].number}` : '/desk');
	}

	function keys(event: KeyboardEvent) {
		if (busyElsewhere(event)) return;
		if (event.key === 'a' && file?.mine.may_approve) void dossier.act('approve');
		else if (event.key === 'u') history.back();
		else if (event.key === 'n') void next();
		else if (event.key === 'r') {
			event.preventDefault();
			document.querySelector<HTMLElement>('.decision textarea')?.focus();
		}
	}
</script>

<svelte:window onkeydown={keys} />
<svelte:head><title>{say.title(file ? say.of(`${file.row.service.name} ${file.row.version}`, file.row.target.name) : say.promotion)}</title></svelte:head>

{#if file}
	<div class="head">
		<div class="stamp"><Stamp says={stampOf(file.row)} large /></div>
		<div class="what">
			<h1>{file.row.service.name} <span class="mono">{file.row.version}</span> <span class="into">{say.from(file.row.source, file.row.target.name)}</span></h1>
			<p class="sentence" aria-live="polite">{file.row.sentence}</p>
			<p class="soft">
				{#if file.row.kind !== 'ordinary'}<b>{capital(file.row.kind)}{file.row.urgent ? say.byRoute(file.row.route.name) : ''}.</b>{/if}
				{#if file.row.bundle}<b>{say.crossesWith(file.row.bundle.name)}</b>{/if}
				{say.promotion} <span class="mono">{file.row.number}</span>{say.askedBy(file.row.requested_by.name, lasting(start - Date.parse(file.row.requested_at)))}{#if file.authors.length}{say.writtenBy(file.authors.map((one) => one.name))}{/if}{#if file.row.prepared_at}{say.itsDeployerIsReady}{/if}.
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
	<div class="columns">
		<section class="inspection"><Inspection state={dossier} /></section>
		<section class="decision"><Decision state={dossier} /></section>
		<section class="cargo"><Cargo state={dossier} /></section>
		<section class="course">
			<h2>{say.course}</h2>
			<Entries entries={file.course} zone={file.row.target.zone} />
			{#if session.me?.rights.includes('comment')}<Comment {number} onwritten={() => dossier.load()} />{/if}
		</section>
	</div>
{:else if dossier.failed}
	<div class="missing"><h1>{dossier.failed}</h1><a class="button" href="/desk">{common.backToTheDesk}</a></div>
{/if}

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
		font-size: 26px;
	}
	h1 .mono {
		font-size: 20px;
		font-weight: 500;
	}
	.into {
		font-weight: 400;
		white-space: nowrap;
	}
	.sentence {
		font-size: 16px;
		font-weight: 600;
		line-height: 1.35;
		overflow-wrap: anywhere;
	}
	.columns {
		display: grid;
		grid-template-columns: minmax(260px, 1fr) minmax(400px, 1.45fr) minmax(250px, 0.85fr);
		grid-template-rows: auto 1fr;
		grid-template-areas: 'cargo inspection decision' 'cargo course course';
		border-top: 1.5px solid var(--ink);
	}
	.cargo {
		grid-area: cargo;
		padding: 0.7rem 1.3rem 1rem 0;
	}
	.inspection {
		grid-area: inspection;
		padding: 0.7rem 1.3rem 1rem;
		border-inline: 1px solid var(--hair);
	}
	.decision {
		grid-area: decision;
		padding: 0.7rem 0 1rem 1.3rem;
	}
	.course {
		grid-area: course;
		padding: 0.7rem 0 1rem 1.3rem;
		border-top: 1.5px solid var(--ink);
		border-left: 1px solid var(--hair);
	}
	/* Lines of source need room. */
	.columns:has(.cargo :global(.patch[open])) {
		grid-template-columns: minmax(420px, 1.7fr) minmax(320px, 1.1fr) minmax(240px, 0.8fr);
	}
	.course h2 {
		font-size: 20px;
	}
	.missing {
		display: grid;
		justify-items: start;
		gap: 1rem;
		padding: 4rem 0;
	}
	@media (max-width: 1100px) {
		.head {
			grid-template-columns: auto minmax(0, 1fr) 280px;
		}
		.columns {
			grid-template-columns: minmax(0, 1.5fr) minmax(240px, 1fr);
			grid-template-rows: none;
			grid-template-areas: 'inspection decision' 'cargo cargo' 'course course';
		}
		.course {
			padding-left: 0;
			border-left: 0;
		}
		.inspection {
			border-left: 0;
			padding-left: 0;
		}
	}
	@media (max-width: 760px) {
		.head {
			grid-template-columns: 1fr;
			gap: 0.5rem;
		}
		.columns {
			grid-template-columns: minmax(0, 1fr);
			grid-template-areas: 'decision' 'inspection' 'cargo' 'course';
		}
		.columns > section {
			padding: 0.7rem 0;
			border-inline: 0;
			border-bottom: 1px solid var(--hair-strong);
		}
		.into {
			white-space: normal;
		}
	}
</style>
