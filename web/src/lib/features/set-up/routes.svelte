<!-- Routes: environments in the order in which releases enter them; those of one leg stand side by side. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { common, listed } from '$lib/words/common';
	import { routes as say } from '$lib/words/set-up';
	import Field from './field.svelte';
	import { Landscape } from './landscape.svelte';
	import Things from './things.svelte';

	type Route = Schemas['Route'];
	const setting: Landscape<Route, { places: Record<string, Schemas['Environment']>; groups: Schemas['Named'][] }> = new Landscape<Route, { places: Record<string, Schemas['Environment']>; groups: Schemas['Named'][] }>(
		async () => {
			const [things, places, groups] = await Promise.all([data(api.GET('/api/travel-routes')), data(api.GET('/api/environments')), data(api.GET('/api/groups'))]);
			return { things, places, groups };
		},
		(name) => api.GET('/api/travel-routes/{name}', { params: { path: { name } } }),
		(name, body, header) => data(api.PUT('/api/travel-routes/{name}', { params: { path: { name }, header }, body: { ...body, legs: body.legs.filter((leg) => leg.length > 0) } })),
		() => ({ title: '', legs: [], lets_in: null, one_is_enough: [] }),
		'route',
		(name) => data(api.DELETE('/api/travel-routes/{name}', { params: { path: { name } } })),
		() => [say.example.name, { title: say.example.title, legs: Object.entries(setting.found?.places ?? {}).filter(([, one]) => one.departs !== 'never').map(([id]) => [id]) }]
	);
	setting.follow();

	const titleOf = (id: string) => setting.found?.places[id]?.title ?? id;
	const free = $derived(Object.entries(setting.found?.places ?? {}).filter(([id, one]) => one.departs !== 'never' && !setting.draft?.legs.some((leg) => leg.includes(id))));
	const inWords = (legs: Route['legs']) => legs.map((leg) => listed(leg.map(titleOf))).join(' → ');

	function taken(id: string) {
		if (setting.draft) setting.draft.legs = setting.draft.legs.map((leg) => leg.filter((one) => one !== id)).filter((leg) => leg.length > 0);
	}
	function added(leg: number, id: string) {
		if (!setting.draft || !id) return;
		const legs = [...setting.draft.legs.map((one) => [...one])];
		if (leg < legs.length) legs[leg]!.push(id);
		else legs.push([id]);
		setting.draft.legs = legs;
	}
	function moved(leg: number) {
		if (!setting.draft) return;
		const legs = [...setting.draft.legs];
		[legs[leg - 1], legs[leg]] = [legs[leg]!, legs[leg - 1]!];
		setting.draft.legs = legs;
	}
</script>

<Things {setting} entries={Object.entries(setting.found?.things ?? {})} columns="minmax(0, 0.6fr) minmax(0, 2fr)" called={common.route} {say} unfinished={setting.draft?.legs.length === 0}>
	{#snippet line(one)}<b>{one.title}</b><span>{inWords(one.legs)}</span>{/snippet}
	{#snippet more(draft)}
		<ol class="legs">
			{#each draft.legs as leg, n (n)}
				<li>
					{#each leg as id (id)}<span class="place">{titleOf(id)} <button type="button" aria-label={say.takeOff(titleOf(id))} onclick={() => taken(id)}>×</button></span>{/each}
					<select class="field" aria-label={say.putAnotherBeside(titleOf(leg[0] ?? ''))} value="" onchange={(event) => (added(n, event.currentTarget.value), (event.currentTarget.value = ''))}><option value="">{say.besideIt}</option>{#each free as [id, one] (id)}<option value={id}>{one.title}</option>{/each}</select>
					{#if leg.length > 1}<label><input type="checkbox" checked={draft.one_is_enough.includes(n)} onchange={() => (draft.one_is_enough = draft.one_is_enough.includes(n) ? draft.one_is_enough.filter((one) => one !== n) : [...draft.one_is_enough, n])} /> {say.oneIsEnough}</label>{/if}
					{#if n > 0}<button class="underline" type="button" onclick={() => moved(n)}>{say.earlier}</button>{/if}
				</li>
			{/each}
			<li><select class="field" aria-label={say.theNextLeg} value="" onchange={(event) => (added(draft.legs.length, event.currentTarget.value), (event.currentTarget.value = ''))}><option value="">{draft.legs.length ? say.then : say.beginsIn}</option>{#each free as [id, one] (id)}<option value={id}>{one.title}</option>{/each}</select></li>
		</ol>
		<label><input type="checkbox" checked={draft.lets_in !== null} onchange={(event) => (draft.lets_in = event.currentTarget.checked ? { patches_only: true, branches: ['main'] } : null)} /> {say.urgent}</label>
		{#if draft.lets_in}
			<label><input type="checkbox" bind:checked={draft.lets_in.patches_only} /> {say.onlyPatches}</label>
			<Field label={say.branches} hint={say.branchesHint} fault={setting.faults['/lets_in/branches']}>
				{#snippet children({ id })}<input {id} class="field mono" value={(draft.lets_in?.branches ?? []).join(' ')} onchange={(event) => draft.lets_in && (draft.lets_in.branches = event.currentTarget.value.split(/[\s,]+/).filter(Boolean))} />{/snippet}
			</Field>
			<Field label={say.waivable} fault={setting.faults['/lets_in/waivable']}>
				{#snippet children({ id })}<select {id} class="field" value={draft.lets_in?.waivable ?? ''} onchange={(event) => draft.lets_in && (draft.lets_in.waivable = event.currentTarget.value || null)}><option value="">{say.nobody}</option>{#each setting.found?.groups ?? [] as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select>{/snippet}
			</Field>
		{/if}
		{#if setting.faults['/legs']}<p class="refused">{setting.faults['/legs']}</p>{/if}
	{/snippet}
</Things>

<style>
	.legs {
		grid-column: 1 / -1;
		display: grid;
		gap: 0.4rem;
		padding-left: 1.4rem;
		list-style: decimal;
	}
	.legs li > * {
		margin-right: 0.7rem;
	}
	.legs .field {
		width: auto;
		padding-block: 2px;
	}
	.place {
		padding: 2px 7px;
		border: 1px solid var(--hair-strong);
	}
	.place button {
		padding: 0 3px;
	}
</style>
