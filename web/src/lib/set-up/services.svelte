<!-- Services: what is released, where its source is, which routes it travels. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { common } from '$lib/words/common';
	import { services as say, fields } from '$lib/words/set-up';
	import Back from '$lib/parts/back.svelte';
	import Field from './field.svelte';
	import { Landscape } from './landscape.svelte';

	type Service = Schemas['Service'];
	type Routes = { routes: Record<string, Schemas['Route']> };
	const setting: Landscape<Service, Routes> = new Landscape<Service, Routes>(
		async () => {
			const [things, routes] = await Promise.all([data(api.GET('/api/services')), data(api.GET('/api/travel-routes'))]);
			return { things, routes };
		},
		(name) => api.GET('/api/services/{name}', { params: { path: { name } } }),
		(name, body, header) => data(api.PUT('/api/services/{name}', { params: { path: { name }, header }, body })),
		() => ({ title: '', repository: '', route: Object.keys(setting.found?.routes ?? {})[0] ?? '', urgent_route: null }),
		'service'
	);
	$effect(() => void setting.load());
	const routes = $derived(Object.entries(setting.found?.routes ?? {}));
	const titleOf = (id: string) => setting.found?.routes[id]?.title ?? id;
</script>

{#if setting.found}
	<ul class="lines">
		{#each Object.entries(setting.found.things) as [id, one] (id)}
			<li>
				<button class="line" aria-expanded={setting.open === id} onclick={() => setting.edit(id)}>
					<b>{one.title}</b>
					<span class="mono">{one.repository}</span>
					<span>{titleOf(one.route)}{one.urgent_route ? say.inAHurry(titleOf(one.urgent_route)) : ''}</span>
				</button>
				{#if setting.open === id}{@render form()}{/if}
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	{#if setting.mayChange}
		<div class="anew"><button class="button quiet" onclick={() => setting.begin()}>{say.setUpAService}</button></div>
		{#if setting.anew}{@render form()}{/if}
	{:else}<p class="soft">{common.administratorsOnly}</p>{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

{#snippet form()}
	<form class="form" onsubmit={(event) => (event.preventDefault(), void setting.keep())}>
		<fieldset disabled={!setting.mayChange}>
			<legend class="label">{common.service}</legend>
			{#if setting.anew}
				<Field label={common.name} hint={say.nameHint} fault={setting.faults['/name']} check={(name) => (name in (setting.found?.things ?? {}) ? fields.taken : '')}>
					{#snippet children({ id })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="63" bind:value={setting.name} />{/snippet}
				</Field>
			{/if}
			<Field label={common.title} hint={common.titleHint} fault={setting.faults['/title']}>
				{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={setting.draft!.title} />{/snippet}
			</Field>
			<Field label={say.repository} hint={say.repositoryHint} fault={setting.faults['/repository']}>
				{#snippet children({ id })}<input {id} class="field mono" required maxlength="500" bind:value={setting.draft!.repository} />{/snippet}
			</Field>
			<Field label={common.route} fault={setting.faults['/route']}>
				{#snippet children({ id })}<select {id} class="field" bind:value={setting.draft!.route}>{#each routes.filter(([, one]) => !one.lets_in) as [name, one] (name)}<option value={name}>{one.title}</option>{/each}</select>{/snippet}
			</Field>
			<Field label={say.urgentRoute} fault={setting.faults['/urgent_route']}>
				{#snippet children({ id })}<select {id} class="field" bind:value={setting.draft!.urgent_route}><option value={null}>{say.noRoute}</option>{#each routes.filter(([, one]) => one.lets_in) as [name, one] (name)}<option value={name}>{one.title}</option>{/each}</select>{/snippet}
			</Field>
		</fieldset>
		<Back typed={setting.typed} />
		{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
		<div class="acts"><button class="button main" disabled={!setting.mayChange || setting.busy}>{common.keepIt}</button> <button class="button quiet" type="button" onclick={() => setting.close()}>{common.leaveIt}</button></div>
	</form>
{/snippet}

<style>
	.line {
		--line: minmax(0, 1fr) minmax(0, 1fr) minmax(0, 1.6fr);
	}
</style>
