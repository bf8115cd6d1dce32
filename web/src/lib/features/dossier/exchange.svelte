<!-- Putting another release of the service in the place of one that waits. -->
<script lang="ts">
	import { api, data } from '$lib/api/client';
	import type { DossierState } from './dossier.svelte';
	import { common } from '$lib/words/common';
	import { decision as say } from '$lib/words/dossier';
	let { state: dossier }: { state: DossierState } = $props();

	const file = $derived(dossier.file!);
	let asking = $state(false);
	let versions = $state<string[]>([]);
	let version = $state('');
	let reason = $state('');
	const id = $props.id();

	async function begin() {
		asking = true;
		const service = file.row.service.id;
		const found = await data(api.GET('/api/services/{service}/releases', { params: { path: { service } } }));
		versions = found.releases.map((one) => one.version).filter((one) => one !== file.row.version);
		version = versions[0] ?? '';
	}
	async function put() {
		if (await dossier.exchange(version, reason.trim())) {
			asking = false;
			reason = '';
		}
	}
</script>

{#if !asking}
	<button class="ask" onclick={begin}>{say.exchange}</button>
{:else}
	<form class="indented" onsubmit={(event) => (event.preventDefault(), void put())}>
		<label for="{id}-version">{say.exchangeTo}</label>
		<select id="{id}-version" class="field" bind:value={version}>{#each versions as one (one)}<option>{one}</option>{/each}</select>
		<label for="{id}-reason">{common.reason}</label>
		<input id="{id}-reason" class="field" required maxlength="2000" bind:value={reason} />
		<p class="soft">{say.exchangeHint}</p>
		<div>
			<button class="button" disabled={!version || reason.trim() === '' || dossier.busy !== null}>{say.exchangeIt}</button>
			<button class="button quiet" type="button" onclick={() => (asking = false)}>{common.cancel}</button>
		</div>
	</form>
{/if}

<style>
	.ask {
		display: block;
		padding-top: 0.2rem;
		color: var(--ink-soft);
		text-decoration: underline;
		text-underline-offset: 3px;
		font-size: var(--text-note);
	}
	form div {
		display: flex;
		gap: 0.5rem;
	}
</style>
