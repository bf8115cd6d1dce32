<!-- What changed in a stretch of time or just before it, the nearest first, each with the way back from it. -->
<script lang="ts">
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { charts, suspects as say } from '$lib/words/estate';
	import { SuspectsState, type Stretch } from './charts.svelte';
	let { environment, service, stretch, zone }: { environment: string; service: string | undefined; stretch: Stretch; zone: string } = $props();

	const asking = new SuspectsState(() => ({ environment, service, stretch })).follow();
</script>

{#if asking.failed}<p class="refused" role="alert">{asking.failed}</p>{/if}
{#if asking.loaded && asking.found.length === 0}<p class="soft">{say.none}</p>{/if}
<ol>
	{#each asking.found as { occurrence: one, away }, n (n)}
		<li data-kind={one.kind}>
			<span class="soft">{when(new Date(one.at), zone, new Date())}</span>
			<span class="soft">{away}</span>
			<b>{charts.marks[one.kind]}</b>
			<span>{one.says}</span>
			<span class="acts">
				{#if one.promotion !== null}<a class="underline" href="/promotion/{one.promotion}">{say.look}</a>{/if}
				{#if one.kind === 'landing' && one.service && session.may('request')}<a class="underline" href="/ask?service={one.service}&to={environment}&kind=rollback">{say.back}</a>{/if}
			</span>
		</li>
	{/each}
</ol>

<style>
	ol {
		max-height: 17rem;
		overflow-y: auto;
	}
	li {
		display: grid;
		grid-template-columns: 7.2rem 11rem 5.4rem minmax(0, 1fr) auto;
		gap: 0 14px;
		align-items: baseline;
		padding: 4px 0;
		border-bottom: 1px solid var(--hair);
	}
	.acts {
		display: flex;
		gap: 0.9rem;
	}
	@media (max-width: 900px) {
		li {
			grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
		}
	}
</style>
