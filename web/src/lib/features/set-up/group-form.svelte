<!-- One more group, for seats to be given to. -->
<script lang="ts">
	import { sure } from '$lib/state/asked.svelte';
	import { api, data, type Schemas } from '$lib/api/client';
	import { common } from '$lib/words/common';
	import { people as say } from '$lib/words/set-up';
	import Field from './field.svelte';
	import type { Setting } from './setting.svelte';

	let { setting, groups }: { setting: Pick<Setting<unknown>, 'send' | 'busy' | 'refused'>; groups: Schemas['Named'][] } = $props();

	let group = $state({ id: '', title: '' });

	async function drop(one: Schemas['Named']) {
		if (await sure(say.dropGroup(one.name), common.takeItAway)) await setting.send(() => data(api.DELETE('/api/groups/{name}', { params: { path: { name: one.id } } })));
	}
	async function keep() {
		const { id, title } = group;
		if (await setting.send(() => data(api.PUT('/api/groups/{name}', { params: { path: { name: id } }, body: { title } })))) group = { id: '', title: '' };
	}
</script>

{#if groups.length}
	<h2>{say.allGroups}</h2>
	<ul class="lines">
		{#each groups as one (one.id)}<li class="group"><span><b>{one.name}</b> <span class="mono soft">{one.id}</span></span><button class="button quiet" disabled={setting.busy} aria-label={say.deleteGroup(one.name)} onclick={() => void drop(one)}>{common.takeItAway}</button></li>{/each}
	</ul>
	{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
{/if}
<form class="form" onsubmit={(event) => (event.preventDefault(), void keep())}>
	<fieldset>
		<legend class="label">{say.anotherGroup}</legend>
		<Field label={common.title} hint={say.groupTitleHint}>
			{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={group.title} />{/snippet}
		</Field>
		<Field label={common.name} hint={say.groupNameHint}>
			{#snippet children({ id })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="63" bind:value={group.id} />{/snippet}
		</Field>
	</fieldset>
	<div class="acts"><button class="button" disabled={setting.busy}>{say.setUpTheGroup}</button></div>
</form>

<style>
	h2 {
		padding-top: 1rem;
	}
	.group {
		display: flex;
		justify-content: space-between;
		align-items: center;
		padding: 2px 0;
	}
</style>
