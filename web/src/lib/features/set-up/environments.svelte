<!-- Environments: where releases go, in which zone, and how what is cleared departs. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { duration, shown } from '$lib/api/json-schema';
	import { city, isZone } from '$lib/time/time';
	import { DAYS } from '$lib/words';
	import { common } from '$lib/words/common';
	import { environments as say, fields } from '$lib/words/set-up';
	import Deployers from './deployers.svelte';
	import Places from './places.svelte';
	import Field from './field.svelte';
	import { Landscape } from './landscape.svelte';
	import Things from './things.svelte';

	type Environment = Schemas['Environment'];
	const ZONES = Intl.supportedValuesOf('timeZone');
	const setting = new Landscape<Environment, object>(
		async () => ({ things: await data(api.GET('/api/environments')) }),
		(name) => api.GET('/api/environments/{name}', { params: { path: { name } } }),
		(name, body, header) => data(api.PUT('/api/environments/{name}', { params: { path: { name }, header }, body })),
		() => ({ title: '', zone: Intl.DateTimeFormat().resolvedOptions().timeZone, departs: 'by deployer', timetable: null, template: null, deployers: null, time_limit: null, address: null, version_from: null }),
		'environment',
		(name) => data(api.DELETE('/api/environments/{name}', { params: { path: { name } } })),
		() => [say.example.name, { title: say.example.title }]
	);
	setting.follow();

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

<Things {setting} entries={ordered} columns="minmax(0, 1fr) minmax(0, 0.6fr) minmax(0, 1.8fr)" called={common.environment} {say}>
	{#snippet line(one)}<b>{one.title}</b><span>{city(one.zone)}</span><span>{say.departsHow(leaves(one))}</span>{/snippet}
	{#snippet more(draft)}
		{@const table = draft.timetable}
		{@const template = draft.template}
		<Field label={common.zone} hint={say.zoneHint} fault={setting.faults['/zone']} check={(zone) => (isZone(zone) ? '' : fields.noZone)}>
			{#snippet children({ id })}<input {id} class="field" required list="zones" bind:value={draft.zone} />{/snippet}
		</Field>
		<Field label={say.departs} fault={setting.faults['/departs']}>
			{#snippet children({ id })}<select {id} class="field" value={draft.departs} onchange={(event) => chosen(event.currentTarget.value as Environment['departs'])}>{#each Object.entries(say.ways) as [value, says] (value)}<option {value}>{says}</option>{/each}</select>{/snippet}
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
		{#if draft.departs === 'never'}
			<label class="wide"><input type="checkbox" checked={draft.template !== null} onchange={(event) => (draft.template = event.currentTarget.checked ? { departs: 'at once', lasts: 'P3D' } : null)} /> {say.previews} <span class="mono">{say.anything(setting.name || 'name')}</span></label>
		{/if}
		{#if template}
			<Field label={say.eachPreviewDeparts} fault={setting.faults['/template/departs']}>
				{#snippet children({ id })}<select {id} class="field" bind:value={template.departs}><option value="at once">{say.ways['at once']}</option><option value="by deployer">{say.ways['by deployer']}</option></select>{/snippet}
			</Field>
			<Field label={say.eachPreviewLasts} hint={say.lastsHint} fault={setting.faults['/template/lasts']} check={(text) => (duration(text.trim()).startsWith('P') ? '' : fields.noSpan)}>
				{#snippet children({ id })}<input {id} class="field" required value={shown(template.lasts)} onchange={(event) => (template.lasts = duration(event.currentTarget.value.trim()))} />{/snippet}
			</Field>
		{/if}
		{#if draft.departs !== 'never'}
			<Field label={say.timeLimit} hint={say.timeLimitHint} fault={setting.faults['/time_limit']} check={(text) => (!text.trim() || duration(text.trim()).startsWith('P') ? '' : fields.noSpan)}>
				{#snippet children({ id })}<input {id} class="field" value={draft.time_limit ? shown(draft.time_limit) : ''} onchange={(event) => (draft.time_limit = event.currentTarget.value.trim() ? duration(event.currentTarget.value.trim()) : null)} />{/snippet}
			</Field>
		{/if}
		{#if draft.departs !== 'never'}<Places {draft} faults={setting.faults} />{/if}
		{#if draft.departs !== 'never'}<Deployers {draft} faults={setting.faults} />{/if}
		<datalist id="zones">{#each ZONES as zone (zone)}<option value={zone}></option>{/each}</datalist>
	{/snippet}
</Things>

<style>
	.days {
		display: flex;
		flex-wrap: wrap;
		gap: 0.8rem;
	}
</style>
