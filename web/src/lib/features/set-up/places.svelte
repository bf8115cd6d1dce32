<!-- Where services can be opened in an environment, and where it is read what really runs there. -->
<script lang="ts">
	import type { Schemas } from '$lib/api/client';
	import { places as say } from '$lib/words/set-up';
	import Field from './field.svelte';
	let { draft, faults }: { draft: Schemas['Environment']; faults: Record<string, string> } = $props();

	const from = $derived(draft.version_from);
	const empty = (text: string) => text.trim() || null;
	function chosen(kind: string) {
		if (kind === 'address') draft.version_from = { kind, address: '', version: null, digest: null };
		else if (kind === 'metric') draft.version_from = { kind, query: '', source: null, label: 'version', digest_label: null };
		else draft.version_from = null;
	}
</script>

<Field label={say.address} hint={say.addressHint} fault={faults['/address']}>
	{#snippet children({ id })}<input {id} class="field mono" maxlength="500" value={draft.address ?? ''} onchange={(event) => (draft.address = empty(event.currentTarget.value))} />{/snippet}
</Field>
<Field label={say.reads} hint={say.readsHint} fault={faults['/version_from']}>
	{#snippet children({ id })}<select {id} class="field" value={from?.kind ?? ''} onchange={(event) => chosen(event.currentTarget.value)}>{#each Object.entries(say.kinds) as [kind, name] (kind)}<option value={kind}>{name}</option>{/each}</select>{/snippet}
</Field>
{#if from?.kind === 'address'}
	<Field label={say.versionAddress} hint={say.versionAddressHint} fault={faults['/version_from/address/address']}>
		{#snippet children({ id })}<input {id} class="field mono" required maxlength="500" bind:value={from.address} />{/snippet}
	</Field>
	<Field label={say.versionAt} hint={say.versionAtHint} fault={faults['/version_from/address/version']}>
		{#snippet children({ id })}<input {id} class="field mono" value={from.version ?? ''} onchange={(event) => (from.version = empty(event.currentTarget.value))} />{/snippet}
	</Field>
	<Field label={say.digestAt} hint={say.digestHint} fault={faults['/version_from/address/digest']}>
		{#snippet children({ id })}<input {id} class="field mono" value={from.digest ?? ''} onchange={(event) => (from.digest = empty(event.currentTarget.value))} />{/snippet}
	</Field>
{:else if from?.kind === 'metric'}
	<Field label={say.query} hint={say.queryHint} fault={faults['/version_from/metric/query']}>
		{#snippet children({ id })}<input {id} class="field mono" required maxlength="1000" bind:value={from.query} />{/snippet}
	</Field>
	<Field label={say.versionLabel} fault={faults['/version_from/metric/label']}>
		{#snippet children({ id })}<input {id} class="field mono" required bind:value={from.label} />{/snippet}
	</Field>
	<Field label={say.digestLabel} hint={say.digestHint} fault={faults['/version_from/metric/digest_label']}>
		{#snippet children({ id })}<input {id} class="field mono" value={from.digest_label ?? ''} onchange={(event) => (from.digest_label = empty(event.currentTarget.value))} />{/snippet}
	</Field>
{/if}
