<!-- A list of services, routes or environments: each opens to its form, and a new one is begun below. -->
<script lang="ts" generics="T extends { title: string }, More extends object">
	import Back from '$lib/ui/back.svelte';
	import { common } from '$lib/words/common';
	import { fields, removal } from '$lib/words/set-up';
	import { page } from '$app/state';
	import { sure } from '$lib/state/asked.svelte';
	import { untrack } from 'svelte';
	import type { Snippet } from 'svelte';
	import Field from './field.svelte';
	import Seconding from './seconding.svelte';
	import type { Landscape } from './landscape.svelte';

	type Props = {
		setting: Landscape<T, More>;
		/** In the order in which they stand. */
		entries: [string, T][];
		/** Of the grid in which a line stands. */
		columns: string;
		called: string;
		say: { none: string; begin: string; nameHint: string };
		/** What would be kept cannot be kept yet. */
		unfinished?: boolean;
		line: Snippet<[T]>;
		more: Snippet<[T]>;
	};
	const example = page.url.searchParams.get('begin') === 'example';
	let begun = false;
	let says = $state('');
	$effect(() => {
		if (example && !begun && setting.found && setting.mayChange) {
			begun = true;
			untrack(() => setting.begin(true));
		}
	});
	async function drop(title: string) {
		if (!(await sure(removal.ask(title), common.takeItAway))) return;
		const how = await setting.drop();
		if (how) says = removal.done[how](title);
	}
	let { setting, entries, columns, called, say, unfinished = false, line, more }: Props = $props();
</script>

<Seconding kinds={[setting.kind]} outcome={setting.outcome} onchange={() => void setting.load()} />
{#if setting.found}
	{#if says}<p role="status">{says}</p>{/if}
	<ul class="lines">
		{#each entries as [id, one] (id)}
			<li>
				<button class="line" style:--line={columns} aria-expanded={setting.open === id} onclick={() => setting.edit(id)}>{@render line(one)}</button>
				{#if setting.open === id && setting.draft}{@render form(setting.draft)}{/if}
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	{#if setting.mayChange}
		<div class="anew"><button class="button quiet" onclick={() => setting.begin()}>{say.begin}</button></div>
		{#if setting.anew && setting.draft}{@render form(setting.draft)}{/if}
	{:else}<p class="soft">{common.administratorsOnly}</p>{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

{#snippet form(draft: T)}
	<form class="form" onsubmit={(event) => (event.preventDefault(), void setting.keep())}>
		<fieldset disabled={!setting.mayChange}>
			<legend class="label">{called}</legend>
			{#if setting.anew}
				<Field label={common.name} hint={say.nameHint} fault={setting.faults['/name']} check={(name) => (name in (setting.found?.things ?? {}) ? fields.taken : '')}>
					{#snippet children({ id })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="63" bind:value={setting.name} />{/snippet}
				</Field>
			{/if}
			<Field label={common.title} hint={common.titleHint} fault={setting.faults['/title']}>
				{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={draft.title} />{/snippet}
			</Field>
			{@render more(draft)}
		</fieldset>
		<Back typed={setting.typed} />
		{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
		<div class="acts">
			<button class="button main" disabled={!setting.mayChange || setting.busy || unfinished}>{common.keepIt}</button>
			<button class="button quiet" type="button" onclick={() => setting.close()}>{common.leaveIt}</button>
			{#if setting.mayChange && !setting.anew}<button class="button quiet" type="button" disabled={setting.busy} onclick={() => void drop(draft.title)}>{common.takeItAway}</button>{/if}
		</div>
	</form>
{/snippet}
