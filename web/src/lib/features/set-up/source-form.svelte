<!-- The settings of one source, which can be tried before they are kept. -->
<script lang="ts">
	import type { Source } from '$lib/api/client';
	import { sure } from '$lib/state/asked.svelte';
	import Back from '$lib/ui/back.svelte';
	import { common } from '$lib/words/common';
	import { sources as say } from '$lib/words/outside';
	import Field from './field.svelte';
	import type { SourceEditing } from './source-editing.svelte';

	let { state, open }: { state: SourceEditing; open: NonNullable<SourceEditing['open']> } = $props();

	const known = $derived(state.known);
	const tested = $derived(state.tested);

	async function drop(source: Source) {
		if (await sure(say.takeAway(source.title), common.takeItAway)) await state.drop(source);
	}
</script>

<form class="form" onsubmit={(event) => (event.preventDefault(), void state.keep())}>
	<fieldset disabled={!state.mayChange}>
		<legend class="label">{say.kinds[open.kind].title}</legend>
		<Field label={common.title} hint={common.titleHint} fault={state.faults['/title']}>
			{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={state.title} />{/snippet}
		</Field>
		{#if open.anew}
			<Field label={common.name} hint={say.nameHint} fault={state.faults['/name']}>
				{#snippet children({ id })}<input {id} class="field" required pattern="[a-z0-9][a-z0-9\-]*" bind:value={state.open!.id} />{/snippet}
			</Field>
		{/if}
		<Field label={say.secret} hint={known?.has_secret ? say.secretKept : say.secretHint}>
			{#snippet children({ id })}<input {id} class="field" type="password" autocomplete="off" bind:value={state.secret} />{/snippet}
		</Field>
		{#each state.fields as one (one.name)}
			<Field label={one.label} hint={one.hint} fault={state.faults[`/settings/${one.name}`]} wide={one.name === 'address'}>
				{#snippet children({ id })}
					{#if one.kind === 'yes'}
						<select {id} class="field" bind:value={state.written[one.name]}><option value="false">{common.no}</option><option value="true">{common.yes}</option></select>
					{:else}
						<input {id} class="field" class:mono={one.kind !== 'number'} required={one.needed} inputmode={one.kind === 'number' ? 'decimal' : undefined} bind:value={state.written[one.name]} />
					{/if}
				{/snippet}
			</Field>
		{/each}
		<div class="try">
			{#if say.kinds[open.kind].asks}
				<Field label={say.askIt} hint={say.kinds[open.kind].asks} fault={state.faults['/ask']}>
					{#snippet children({ id })}<input {id} class="field" bind:value={state.ask} />{/snippet}
				</Field>
			{/if}
			<button type="button" class="button" disabled={state.busy} onclick={() => state.test()}>{say.tryIt}</button>
			<div class="came" aria-live="polite">
				{#if tested}
					<p><b>{tested.works ? say.works : say.fails(tested.says)}</b> <span class="soft">{say.ms(tested.milliseconds)}</span></p>
					<dl>{#each tested.lines as line, n (n)}<dt>{line.label}</dt><dd>{line.value}</dd>{/each}</dl>
				{/if}
			</div>
		</div>
	</fieldset>
	<Back typed={state.typed} />
	{#if state.refused}<p class="refused" role="alert">{state.refused}</p>{/if}
	{#if state.mayChange}
		<div class="acts">
			<button class="button main" disabled={state.busy}>{known ? say.keepTheChanges : say.setItUp}</button>
			<button type="button" class="button quiet" onclick={() => state.close()}>{common.leaveIt}</button>
			{#if known}<button type="button" class="button grave" onclick={() => drop(known)}>{common.takeItAway}</button>{/if}
		</div>
	{/if}
</form>

<style>
	.try {
		grid-column: 1 / -1;
		display: grid;
		grid-template-columns: minmax(0, 320px) auto minmax(0, 1fr);
		gap: 0.8rem;
		align-items: start;
		padding: 0.6rem 0;
		border-top: 1px solid var(--hair);
	}
	.try > .button {
		margin-top: 1.3rem;
	}
	.came dl {
		display: grid;
		grid-template-columns: auto minmax(0, 1fr);
		column-gap: 0.8rem;
		font-size: var(--text-note);
	}
	.came dd {
		overflow-wrap: anywhere;
	}
	.came dt {
		color: var(--ink-soft);
	}
	@media (max-width: 900px) {
		.try {
			grid-template-columns: minmax(0, 1fr);
			gap: 0.2rem;
		}
	}
</style>
