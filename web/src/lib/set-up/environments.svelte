<!-- Environments: where releases go, in which zone, and how what is cleared departs. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { duration, shown } from '$lib/schema';
	import { city, isZone } from '$lib/time';
	import { DAYS } from '$lib/words';
	import { common } from '$lib/words/common';
	import { environments as say, fields } from '$lib/words/set-up';
	import Back from '$lib/parts/back.svelte';
	import Field from './field.svelte';
	import { Landscape } from './landscape.svelte';

	type Environment = Schemas['Environment'];
	const ZONES = Intl.supportedValuesOf('timeZone');
	const setting = new Landscape<Environment, object>(
		async () => ({ things: await data(api.GET('/api/environments')) }),
		(name) => api.GET('/api/environments/{name}', { params: { path: { name } } }),
		(name, body, header) => data(api.PUT('/api/environments/{name}', { params: { path: { name }, header }, body })),
		() => ({ title: '', zone: Intl.DateTimeFormat().resolvedOptions().timeZone, departs: 'by deployer', timetable: null, template: null }),
		'environment'
	);
	$effect(() => void setting.load());

	const ordered = $derived(Object.entries(setting.found?.things ?? {}).sort(([, a], [, b]) => Number(a.departs === 'never') - Number(b.departs === 'never') || a.title.localeCompare(b.title)));

	function inWords(days: readonly string[]): string {
		const on = DAYS.filter((day) => days.includes(day.id)).map((day) => day.name);
		const row = on.length > 2 && DAYS.findIndex((day) => day.name === on.at(-1)) - DAYS.findIndex((day) => day.name === on[0]) === on.length - 1;
		return row ? say.days(on[0] ?? '', on.at(-1) ?? '') : on.join(', ');
	}
	function leaves(one: Environment): string {
		if (one.template) return say.previewsLast(shown(one.template.lasts));
		if (!one.timetable) return say.ways[one.departs];
		return say.at([...one.timetable.at].sort(), inWords(one.timetable.days));
	}
	function chosen(departs: Environment['departs']) {
		if (!setting.draft) return;
		setting.draft.departs = departs;
		if (departs !== 'never') setting.draft.template = null;
		setting.draft.timetable = departs === 'by timetable' ? (setting.draft.timetable ?? { days: ['MO', 'TU', 'WE', 'TH', 'FR'], at: ['07:00'], asks: false }) : null;
	}
	const TIME = /^([01]\d|2[0-3]):[0-5]\d$/;
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
					<b>{one.title}</b><span>{city(one.zone)}</span><span>{say.departsHow(leaves(one))}</span>
				</button>
				{#if setting.open === id}{@render form()}{/if}
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	{#if setting.mayChange}
		<div class="anew"><button class="button quiet" onclick={() => setting.begin()}>{say.setUpAnEnvironment}</button></div>
		{#if setting.anew}{@render form()}{/if}
	{:else}<p class="soft">{common.administratorsOnly}</p>{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

{#snippet form()}
	{@const table = setting.draft!.timetable}
	{@const template = setting.draft!.template}
	<form class="form" onsubmit={(event) => (event.preventDefault(), void setting.keep())}>
		<fieldset disabled={!setting.mayChange}>
			<legend class="label">{common.environment}</legend>
			{#if setting.anew}
				<Field label={common.name} hint={say.nameHint} fault={setting.faults['/name']} check={(name) => (name in (setting.found?.things ?? {}) ? fields.taken : '')}>
					{#snippet children({ id })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="63" bind:value={setting.name} />{/snippet}
				</Field>
			{/if}
			<Field label={common.title} hint={common.titleHint} fault={setting.faults['/title']}>
				{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={setting.draft!.title} />{/snippet}
			</Field>
			<Field label={common.zone} hint={say.zoneHint} fault={setting.faults['/zone']} check={(zone) => (isZone(zone) ? '' : fields.noZone)}>
				{#snippet children({ id })}<input {id} class="field" required list="zones" bind:value={setting.draft!.zone} />{/snippet}
			</Field>
			<Field label={say.departs} fault={setting.faults['/departs']}>
				{#snippet children({ id })}<select {id} class="field" value={setting.draft!.departs} onchange={(event) => chosen(event.currentTarget.value as Environment['departs'])}>{#each Object.entries(say.ways) as [value, says] (value)}<option {value}>{says}</option>{/each}</select>{/snippet}
			</Field>
			{#if table}
				<Field label={say.setTimes} hint={say.setTimesHint} fault={setting.faults['/timetable/at']} check={(text) => (timesOf(text).every((one) => TIME.test(one)) ? '' : fields.noTimes)}>
					{#snippet children({ id })}<input {id} class="field mono" required value={table.at.join(' ')} onchange={(event) => (table.at = timesOf(event.currentTarget.value))} />{/snippet}
				</Field>
				<div class="days" role="group" aria-label={say.onWhichDays}>
					{#each DAYS as day (day.id)}<label><input type="checkbox" checked={table.days.includes(day.id)} onchange={() => toggled(table, day.id)} /> {day.name}</label>{/each}
				</div>
				<label><input type="checkbox" bind:checked={table.asks} /> {say.pulls}</label>
			{/if}
			{#if setting.draft!.departs === 'never'}
				<label class="wide"><input type="checkbox" checked={setting.draft!.template !== null} onchange={(event) => (setting.draft!.template = event.currentTarget.checked ? { departs: 'at once', lasts: 'P3D' } : null)} /> {say.previews} <span class="mono">{say.anything(setting.name || 'name')}</span></label>
			{/if}
			{#if template}
				<Field label={say.eachPreviewDeparts} fault={setting.faults['/template/departs']}>
					{#snippet children({ id })}<select {id} class="field" bind:value={template.departs}><option value="at once">{say.ways['at once']}</option><option value="by deployer">{say.ways['by deployer']}</option></select>{/snippet}
				</Field>
				<Field label={say.eachPreviewLasts} hint={say.lastsHint} fault={setting.faults['/template/lasts']} check={(text) => (duration(text.trim()).startsWith('P') ? '' : fields.noSpan)}>
					{#snippet children({ id })}<input {id} class="field" required value={shown(template.lasts)} onchange={(event) => (template.lasts = duration(event.currentTarget.value.trim()))} />{/snippet}
				</Field>
			{/if}
		</fieldset>
		<datalist id="zones">{#each ZONES as zone (zone)}<option value={zone}></option>{/each}</datalist>
		<Back typed={setting.typed} />
		{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
		<div class="acts"><button class="button main" disabled={!setting.mayChange || setting.busy}>{common.keepIt}</button> <button class="button quiet" type="button" onclick={() => setting.close()}>{common.leaveIt}</button></div>
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
