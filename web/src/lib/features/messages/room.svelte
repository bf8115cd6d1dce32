<!-- A room that is told of promotions: which, and of what. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import Field from '$lib/features/set-up/field.svelte';
	import type { Setting } from '$lib/features/set-up/setting.svelte';
	import { common } from '$lib/words/common';
	import { chat as say } from '$lib/words/messages';
	import { untrack } from 'svelte';

	type Choice = { id: string; title: string };
	type Props = { setting: Pick<Setting<unknown>, 'send' | 'faults' | 'refused' | 'busy'>; services: Choice[]; environments: Choice[]; /** As it is; none for a new one. */ room?: Schemas['RoomView']; ondone: (kept: Schemas['KeptRoom'] | null) => void };
	let { setting, services, environments, room, ondone }: Props = $props();

	let [name, title, address, service, environment] = $state(untrack(() => [room?.id ?? '', room?.title ?? '', room?.address ?? '', room?.service ?? '', room?.environment ?? '']));

	async function save(event: SubmitEvent) {
		event.preventDefault();
		const body = { title, address, service: service || null, environment: environment || null };
		const kept = await setting.send(() => data(api.PUT('/api/chat/rooms/{name}', { params: { path: { name } }, body })));
		if (kept) ondone(kept.value);
	}
</script>

<form class="form" onsubmit={save}>
	<fieldset>
		<Field label={common.title} fault={setting.faults['/title']}>{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={title} />{/snippet}</Field>
		{#if !room}<Field label={common.name} hint={common.nameHint} fault={setting.faults['/name']}>{#snippet children({ id })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" bind:value={name} />{/snippet}</Field>{/if}
		<Field label={say.address} hint={say.addressHint} fault={setting.faults['/address']}>{#snippet children({ id })}<input {id} class="field mono" required bind:value={address} />{/snippet}</Field>
		<Field label={say.ofService} fault={setting.faults['/service']}>
			{#snippet children({ id })}<select {id} class="field" bind:value={service}><option value="">{say.every}</option>{#each services as one (one.id)}<option value={one.id}>{one.title}</option>{/each}</select>{/snippet}
		</Field>
		<Field label={say.into} fault={setting.faults['/environment']}>
			{#snippet children({ id })}<select {id} class="field" bind:value={environment}><option value="">{say.everyEnvironment}</option>{#each environments as one (one.id)}<option value={one.id}>{one.title}</option>{/each}</select>{/snippet}
		</Field>
	</fieldset>
	{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
	<div class="acts"><button class="button main" disabled={setting.busy}>{common.save}</button><button type="button" class="button quiet" onclick={() => ondone(null)}>{common.leaveIt}</button></div>
</form>
