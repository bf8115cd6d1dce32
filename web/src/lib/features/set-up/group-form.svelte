<!-- One more group, for seats to be given to. -->
<script lang="ts">
	import { api, data } from '$lib/api/client';
	import { common } from '$lib/words/common';
	import { people as say } from '$lib/words/set-up';
	import Field from './field.svelte';
	import type { Setting } from './setting.svelte';

	let { setting }: { setting: Pick<Setting<unknown>, 'send' | 'busy'> } = $props();

	let group = $state({ id: '', title: '' });

	async function keep() {
		const { id, title } = group;
		if (await setting.send(() => data(api.PUT('/api/groups/{name}', { params: { path: { name: id } }, body: { title } })))) group = { id: '', title: '' };
	}
</script>

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
