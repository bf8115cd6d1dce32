<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { api, data } from '$lib/api/client';
	import { CourseState } from '$lib/features/course/course.svelte';
	import After from '$lib/features/landed/after.svelte';
	import Ladder from '$lib/features/course/ladder.svelte';
	import { DossierState } from '$lib/features/dossier/dossier.svelte';
	import { busyElsewhere } from '$lib/state/keys';
	import { live } from '$lib/state/live.svelte';
	import Cargo from '$lib/features/dossier/cargo.svelte';
	import Comment from '$lib/features/dossier/comment.svelte';
	import Decision from '$lib/features/dossier/decision.svelte';
	import Entries from '$lib/features/ledger/entries.svelte';
	import Head from '$lib/features/dossier/head.svelte';
	import Inspection from '$lib/features/dossier/inspection.svelte';
	import Share from '$lib/features/dossier/share.svelte';
	import { look } from '$lib/features/dossier/presence';
	import { session } from '$lib/state/session.svelte';
	import { common } from '$lib/words/common';
	import { dossier as say } from '$lib/words/dossier';

	const AFTER = new Set(['moving', 'halted', 'landed']);
	const number = $derived(Number(page.params.number));
	const dossier = new DossierState(() => number);
	const file = $derived(dossier.file);

	dossier.follow(() => live.version);
	const going = new CourseState(() => number).follow(() => live.version);
	const ladder = $derived(going.course !== null);

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
<svelte:head>{#if !file}<title>{say.title(say.promotion)}</title>{/if}</svelte:head>

{#if file}
	<Head {file} />
	<div class="columns" class:ladder>
		<section class="inspection"><Inspection state={dossier} /></section>
		<section class="decision">{#if ladder}<Ladder state={going} zone={file.row.target.zone} />{/if}{#if !ladder || file.row.state !== 'moving'}<Decision state={dossier} />{/if}{#if AFTER.has(file.row.state)}<After {file} />{/if}</section>
		<section class="cargo"><Cargo state={dossier} /></section>
		<section class="course">
			<h2>{say.course}</h2>
			{#if !file.course_is_whole}<p class="soft"><a class="underline" href="/ledger?words={number}">{say.earlierEntries}</a></p>{/if}
			<Entries entries={file.course} zone={file.row.target.zone} />
			{#if session.may('comment')}
				<Comment {number} onwritten={() => dossier.load()} />
				{#key number}<Share {number} zone={file.row.target.zone} />{/key}
			{/if}
		</section>
	</div>
{:else if dossier.failed}
	<div class="missing"><h1>{dossier.failed}</h1><a class="button" href="/desk">{common.backToTheDesk}</a></div>
{/if}

<style>
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
	@media (min-width: 1101px) {
		/* Lines of source need room. */
		.columns:has(.cargo :global(.patch[open])) {
			grid-template-columns: minmax(420px, 1.7fr) minmax(320px, 1.1fr) minmax(240px, 0.8fr);
		}
		/* What moves is watched: its ladder has the room, and what it was decided on stands back. */
		.columns.ladder {
			grid-template-columns: minmax(230px, 0.8fr) minmax(300px, 1fr) minmax(400px, 1.25fr);
		}
	}
	.missing {
		display: grid;
		justify-items: start;
		gap: 1rem;
		padding: 4rem 0;
	}
	@media (max-width: 1100px) {
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
		.columns {
			grid-template-columns: minmax(0, 1fr);
			grid-template-areas: 'decision' 'inspection' 'cargo' 'course';
		}
		.columns > section {
			padding: 0.7rem 0;
			border-inline: 0;
			border-bottom: 1px solid var(--hair-strong);
		}
	}
</style>
