<!-- The way back: what has landed there, which of it was good, and what comes back with it. -->
<script lang="ts">
	import { goingBack as say } from '$lib/words/landed';
	import Stamp from '$lib/ui/stamp.svelte';
	import ComingBack from './coming-back.svelte';
	import { GoingBackState } from './going-back.svelte';
	let { service, environment, place, version = $bindable() }: { service: string; environment: string; place: string; version: string } = $props();

	const back = new GoingBackState(
		() => service,
		() => environment
	).follow();
	const others = $derived(back.landings.slice(1));
	const meant = $derived(others.some((one) => one.version === version));
	const id = $props.id();
</script>

<section aria-labelledby="{id}-back">
	<h2 id="{id}-back">{say.heading(place)}</h2>
	{#if back.failed}<p class="refused" role="alert">{back.failed}</p>{/if}
	{#if back.loaded && others.length === 0}<p class="soft">{say.only}</p>{/if}
	<ol>
		{#each back.landings as one, n (one.promotion)}
			<li>
				{#if n === 0}<span></span>{:else}<input type="radio" id="{id}-{one.promotion}" name="{id}-version" value={one.version} bind:group={version} />{/if}
				<label for="{id}-{one.promotion}" class="mono">{one.version}</label>
				<span>{#if n === 0}<Stamp says={say.runs} />{:else if !one.good}<Stamp says={say.not} />{/if}</span>
				<span>{one.says}</span>
			</li>
		{/each}
	</ol>
	{#if meant}
		<h3>{say.takes(version)}</h3>
		<ComingBack {service} {environment} {version} />
	{/if}
</section>

<style>
	section {
		padding: 0.4rem 0 0.8rem;
	}
	h3 {
		padding-top: 0.8rem;
		font-size: var(--text-lead);
	}
	ol {
		max-height: 17rem;
		overflow-y: auto;
	}
	ol li {
		display: grid;
		grid-template-columns: 1.2rem 7rem 6.5rem minmax(0, 1fr);
		column-gap: 0.8rem;
		align-items: center;
		min-height: 2.1rem;
		border-bottom: 1px solid var(--hair);
	}
	@media (max-width: 760px) {
		ol li {
			grid-template-columns: 1.2rem minmax(0, 1fr) auto;
			padding: 0.3rem 0;
		}
		ol li > :last-child {
			grid-column: 2 / -1;
		}
	}
</style>
