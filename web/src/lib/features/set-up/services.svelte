<!-- Services: what is released, where its source is, which routes it travels. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { wordsOf } from '$lib/words';
	import { common } from '$lib/words/common';
	import { services as say } from '$lib/words/set-up';
	import Field from './field.svelte';
	import { Landscape } from './landscape.svelte';
	import Things from './things.svelte';

	type Service = Schemas['Service'];
	/** Whether the repository need not be read before it is kept. */
	let untried = $state(false);
	type Routes = { routes: Record<string, Schemas['Route']>; groups: Schemas['Named'][] };
	const setting: Landscape<Service, Routes> = new Landscape<Service, Routes>(
		async () => {
			const [things, routes, groups] = await Promise.all([data(api.GET('/api/services')), data(api.GET('/api/travel-routes')), data(api.GET('/api/groups'))]);
			return { things, routes, groups };
		},
		(name) => api.GET('/api/services/{name}', { params: { path: { name } } }),
		(name, body, header) => data(api.PUT('/api/services/{name}', { params: { path: { name }, header, query: untried ? { untried } : {} }, body })),
		() => ({ title: '', repository: '', paths: [], route: Object.keys(setting.found?.routes ?? {})[0] ?? '', urgent_route: null, group: null }),
		'service',
		(name) => data(api.DELETE('/api/services/{name}', { params: { path: { name } } })),
		() => [say.example.name, { title: say.example.title, repository: say.example.repository }]
	);
	setting.follow();
	const routes = $derived(Object.entries(setting.found?.routes ?? {}));
	const titleOf = (id: string) => setting.found?.routes[id]?.title ?? id;
</script>

<Things {setting} entries={Object.entries(setting.found?.things ?? {})} columns="minmax(0, 1fr) minmax(0, 1fr) minmax(0, 1.6fr)" called={common.service} {say}>
	{#snippet line(one)}<b>{one.title}</b><span class="mono">{[one.repository, ...one.paths].join(' ')}</span><span>{titleOf(one.route)}{one.urgent_route ? say.inAHurry(titleOf(one.urgent_route)) : ''}</span>{/snippet}
	{#snippet more(draft)}
		<Field label={say.repository} hint={say.repositoryHint} fault={setting.faults['/repository']}>
			{#snippet children({ id })}<input {id} class="field mono" required maxlength="500" bind:value={draft.repository} />{/snippet}
		</Field>
		{#if setting.faults['/repository']}<label class="wide"><input type="checkbox" bind:checked={untried} /> {say.untried}</label>{/if}
		<Field label={say.paths} hint={say.pathsHint} fault={setting.faults['/paths/0']}>
			{#snippet children({ id })}<input {id} class="field mono" value={draft.paths.join(' ')} onchange={(event) => (draft.paths = wordsOf(event.currentTarget.value))} />{/snippet}
		</Field>
		<Field label={common.route} fault={setting.faults['/route']}>
			{#snippet children({ id })}<select {id} class="field" bind:value={draft.route}>{#each routes.filter(([, one]) => !one.lets_in) as [name, one] (name)}<option value={name}>{one.title}</option>{/each}</select>{/snippet}
		</Field>
		<Field label={say.urgentRoute} fault={setting.faults['/urgent_route']}>
			{#snippet children({ id })}<select {id} class="field" bind:value={draft.urgent_route}><option value={null}>{say.noRoute}</option>{#each routes.filter(([, one]) => one.lets_in) as [name, one] (name)}<option value={name}>{one.title}</option>{/each}</select>{/snippet}
		</Field>
		<Field label={say.group} hint={say.groupHint} fault={setting.faults['/group']}>
			{#snippet children({ id })}<select {id} class="field" bind:value={draft.group}><option value={null}>{say.noGroup}</option>{#each setting.found?.groups ?? [] as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select>{/snippet}
		</Field>
	{/snippet}
</Things>
