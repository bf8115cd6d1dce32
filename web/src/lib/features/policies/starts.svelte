<!-- Policies to begin with, for an environment that has none: nobody faces an empty page. -->
<script lang="ts">
	import { api, data, saying, type Schemas } from '$lib/api/client';
	import { Loader } from '$lib/state/loader.svelte';
	import { starts as say } from '$lib/words/policies';

	let { environment, onpick }: { environment: string; onpick: (source: string) => void } = $props();

	let groups = $state<Schemas['Named'][]>([]);
	let first = $state('');
	let second = $state('');
	let points = $state<Schemas['StartingPoint'][]>([]);

	new Loader(
		() => data(api.GET('/api/groups')),
		(found) => {
			groups = found;
			first = found[0]?.id ?? '';
			second = found[1]?.id ?? first;
		}
	).follow();
	/** With the seats as they are chosen now: what was read before they were changed is not what is meant. */
	const read = () => data(api.GET('/api/environments/{environment}/policy-starts', { params: { path: { environment }, query: first ? { group: [first, second] } : {} } }));
	const asked = new Loader(read, (found) => (points = found)).follow(() => groups);

	async function pick(name: string) {
		try {
			const one = (await read()).find((point) => point.name === name);
			if (one) onpick(one.document);
		} catch (error) {
			asked.failed = saying(error);
		}
	}
</script>

<section aria-label={say.heading}>
	<h3>{say.heading}</h3>
	<p class="soft">{say.about}</p>
	{#if groups.length}
		<p class="seats">
			<label>{say.first} <select class="field" bind:value={first}>{#each groups as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select></label>
			<label>{say.second} <select class="field" bind:value={second}>{#each groups as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select></label>
		</p>
	{:else}<p class="soft">{say.noGroups}</p>{/if}
	{#if asked.failed}<p role="alert">{asked.failed}</p>{/if}
	<ul>
		{#each points as one (one.name)}
			<li><button class="button" onclick={() => void pick(one.name)}>{say.names[one.name].title}</button> <span>{say.names[one.name].about}</span></li>
		{/each}
	</ul>
</section>

<style>
	section {
		padding: 0.8rem 1rem 1rem;
		border: 1px solid var(--hair-strong);
		background: var(--wash);
	}
	h3 {
		font-size: var(--text-part);
	}
	.seats {
		display: flex;
		flex-wrap: wrap;
		gap: 0.4rem 1.4rem;
		padding: 0.5rem 0;
	}
	.seats .field {
		width: auto;
	}
	li {
		display: grid;
		grid-template-columns: 130px minmax(0, 1fr);
		gap: 14px;
		align-items: center;
		padding: 7px 0;
		border-top: 1px solid var(--hair);
	}
	@media (max-width: 760px) {
		li {
			grid-template-columns: minmax(0, 1fr);
			gap: 4px;
		}
	}
</style>
