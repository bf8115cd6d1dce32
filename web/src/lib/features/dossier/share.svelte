<!-- An address at which whoever has it reads how a promotion stands, for a time. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { Setting } from '$lib/features/set-up/setting.svelte';
	import { when } from '$lib/time/time';
	import { shared as say, waiver } from '$lib/words/dossier';
	import Segments from '$lib/ui/segments.svelte';
	let { number, zone }: { number: number; zone: string } = $props();

	const params = $derived({ path: { number } });
	const setting = new Setting(() => data(api.GET('/api/promotions/{number}/shared', { params })));
	let made = $state<Schemas['MadeAddress'] | null>(null);
	let hours = $state(24);

	async function share() {
		made = (await setting.send(() => data(api.POST('/api/promotions/{number}/shared', { params, body: { hours } }))))?.value ?? null;
	}
	async function end() {
		made = null;
		await setting.send(() => data(api.DELETE('/api/promotions/{number}/shared', { params })));
	}
</script>

<details ontoggle={(event) => event.currentTarget.open && void setting.load()}>
	<summary>{say.share}</summary>
	<p class="soft">{say.hint}</p>
	<div class="acts">
		<Segments label={say.goodFor} choices={waiver.spans} bind:value={hours} />
		<button class="button" disabled={setting.busy} onclick={share}>{say.make}</button>
		{#if setting.found?.length}<button class="button quiet" disabled={setting.busy} onclick={end}>{say.endAll(setting.found.length)}</button>{/if}
	</div>
	{#if made}<p class="once">{say.once(when(new Date(made.ends_at), zone, new Date()))} <code class="mono">{location.origin}/status#{made.token}</code></p>{/if}
	{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
</details>

<style>
	details {
		margin-top: 0.8rem;
		font-size: var(--text-body);
	}
	summary {
		color: var(--ink-soft);
		cursor: pointer;
		width: fit-content;
	}
	.acts {
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.6rem;
		padding: 0.4rem 0;
	}
	.once {
		overflow-wrap: anywhere;
	}
</style>
