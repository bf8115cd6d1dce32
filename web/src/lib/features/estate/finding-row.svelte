<!-- One finding of a service: how grave, what, where it runs, for how long, what mends it, and whether it is lived with. -->
<script lang="ts">
	import Instant from '$lib/ui/instant.svelte';
	import { session } from '$lib/state/session.svelte';
	import { day, HOUR } from '$lib/time/time';
	import { listed } from '$lib/words/common';
	import { findings as say } from '$lib/words/estate';
	import type { FindingsState, FollowedFinding } from './findings.svelte';
	let { one, findings, now }: { one: FollowedFinding; findings: FindingsState; now: number } = $props();

	const MONTH = 30 * 24 * HOUR;
	const zone = session.zone;
	const grave = $derived(['critical', 'high', 'unrated'].includes(one.severity));
	const accepted = $derived(one.accepted);
	const over = $derived(accepted && !accepted.holds && (accepted.granted_by || !grave || Date.parse(accepted.until) <= now));
	const date = (at: string) => day(new Date(at), zone);
	let asking = $state(false);
	let reason = $state('');
	let until = $state<number | null>(null);
	const id = $props.id();

	async function accept(event: SubmitEvent) {
		event.preventDefault();
		if (until !== null && (await findings.accept(one, new Date(until).toISOString(), reason.trim()))) asking = false;
	}
</script>

<li data-finding={one.name} data-severity={one.severity}>
	<span class="severity">{say.severity[one.severity] ?? one.severity}</span>
	<span class="what"><b>{one.name}</b> {one.message}<span class="soft mono">{one.file}</span></span>
	<span class="where"><b>{one.service.name}</b><span class="soft">{listed(one.places.map((place) => place.name))}</span></span>
	<span class="how">
		<span>{one.age ? say.since(one.age) : say.new}</span>
		{#each one.mended_by as comes (comes.promotion)}<a class="underline" href="/promotion/{comes.promotion}">{say.mends(comes.version, comes.environment.name)}</a>{:else}<span class="soft">{say.nothingMends}</span>{/each}
		{#if accepted}<span class="held">{accepted.holds ? say.held((accepted.granted_by ?? accepted.asked_by).name, date(accepted.until), accepted.reason) : over ? say.back(accepted.asked_by.name, date(accepted.until)) : say.asked(accepted.asked_by.name, date(accepted.until), accepted.reason)}</span>{/if}
	</span>
	<span class="acts">
		{#if session.may('decide')}
			{#if accepted?.mine_to_grant}<button class="button main" disabled={findings.busy} onclick={() => findings.grant(accepted.id)}>{say.grant}</button>{/if}
			{#if accepted && !over}<button class="button quiet" disabled={findings.busy} onclick={() => findings.end(accepted.id)}>{say.end}</button>
			{:else if !asking}<button class="button quiet" onclick={() => ([asking, until] = [true, now + MONTH])}>{say.acts}</button>{/if}
		{/if}
	</span>
	{#if asking}
		<form class="indented" onsubmit={accept}>
			<label for="{id}-until">{say.until}</label>
			<Instant id="{id}-until" bind:at={until} {zone} required />
			<label for="{id}-why">{say.why}</label>
			<textarea id="{id}-why" class="field" rows="2" maxlength="2000" required bind:value={reason}></textarea>
			<p class="soft">{grave ? say.twoHint : say.oneHint}</p>
			<div class="both"><button class="button main" disabled={findings.busy || until === null || !reason.trim()}>{say.accept}</button><button class="button quiet" type="button" onclick={() => (asking = false)}>{say.cancel}</button></div>
		</form>
	{/if}
</li>

<style>
	li {
		display: grid;
		grid-template-columns: 5.4rem minmax(0, 1.5fr) minmax(0, 1fr) minmax(0, 1.2fr) auto;
		gap: 0 16px;
		align-items: start;
		padding: 7px 0;
		border-bottom: 1px solid var(--hair);
		line-height: 1.3;
	}
	.what,
	.where,
	.how {
		display: grid;
		min-width: 0;
		overflow-wrap: anywhere;
	}
	.what {
		display: block;
	}
	.soft {
		font-size: var(--text-small);
	}
	.what .mono {
		display: block;
	}
	/* The graver, the more ink: filled, framed, ruled. */
	.severity {
		justify-self: start;
		padding: 0 0.4rem;
		border-bottom: 1.5px solid var(--ink-soft);
		font-family: var(--serif);
		font-variant-caps: all-small-caps;
		font-weight: 700;
		letter-spacing: 0.05em;
	}
	[data-severity='critical'] .severity {
		background: var(--wax);
		color: var(--paper);
		border: 0;
	}
	[data-severity='high'] .severity,
	[data-severity='unrated'] .severity {
		border: 1.5px solid var(--wax);
		color: var(--wax);
	}
	.held {
		padding-left: 0.5rem;
		border-left: 3px solid var(--ochre);
	}
	.acts,
	.both {
		display: flex;
		gap: 0.5rem;
	}
	form {
		grid-column: 2 / -1;
		max-width: 34rem;
	}
	@media (max-width: 900px) {
		li {
			grid-template-columns: 5.4rem minmax(0, 1fr);
		}
		li > :not(.severity) {
			grid-column: 2;
		}
	}
</style>
