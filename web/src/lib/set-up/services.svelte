<!-- Services: what is released, where its source is, which routes it travels. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
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
		() => ({ title: '', repository: '', route: Object.keys(setting.found?.routes ?? {})[0] ?? '', urgent_route: null })
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
					<span>{titleOf(one.route)}{one.urgent_route ? `, in a hurry the ${titleOf(one.urgent_route).toLowerCase()}` : ''}</span>
				</button>
				{#if setting.open === id}{@render form()}{/if}
			</li>
		{:else}
			<li class="soft empty">No service yet. What a pipeline asks for must belong to one.</li>
		{/each}
	</ul>
	{#if setting.mayChange}
		<div class="anew"><button class="button quiet" onclick={() => setting.begin()}>Set up a service</button></div>
		{#if setting.anew}{@render form()}{/if}
	{:else}<p class="soft">Administrators change these.</p>{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

{#snippet form()}
	<form class="form" onsubmit={(event) => (event.preventDefault(), void setting.keep())}>
		<fieldset disabled={!setting.mayChange}>
			<legend class="label">Service</legend>
			{#if setting.anew}
				<Field label="Name" hint="Small letters, figures and hyphens; pipelines call it by this." fault={setting.faults['/name']}>
					{#snippet children({ id, describedby })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="63" aria-describedby={describedby} bind:value={setting.name} />{/snippet}
				</Field>
			{/if}
			<Field label="Title" hint="What sentences call it." fault={setting.faults['/title']}>
				{#snippet children({ id, describedby })}<input {id} class="field" required maxlength="80" aria-describedby={describedby} bind:value={setting.draft!.title} />{/snippet}
			</Field>
			<Field label="Repository" hint="A path below the repository root, or an address." fault={setting.faults['/repository']}>
				{#snippet children({ id, describedby })}<input {id} class="field mono" required maxlength="500" aria-describedby={describedby} bind:value={setting.draft!.repository} />{/snippet}
			</Field>
			<Field label="Route" fault={setting.faults['/route']}>
				{#snippet children({ id })}<select {id} class="field" bind:value={setting.draft!.route}>{#each routes.filter(([, one]) => !one.lets_in) as [name, one] (name)}<option value={name}>{one.title}</option>{/each}</select>{/snippet}
			</Field>
			<Field label="Urgent route" fault={setting.faults['/urgent_route']}>
				{#snippet children({ id })}<select {id} class="field" bind:value={setting.draft!.urgent_route}><option value={null}>none</option>{#each routes.filter(([, one]) => one.lets_in) as [name, one] (name)}<option value={name}>{one.title}</option>{/each}</select>{/snippet}
			</Field>
		</fieldset>
		{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
		<div class="acts"><button class="button main" disabled={!setting.mayChange || setting.busy}>Keep it</button> <button class="button quiet" type="button" onclick={() => setting.close()}>Leave it</button></div>
	</form>
{/snippet}

<style>
	.line {
		--line: minmax(0, 1fr) minmax(0, 1fr) minmax(0, 1.6fr);
	}
</style>
