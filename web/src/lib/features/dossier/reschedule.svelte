<!-- Putting a promotion off to a start one sets, with a reason; or letting it go as soon as it can again. -->
<script lang="ts">
	import type { DossierState } from './dossier.svelte';
	import { city, HOUR, when } from '$lib/time/time';
	import Instant from '$lib/ui/instant.svelte';
	import { common } from '$lib/words/common';
	import { reschedule as say } from '$lib/words/dossier';
	let { state: dossier }: { state: DossierState } = $props();

	const file = $derived(dossier.file!);
	const zone = $derived(file.row.target.zone);
	const now = $derived(Date.parse(file.at));
	let asking = $state(false);
	let to = $state<number | null>(null);
	let reason = $state('');
	const ahead = $derived(to !== null && to > now);
	const id = $props.id();

	function begin() {
		asking = true;
		const first = file.row.first_start ? Date.parse(file.row.first_start) : now;
		to = Math.ceil((Math.max(first, now) + HOUR) / HOUR) * HOUR;
	}
	async function put(until: string | null) {
		if (await dossier.reschedule(until, reason.trim())) {
			asking = false;
			reason = '';
		}
	}
</script>

{#if file.not_before && !asking}
	<p class="set">
		{say.putOffUntil(when(new Date(file.not_before), zone, new Date(now)), file.put_off_by ?? null)}
		{#if file.may_let_go_earlier}<button class="underline" disabled={dossier.busy !== null} onclick={() => put(null)}>{say.asSoonAsItCan}</button>{/if}
		<button class="underline" onclick={begin}>{say.setAnotherStart}</button>
	</p>
{:else if !asking}
	<button class="ask" onclick={begin}>{say.putItOffUntil}</button>
{:else}
	<form class="indented" aria-label={say.putOff} onsubmit={(event) => (event.preventDefault(), void put(new Date(to!).toISOString()))}>
		<label for="{id}-start">{say.notBefore} <span class="soft">({city(zone)})</span></label>
		<Instant id="{id}-start" {zone} required bind:at={to} />
		<label for="{id}-reason">{common.reason}</label>
		<input id="{id}-reason" class="field" required maxlength="2000" bind:value={reason} />
		<p class="soft">{ahead ? say.stands : say.notAhead}</p>
		<div>
			<button class="button" disabled={!ahead || reason.trim() === '' || dossier.busy !== null}>{say.putItOff}</button>
			<button class="button quiet" type="button" onclick={() => (asking = false)}>{say.keepAsItIs}</button>
		</div>
	</form>
{/if}

<style>
	.ask {
		color: var(--ink-soft);
		text-decoration: underline;
		text-underline-offset: 3px;
		font-size: var(--text-note);
	}
	.set {
		padding: 0.3rem 0;
	}
	.set button {
		margin-right: 0.5em;
	}
	form div {
		display: flex;
		gap: 0.5rem;
	}
</style>
