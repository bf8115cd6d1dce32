<!-- Environments: where releases go, in which zone, and how what is cleared departs. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { duration, shown } from '$lib/schema';
	import { city } from '$lib/time';
	import { DAYS } from '$lib/words';
	import Field from './field.svelte';
	import { Landscape } from './landscape.svelte';

	type Environment = Schemas['Environment'];
	const DEPARTS: Record<Environment['departs'], string> = {
		'at once': 'as soon as it is cleared',
		'by deployer': 'when its deployer says so',
		'by timetable': 'at set times',
		never: 'never: others inherit its policy'
	};
	const ZONES = Intl.supportedValuesOf('timeZone');
	const setting = new Landscape<Environment, object>(
		async () => ({ things: await data(api.GET('/api/environments')) }),
		(name) => api.GET('/api/environments/{name}', { params: { path: { name } } }),
		(name, body, header) => data(api.PUT('/api/environments/{name}', { params: { path: { name }, header }, body })),
		() => ({ title: '', zone: Intl.DateTimeFormat().resolvedOptions().timeZone, departs: 'by deployer', timetable: null, template: null })
	);
	$effect(() => void setting.load());

	const ordered = $derived(Object.entries(setting.found?.things ?? {}).sort(([, a], [, b]) => Number(a.departs === 'never') - Number(b.departs === 'never') || a.title.localeCompare(b.title)));

	function inWords(days: readonly string[]): string {
		const on = DAYS.filter((day) => days.includes(day.id)).map((day) => day.name);
		const row = on.length > 2 && DAYS.findIndex((day) => day.name === on.at(-1)) - DAYS.findIndex((day) => day.name === on[0]) === on.length - 1;
		return row ? `${on[0]} to ${on.at(-1)}` : on.join(', ');
	}
	function leaves(one: Environment): string {
		if (one.template) return `never; previews made from it last ${shown(one.template.lasts)}`;
		if (!one.timetable) return DEPARTS[one.departs];
		return `at ${[...one.timetable.at].sort().join(', ')} on ${inWords(one.timetable.days)}`;
	}
	function chosen(departs: Environment['departs']) {
		if (!setting.draft) return;
		setting.draft.departs = departs;
		if (departs !== 'never') setting.draft.template = null;
		setting.draft.timetable = departs === 'by timetable' ? (setting.draft.timetable ?? { days: ['MO', 'TU', 'WE', 'TH', 'FR'], at: ['07:00'], asks: false }) : null;
	}
	function timesOf(text: string): string[] {
		return text.split(/[\s,]+/).filter(Boolean);
	}
	type Timetable = NonNullable<Environment['timetable']>;
	function toggled(table: Timetable, day: string) {
		const days = table.days.includes(day as Timetable['days'][number]) ? table.days.filter((one) => one !== day) : [...table.days, day];
		table.days = days as Timetable['days'];
	}
</script>

{#if setting.found}
	<ul class="lines">
		{#each ordered as [id, one] (id)}
			<li>
				<button class="line" aria-expanded={setting.open === id} onclick={() => setting.edit(id)}>
					<b>{one.title}</b><span>{city(one.zone)}</span><span>departs {leaves(one)}</span>
				</button>
				{#if setting.open === id}{@render form()}{/if}
			</li>
		{:else}
			<li class="soft empty">No environment yet. Nothing can be asked for where there is none.</li>
		{/each}
	</ul>
	{#if setting.mayChange}
		<div class="anew"><button class="button quiet" onclick={() => setting.begin()}>Set up an environment</button></div>
		{#if setting.anew}{@render form()}{/if}
	{:else}<p class="soft">Administrators change these.</p>{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

{#snippet form()}
	{@const table = setting.draft!.timetable}
	{@const template = setting.draft!.template}
	<form class="form" onsubmit={(event) => (event.preventDefault(), void setting.keep())}>
		<fieldset disabled={!setting.mayChange}>
			<legend class="label">Environment</legend>
			{#if setting.anew}
				<Field label="Name" hint="Small letters, figures and hyphens; policies and pipelines call it by this." fault={setting.faults['/name']}>
					{#snippet children({ id, describedby })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="63" aria-describedby={describedby} bind:value={setting.name} />{/snippet}
				</Field>
			{/if}
			<Field label="Title" hint="What sentences call it." fault={setting.faults['/title']}>
				{#snippet children({ id, describedby })}<input {id} class="field" required maxlength="80" aria-describedby={describedby} bind:value={setting.draft!.title} />{/snippet}
			</Field>
			<Field label="Zone" hint="Its clocks, such as Europe/Rome." fault={setting.faults['/zone']}>
				{#snippet children({ id, describedby })}<input {id} class="field" required list="zones" aria-describedby={describedby} bind:value={setting.draft!.zone} />{/snippet}
			</Field>
			<Field label="Departs" fault={setting.faults['/departs']}>
				{#snippet children({ id })}<select {id} class="field" value={setting.draft!.departs} onchange={(event) => chosen(event.currentTarget.value as Environment['departs'])}>{#each Object.entries(DEPARTS) as [value, says] (value)}<option {value}>{says}</option>{/each}</select>{/snippet}
			</Field>
			{#if table}
				<Field label="Set times" hint="Of its own clock, such as 07:00 12:00." fault={setting.faults['/timetable/at']}>
					{#snippet children({ id, describedby })}<input {id} class="field mono" required aria-describedby={describedby} value={table.at.join(' ')} onchange={(event) => (table.at = timesOf(event.currentTarget.value))} />{/snippet}
				</Field>
				<div class="days" role="group" aria-label="On which days">
					{#each DAYS as day (day.id)}<label><input type="checkbox" checked={table.days.includes(day.id)} onchange={() => toggled(table, day.id)} /> {day.name}</label>{/each}
				</div>
				<label><input type="checkbox" bind:checked={table.asks} /> What landed in the leg before is asked for by itself</label>
			{/if}
			{#if setting.draft!.departs === 'never'}
				<label class="wide"><input type="checkbox" checked={setting.draft!.template !== null} onchange={(event) => (setting.draft!.template = event.currentTarget.checked ? { departs: 'at once', lasts: 'P3D' } : null)} /> Previews are made from it: whatever is asked for as <span class="mono">{setting.name || 'name'}/anything</span></label>
			{/if}
			{#if template}
				<Field label="Each preview departs" fault={setting.faults['/template/departs']}>
					{#snippet children({ id })}<select {id} class="field" bind:value={template.departs}><option value="at once">{DEPARTS['at once']}</option><option value="by deployer">{DEPARTS['by deployer']}</option></select>{/snippet}
				</Field>
				<Field label="Each preview lasts" hint="Such as 12 h or 3 days; then it is removed, and its history stays." fault={setting.faults['/template/lasts']}>
					{#snippet children({ id, describedby, invalid })}<input {id} class="field" required aria-describedby={describedby} aria-invalid={invalid} value={shown(template.lasts)} onchange={(event) => (template.lasts = duration(event.currentTarget.value.trim()))} />{/snippet}
				</Field>
			{/if}
		</fieldset>
		<datalist id="zones">{#each ZONES as zone (zone)}<option value={zone}></option>{/each}</datalist>
		{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
		<div class="acts"><button class="button main" disabled={!setting.mayChange || setting.busy}>Keep it</button> <button class="button quiet" type="button" onclick={() => setting.close()}>Leave it</button></div>
	</form>
{/snippet}

<style>
	.line {
		--line: minmax(0, 1fr) minmax(0, 0.6fr) minmax(0, 1.8fr);
	}
	.days {
		display: flex;
		flex-wrap: wrap;
		gap: 0.8rem;
	}
</style>
