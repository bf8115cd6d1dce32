<!-- The freeze that is drawn, in words and figures, and what it would delay. -->
<script lang="ts">
	import type { Writing } from '$lib/features/policies/writing.svelte';
	import { city, when } from '$lib/time/time';
	import Instant from '$lib/ui/instant.svelte';
	import { calendar as say } from '$lib/words/calendar';
	import { common } from '$lib/words/common';
	import type { Drawing, Shape } from './drawing.svelte';

	let { drawing, shape, writing, now }: { drawing: Drawing; shape: Shape; writing: Writing; now: number } = $props();

	const delayed = $derived(writing.preview?.flips ?? []);
	const moment = (at: string | null) => (at ? when(new Date(at), shape.zone, new Date(now)) : null);

	/** Whoever opened the form without a pointer goes on in it. */
	function focusedByKey(field: HTMLInputElement) {
		if (shape.keyed || document.activeElement instanceof HTMLButtonElement) field.focus();
	}
</script>

<form class="drawing" aria-label={say.aFreezeDrawnByHand} onsubmit={(event) => { event.preventDefault(); void drawing.keep(); }}>
	<h2>{shape.moved ? say.move(shape.title) : say.close(shape.title)}</h2>
	<div class="what">
		<label>{common.name} <input class="field" {@attach focusedByKey} required maxlength="80" value={shape.name} oninput={(event) => drawing.change({ name: event.currentTarget.value })} /></label>
		<label>{common.from} <Instant at={shape.from} zone={shape.zone} onchange={(from) => drawing.change({ from })} /></label>
		<label>{common.until} <Instant at={shape.until} zone={shape.zone} onchange={(until) => drawing.change({ until })} /></label>
		<span class="soft">{say.byTheClockOf(city(shape.zone))}</span>
		{#if shape.again}
			<fieldset>
				<legend>{say.recurring}</legend>
				<label><input type="radio" name="all" checked={!shape.all} onchange={() => drawing.change({ all: false })} /> {say.onlyThis}</label>
				<label><input type="radio" name="all" checked={shape.all} onchange={() => drawing.change({ all: true })} /> {say.everyOne}</label>
			</fieldset>
		{/if}
		<p>
			<button class="button main" disabled={writing.busy || writing.refused !== ''}>{common.keepAsADraft}</button>
			<button class="button quiet" type="button" onclick={() => drawing.leave()}>{common.leaveIt} <kbd>Esc</kbd></button>
		</p>
	</div>
	<div class="effect" aria-live="polite">
		{#if writing.refused}
			<p role="alert">{writing.refused} {writing.faults.map((fault) => fault.reason).join('; ')}</p>
		{:else if writing.preview}
			<p>
				<b>{delayed.length === 0 ? say.delaysNothing : say.touches(delayed.length, writing.preview.pending)}</b>
				{#if writing.preview.approvals}{say.lapse(writing.preview.approvals)}{/if}
			</p>
			<ul>
				{#each delayed as flip (flip.number)}
					<li>
						<a href="/promotion/{flip.number}"><b>{flip.service}</b> <span class="mono">{flip.version}</span></a>
						{#if flip.first_start !== flip.would_start}
							{say.firstStart(moment(flip.would_start))}
							<span class="soft">{say.insteadOf(moment(flip.first_start))}</span>
						{:else}{flip.was} → {flip.would_be}{/if}
					</li>
				{/each}
			</ul>
		{/if}
	</div>
</form>

<style>
	/* What it delays stays in sight while it is drawn. */
	.drawing {
		position: sticky;
		bottom: 0;
		padding: 0.5rem 0 0.7rem;
		background: var(--paper);
		border-top: 1.5px solid var(--wax);
	}
	.what {
		display: flex;
		flex-wrap: wrap;
		align-items: end;
		gap: 0.5rem 1rem;
		padding: 0.2rem 0 0.6rem;
	}
	.what > label {
		display: grid;
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	.what .field {
		color: var(--ink);
	}
	legend {
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	.what fieldset label {
		display: block;
		font-size: var(--text-note);
		line-height: 1.4;
	}
	.what p {
		display: flex;
		gap: 0.7rem;
	}
	.effect ul {
		max-height: 22vh;
		overflow: auto;
	}
	.effect li {
		padding: 2px 0;
		border-bottom: 1px solid var(--hair);
	}
</style>
