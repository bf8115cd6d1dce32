<!-- What a board shows: its title, services, charts, and how far back those go. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { stations } from '$lib/features/frame/lines.svelte';
	import { Loader } from '$lib/state/loader.svelte';
	import { boards as say } from '$lib/words/estate';
	import type { BoardsState, Draft } from './boards.svelte';
	import Segments from '$lib/ui/segments.svelte';
	let { boards, draft }: { boards: BoardsState; draft: Draft } = $props();

	const places = $derived(stations());
	let services = $state.raw<[string, Schemas['Service']][]>([]);
	let monitors = $state.raw<string[]>([]);
	new Loader(
		() => data(api.GET('/api/services')),
		(found) => (services = Object.entries(found))
	).follow();
	new Loader(
		async () => (places[0] ? data(api.GET('/api/estate/monitors', { params: { query: { environment: places[0].id } } })) : []),
		(found) => (monitors = found.map((one) => one.name))
	).follow();
	const id = $props.id();

	function toggle(service: string) {
		draft.services = draft.services?.includes(service) ? draft.services.filter((one) => one !== service) : [...(draft.services ?? []), service];
	}
</script>

<form
	class="indented"
	onsubmit={(event) => {
		event.preventDefault();
		void boards.save();
	}}
>
	<label for="{id}-title">{say.name}</label>
	<input id="{id}-title" class="field" required maxlength="80" bind:value={draft.title} />
	<fieldset>
		<legend>{say.services} <span class="soft">{say.everyService}</span></legend>
		{#each services as [service, one] (service)}<label class="tick"><input type="checkbox" checked={draft.services?.includes(service)} onchange={() => toggle(service)} /> {one.title}</label>{/each}
	</fieldset>
	<fieldset>
		<legend>{say.charts}</legend>
		{#each draft.charts ?? [] as chart, n (n)}
			<div class="chart">
				<select class="field" aria-label={say.place} bind:value={chart.environment}>{#each places as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select>
				<select class="field" aria-label={say.monitor} bind:value={chart.monitor}>{#each monitors as one (one)}<option value={one}>{one}</option>{/each}</select>
				<button type="button" class="underline" onclick={() => (draft.charts = draft.charts?.filter((_, other) => other !== n))}>{say.remove}</button>
			</div>
		{/each}
		{#if places[0] && monitors[0]}<button type="button" class="underline" onclick={() => (draft.charts = [...(draft.charts ?? []), { environment: places[0]!.id, monitor: monitors[0]! }])}>{say.add}</button>{/if}
	</fieldset>
	<Segments label={say.back} choices={say.hours} bind:value={draft.hours} />
	{#if boards.refused}<p class="refused" role="alert">{boards.refused}</p>{/if}
	<div class="both"><button class="button main" disabled={boards.busy || !draft.title.trim()}>{say.save}</button><button type="button" class="button quiet" onclick={() => (boards.draft = null)}>{say.cancel}</button></div>
</form>

<style>
	form {
		max-width: 44rem;
		margin-top: 0.8rem;
	}
	legend {
		font-weight: 600;
	}
	fieldset {
		display: flex;
		flex-wrap: wrap;
		gap: 0.3rem 1.2rem;
	}
	.tick {
		font-weight: 400;
	}
	.chart {
		display: flex;
		gap: 0.6rem;
		width: 100%;
	}
	.both {
		display: flex;
		gap: 0.6rem;
		padding-top: 0.4rem;
	}
</style>
