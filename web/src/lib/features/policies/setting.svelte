<!-- One setting of a rule as a field; rows and groups hold settings of their own. What is typed stays as typed. -->
<script lang="ts">
	import { blank, shown, valueOf, type Property } from '$lib/api/json-schema';
	import Field from '$lib/features/set-up/field.svelte';
	import { capital, DAYS } from '$lib/words';
	import { common } from '$lib/words/common';
	import { setting as say } from '$lib/words/policies';
	import Setting from './setting.svelte';
	import Settings from './settings.svelte';

	type Path = (string | number)[];
	type Props = {
		property: Property;
		value: unknown;
		path: Path;
		/** Without what it is for: in rows it would be said again and again. */
		brief?: boolean;
		faultAt: (path: Path) => string;
		onwrite: (path: Path, value: unknown) => void;
		ondrop: (() => void) | null;
	};
	let { property, value, path, brief = false, faultAt, onwrite, ondrop }: Props = $props();

	// svelte-ignore state_referenced_locally
	let text = $state(shown(value ?? (property.needed ? undefined : property.initial)));
	/** So that those after one that is taken away are not shown with what was typed before them. */
	let generation = $state(0);
	const rows = $derived(Array.isArray(value) ? (value as Record<string, unknown>[]) : []);
	const chosen = $derived(Array.isArray(value) ? (value as string[]) : []);

	function type() {
		onwrite(path, valueOf(property, text));
	}
	function toggle(choice: string) {
		const next = property.choices.filter((one) => chosen.includes(one) !== (one === choice));
		onwrite(path, next.length || property.needed ? next : undefined);
	}
	/** What a choice is called: days by their names. */
	function named(choice: string): string {
		return property.called[choice] ?? DAYS.find((day) => day.id === choice)?.name ?? capital(choice);
	}
</script>

{#if property.kind === 'rows' || property.kind === 'group'}
	<fieldset class="rows">
		<legend>{property.label}{#if ondrop}{@render drop()}{/if}</legend>
		{#if property.hint && !brief}<p class="about">{property.hint}</p>{/if}
		{#if property.kind === 'group'}
			<div class="row"><Settings properties={property.of} value={(value ?? {}) as Record<string, unknown>} {path} brief {faultAt} {onwrite} /></div>
		{:else}
			{#each rows as row, n (`${generation}/${n}`)}
				<div class="row">
					<Settings properties={property.of} value={row} path={[...path, n]} brief {faultAt} {onwrite} />
					<button type="button" class="less" aria-label={say.takeAwayNth(property.label.toLowerCase(), n + 1)} title={say.takeAway} onclick={() => (onwrite([...path, n], undefined), (generation += 1))}>×</button>
				</div>
			{/each}
			<button type="button" class="more underline" onclick={() => onwrite([...path, rows.length], blank(property.of))}>{say.oneMore}</button>
		{/if}
		{#if faultAt(path)}<p class="about fault">{faultAt(path)}</p>{/if}
	</fieldset>
{:else if property.kind === 'choices'}
	<fieldset class="choices">
		<legend>{property.label}{#if ondrop}{@render drop()}{/if}</legend>
		<span class="all">
			{#each property.choices as choice (choice)}
				<label><input type="checkbox" checked={chosen.includes(choice)} onchange={() => toggle(choice)} />{named(choice)}</label>
			{/each}
		</span>
		{#if faultAt(path)}<p class="about fault">{faultAt(path)}</p>{/if}
	</fieldset>
{:else}
	<div class="one" class:wide={property.name === 'title' || property.kind === 'text' && !brief}>
		<Field label={property.label} hint={brief ? '' : property.hint} fault={faultAt(path)}>
			{#snippet children({ id })}
				{#if property.kind === 'yes'}
					<select {id} class="field" bind:value={text} onchange={type}><option value="false">{common.no}</option><option value="true">{common.yes}</option></select>
				{:else if property.kind === 'choice'}
					<select {id} class="field" bind:value={text} onchange={type}>
						{#if !property.choices.includes(text)}<option value={text}>{text}</option>{/if}
						{#each property.choices as choice (choice)}<option value={choice}>{named(choice)}</option>{/each}
					</select>
				{:else}
					<input {id} class="field" required={property.needed} inputmode={property.kind === 'number' ? 'decimal' : undefined} placeholder={property.kind === 'duration' ? '2 h' : undefined} bind:value={text} oninput={type} />
				{/if}
			{/snippet}
		</Field>
		{#if ondrop}{@render drop()}{/if}
	</div>
{/if}

{#snippet drop()}
	<button type="button" class="less" aria-label={say.leaveOut(property.label.toLowerCase())} title={say.leaveItOut} onclick={ondrop}>×</button>
{/snippet}

<style>
	.one {
		position: relative;
	}
	.wide,
	.choices {
		grid-column: 1 / -1;
	}
	.one > .less {
		position: absolute;
		top: 0;
		right: 0;
	}
	.rows,
	.choices {
		min-width: 0;
	}
	.rows {
		grid-column: 1 / -1;
	}
	legend {
		font-weight: 600;
	}
	.row {
		display: flex;
		gap: 0.8rem;
		align-items: start;
		padding: 4px 0 6px;
		border-bottom: 1px solid var(--hair);
	}
	.all {
		display: flex;
		flex-wrap: wrap;
		gap: 0 0.8rem;
	}
	.all label {
		display: flex;
		gap: 0.3rem;
		align-items: center;
		font-weight: 400;
	}
	.less {
		padding: 0 6px;
		color: var(--ink-soft);
		cursor: pointer;
		font-weight: 400;
	}
	.less:hover {
		color: var(--wax);
	}
	.more {
		padding-top: 4px;
		cursor: pointer;
	}
</style>
