<!-- What comes next in a new installation, above every view until something was asked for. -->
<script lang="ts">
	import { firstSteps as say } from '$lib/words/house';
	import { session } from '$lib/state/session.svelte';
	import { house } from './house.svelte';
</script>

{#if house.beginning && house.next}
	{@const next = say.steps[house.next.name]}
	<p>
		<b>{say.next(next.title)}</b> <span>{next.why}</span>
		{#if next.at && session.may(house.next.name === 'policy' ? 'write policy' : 'administer')}<a class="underline" href={next.at}>{next.act}</a>{/if}
		<a class="underline" href="/set-up/first-steps">{say.all}</a>
		<span class="soft">{say.count(house.done, house.steps.length)}</span>
	</p>
{/if}

<style>
	p {
		display: flex;
		flex-wrap: wrap;
		gap: 0.2rem 0.8rem;
		align-items: baseline;
		padding: 0.5rem 0.8rem;
		margin-top: 0.8rem;
		border: 1px solid var(--hair-strong);
		background: var(--wash);
	}
</style>
