<!-- Sealed values by service: set and taken away here, never shown again. -->
<script lang="ts">
	import { sure } from '$lib/state/asked.svelte';
	import { session } from '$lib/state/session.svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { api, data } from '$lib/api/client';
	import { when } from '$lib/time/time';
	import { Typed } from '$lib/state/typed.svelte';
	import { common } from '$lib/words/common';
	import { values as say } from '$lib/words/outside';
	import Back from '$lib/ui/back.svelte';
	import Field from './field.svelte';
	import { Setting } from './setting.svelte';

	const asked = $derived(page.url.searchParams.get('service'));
	const setting = new Setting(async () => {
		const wanted = asked;
		const services = await data(api.GET('/api/services'));
		const service = wanted ?? Object.keys(services)[0] ?? '';
		const [values, environments] = await Promise.all([
			service ? data(api.GET('/api/services/{service}/values', { params: { path: { service } } })) : [],
			data(api.GET('/api/environments'))
		]);
		return { services, service, values, environments };
	});
	/** What was chosen a moment ago, before its list has come. */
	let picked = $state<string | null>(null);
	const chosen = $derived(picked ?? asked ?? setting.found?.service ?? '');
	let name = $state('');
	let environment = $state('');
	let value = $state('');

	// Whoever may not change them may not read their names either.
	if (setting.mayChange) setting.follow();

	const typed = new Typed(
		() => `value-${chosen}`,
		() => ({ name, environment }),
		(was) => ({ name, environment } = was),
		() => ({ name: '', environment: '' })
	);

	const place = (at: string | null) => (at ? (setting.found?.environments[at]?.title ?? at) : say.everyOther);
	const enterable = $derived(Object.entries(setting.found?.environments ?? {}).filter(([, one]) => one.departs !== 'never'));

	function pick(service: string) {
		picked = service;
		void goto(`?service=${service}`, { keepFocus: true });
	}

	async function keep() {
		const service = chosen;
		const params = { path: { service, name }, query: environment ? { environment } : {} };
		if (await setting.send(() => data(api.PUT('/api/services/{service}/values/{name}', { params, body: { value } })))) name = environment = value = '';
	}

	async function drop(one: string, at: string | null) {
		const service = chosen;
		if (!(await sure(say.takeAway(one), common.takeItAway))) return;
		const params = { path: { service, name: one }, query: at ? { environment: at } : {} };
		await setting.send(() => data(api.DELETE('/api/services/{service}/values/{name}', { params })));
	}
</script>

{#if !setting.mayChange}
	<p class="empty">{say.who}</p>
{:else if setting.found}
	{@const found = setting.found}
	<label class="service">{common.service}
		<select class="field" value={chosen} onchange={(event) => pick(event.currentTarget.value)}>
			{#each Object.entries(found.services) as [id, one] (id)}<option value={id}>{one.title}</option>{/each}
		</select>
	</label>
	<ul class="lines" aria-busy={found.service !== chosen}>
		{#each found.service === chosen ? found.values : [] as one (`${one.name}/${one.environment}`)}
			<li class="line">
				<b class="mono">{one.name}</b>
				<span>{say.forPlace(place(one.environment))}</span>
				<span class="soft">{say.setBy(one.set_by.name, when(new Date(one.set_at), session.zone, new Date()))}</span>
				<button class="button quiet" onclick={() => drop(one.name, one.environment)}>{common.takeItAway}</button>
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	<form class="form" onsubmit={(event) => (event.preventDefault(), void keep())}>
		<fieldset>
			<legend class="label">{say.setAValue}</legend>
			<Field label={common.name} hint={say.nameHint} fault={setting.faults['/name']}>{#snippet children({ id })}<input {id} class="field mono" required pattern="[A-Za-z_][A-Za-z0-9_.\-]*" bind:value={name} />{/snippet}</Field>
			<Field label={say.for} fault={setting.faults['/environment']}>
				{#snippet children({ id })}<select {id} class="field" bind:value={environment}><option value="">{say.everyOther}</option>{#each enterable as [key, one] (key)}<option value={key}>{one.title}</option>{/each}</select>{/snippet}
			</Field>
			<Field label={say.value} hint={say.valueHint} fault={setting.faults['/value']} wide>{#snippet children({ id })}<input {id} class="field mono" type="password" autocomplete="off" required bind:value />{/snippet}</Field>
		</fieldset>
		<Back {typed} />
		{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
		<div class="acts"><button class="button main" disabled={setting.busy}>{say.sealIt}</button></div>
	</form>
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	.service {
		display: block;
		max-width: 300px;
		padding: 0.7rem 0;
		font-weight: 600;
	}
	.service .field {
		font-weight: 400;
	}
	.line {
		--line: minmax(0, 1fr) minmax(0, 1fr) minmax(0, 1fr) auto;
	}
</style>
