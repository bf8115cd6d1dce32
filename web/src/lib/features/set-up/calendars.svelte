<!-- Shared calendars: what is in them, taken in from and given out as iCalendar. -->
<script lang="ts">
	import { api, data, sendFile, type Schemas } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { date } from '$lib/time/time';
	import { Typed } from '$lib/state/typed.svelte';
	import { common } from '$lib/words/common';
	import { calendars as say } from '$lib/words/outside';
	import Back from '$lib/ui/back.svelte';
	import Field from './field.svelte';
	import Seconding from './seconding.svelte';
	import { Outcome } from './second.svelte';
	import { Setting } from './setting.svelte';

	const setting = new Setting(async () => {
		const [calendars, environments] = await Promise.all([data(api.GET('/api/calendars')), data(api.GET('/api/environments'))]);
		return { calendars, places: Object.entries(environments).filter(([id, one]) => one.departs !== 'never' && !id.includes('/')) };
	});
	const mayImport = $derived(session.may('write policy'));
	const outcome = new Outcome();
	let name = $state('');
	let title = $state('');
	let zone = $state(session.zone);
	let files = $state<FileList | null>(null);

	setting.follow();

	const typed = new Typed(
		() => 'calendar',
		() => ({ name, title, zone }),
		(was) => ({ name, title, zone } = was)
	);

	async function take() {
		const file = files?.[0];
		if (!file) return;
		const query = new URLSearchParams({ title: title || name, zone });
		const done = await setting.send(() => sendFile('PUT', `/api/calendars/${name}/ics?${query}`, file, 'text/calendar'));
		if (!done) return;
		outcome.take((done.value as Schemas['ImportedCalendar']).asked);
		name = title = '';
		typed.sent();
	}

	type Calendar = NonNullable<typeof setting.found>['calendars'][string];
	const day = (text: string) => date(new Date(`${text.slice(0, 10)}T00:00Z`), 'UTC');
	const again = (rule: string) => say.again[/FREQ=(\w+)/.exec(rule)?.[1] ?? ''] ?? say.againAndAgain;
	const feed = (environment: string) => `${location.origin}/api/feeds/TOKEN/${environment}.ics`;
	const windows = (calendar: Calendar) =>
		calendar.windows.map((one) => ({ name: one.name, says: one.every ? say.first(again(one.every), day(one.starting ?? '')) : day(one.from ?? '') }));
</script>

<Seconding kinds={['calendar']} {outcome} onchange={() => void setting.load()} />
{#if setting.found}
	<ul class="lines">
		{#each Object.entries(setting.found.calendars) as [id, calendar] (id)}
			<li class="line">
				<span><b>{calendar.title}</b><span class="soft small">{say.policiesCallIt} <span class="mono">{id}</span>{say.clockOf(calendar.zone)}</span></span>
				<ul class="windows">
					{#each windows(calendar) as one, n (n)}<li>{one.name} <span class="soft">{one.says}</span></li>{:else}<li class="soft">{say.nothingInIt}</li>{/each}
				</ul>
				<a class="button quiet" href="/api/calendars/{id}/ics" download>{common.exportIt}</a>
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	<h2>{say.places}</h2>
	<ul class="lines">
		{#each setting.found.places as [id, place] (id)}
			<li class="line">
				<b>{place.title}</b>
				<span class="soft">{say.subscribe} <span class="mono">{feed(id)}</span></span>
				<a class="button quiet" href="/api/environments/{id}/ics" download>{common.exportIt}</a>
			</li>
		{/each}
	</ul>
	<p class="soft small">{say.token} <a class="underline" href="/set-up/tokens">{say.makeOne}</a></p>
	{#if mayImport}
		<form class="form" onsubmit={(event) => (event.preventDefault(), void take())}>
			<fieldset>
				<legend class="label">{say.takeInAnIcalendarFile}</legend>
				<Field label={common.name} hint={say.nameHint} fault={setting.faults['/name']}>{#snippet children({ id })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" bind:value={name} />{/snippet}</Field>
				<Field label={common.title} hint={say.titleHint} fault={setting.faults['/title']}>{#snippet children({ id })}<input {id} class="field" bind:value={title} />{/snippet}</Field>
				<Field label={common.zone} hint={say.zoneHint} fault={setting.faults['/zone']}>{#snippet children({ id })}<input {id} class="field" required bind:value={zone} />{/snippet}</Field>
				<Field label={say.file}>{#snippet children({ id })}<input {id} type="file" accept=".ics,text/calendar" required bind:files />{/snippet}</Field>
			</fieldset>
			<Back {typed} />
			{#if setting.refused}
				<div class="refused" role="alert"><p>{setting.refused}</p><ul>{#each Object.entries(setting.faults) as [place, why]}<li>{place.slice(1)}: {why}</li>{/each}</ul></div>
			{/if}
			<div class="acts"><button class="button main" disabled={setting.busy}>{say.takeItIn}</button></div>
		</form>
	{:else}<p class="soft">{say.policyOwnersChangeThese}</p>{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	.line {
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(0, 1.6fr) auto;
		gap: 1rem;
		align-items: start;
		padding: 0.5rem 0;
	}
	.small {
		display: block;
		font-size: var(--text-small);
	}
	h2 {
		padding-top: 0.9rem;
	}
	.mono {
		overflow-wrap: anywhere;
	}
	.windows {
		columns: 2;
		font-size: var(--text-note);
	}
	@media (max-width: 900px) {
		.line {
			grid-template-columns: minmax(0, 1fr);
			gap: 0.2rem;
		}
	}
</style>
