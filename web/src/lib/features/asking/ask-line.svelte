<!-- One release that is asked for: of which service, into where, what for. -->
<script lang="ts">
	import type { Asking, AskState } from './ask.svelte';
	import { ask as say } from '$lib/words/ask';
	import Landings from '$lib/features/landed/landings.svelte';
	import { common } from '$lib/words/common';
	let { state: asking, line = $bindable(), onremove }: { state: AskState; line: Asking; onremove?: (() => void) | undefined } = $props();

	const versions = $derived(asking.versions[line.service] ?? []);
	const id = $props.id();

	async function chosen(service: string) {
		line = { ...line, service, version: '', to: '' };
		await asking.chosen(service);
	}
</script>

<fieldset>
	<label for="{id}-service">{common.service}</label>
	<select id="{id}-service" class="field" required value={line.service} onchange={(event) => chosen(event.currentTarget.value)}>
		<option value="">{say.choose}</option>
		{#each Object.entries(asking.services) as [name, one] (name)}<option value={name}>{one.title}</option>{/each}
	</select>
	<label for="{id}-version">{say.release}</label>
	<select id="{id}-version" class="field mono" required disabled={!line.service} bind:value={line.version}>
		<option value="">{say.choose}</option>
		{#each versions as version (version)}<option>{version}</option>{/each}
	</select>
	<label for="{id}-to">{say.into}</label>
	<select id="{id}-to" class="field" required disabled={!line.service} bind:value={line.to}>
		<option value="">{say.choose}</option>
		{#each asking.stops(line.service) as [name, title] (name)}<option value={name}>{title}</option>{/each}
	</select>
	<label for="{id}-kind">{say.what}</label>
	<select id="{id}-kind" class="field" bind:value={line.kind}>{#each Object.entries(say.kinds) as [kind, words] (kind)}<option value={kind}>{words}</option>{/each}</select>
	{#if onremove}<button class="underline" type="button" onclick={onremove}>{say.remove}</button>{/if}
	{#if line.service && asking.versions[line.service]?.length === 0}<p class="soft">{say.noReleases}</p>{/if}
</fieldset>
{#if line.kind === 'rollback' && line.service && line.to}<Landings service={line.service} environment={line.to} place={asking.places[line.to]?.title ?? line.to} bind:version={line.version} />{/if}

<style>
	fieldset {
		display: grid;
		grid-template-columns: repeat(4, minmax(0, 1fr)) auto;
		grid-auto-flow: column;
		grid-template-rows: auto auto auto;
		gap: 0.2rem 0.8rem;
		align-items: end;
		padding: 0.5rem 0;
		border-bottom: 1px solid var(--hair);
	}
	label {
		grid-row: 1;
		font-weight: 600;
		font-size: var(--text-note);
	}
	select,
	button {
		grid-row: 2;
	}
	p {
		grid-row: 3;
		grid-column: 1 / -1;
	}
	@media (max-width: 760px) {
		fieldset {
			grid-template-columns: 1fr;
			grid-auto-flow: row;
			grid-template-rows: none;
		}
		label,
		select,
		button,
		p {
			grid-row: auto;
		}
	}
</style>
