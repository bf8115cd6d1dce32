<!-- What comes first in a new installation, in order: what is done is ticked, what is next is open. -->
<script lang="ts">
	import { capital } from '$lib/words';
	import { session } from '$lib/state/session.svelte';
	import { firstSteps as say } from '$lib/words/house';
	import { house } from './house.svelte';

	$effect(() => {
		if (!house.beginning) void house.whole();
	});

	/** Policies are written by their owners, the rest is set up by administrators. */
	const mayDo = (name: string) => session.may(name === 'policy' ? 'write policy' : 'administer');
</script>

<p class="soft">{say.about} <b>{say.count(house.done, house.steps.length)}.</b></p>
<ol>
	{#each house.steps as step, n (step.name)}
		{@const says = say.steps[step.name]}
		{@const { act, at } = says}
		<li class:done={step.done} class:next={step === house.next} aria-current={step === house.next ? 'step' : undefined}>
			<span class="tick" aria-hidden="true">{step.done ? '✓' : n + 1}</span>
			<span class="what"><b>{says.title}</b> <span class="sr-only">{step.done ? say.done : say.toDo}</span><span class="soft">{says.why}</span></span>
			{#if !step.done}
				<span class="how">
					{#if act && at && mayDo(step.name)}
						{#each step.missing as one (one.id)}<a class="button" class:main={step === house.next} href="{at}?of={one.id}">{act}: {one.name}</a>{:else}<a class="button" class:main={step === house.next} href={at}>{act}</a>{/each}
						<span class="soft">{says.example}</span>
					{:else if act}<span class="soft">{step.name === 'policy' ? say.onlyOwners : say.onlyAdministrators} {capital(says.example)}</span>
					{:else}<code class="mono">{says.example}</code>{/if}
				</span>
			{/if}
		</li>
	{/each}
</ol>
{#if house.steps.length && !house.next}<p>{say.complete}</p><p><code class="mono">{say.command}</code></p>{/if}

<style>
	ol {
		padding-top: 0.6rem;
	}
	li {
		display: grid;
		grid-template-columns: 34px minmax(0, 1.1fr) minmax(0, 1fr);
		column-gap: 14px;
		align-items: center;
		padding: 9px 0;
		border-bottom: 1px solid var(--hair);
	}
	.next {
		background: var(--wash);
	}
	.tick {
		justify-self: center;
		font-family: var(--serif);
		font-size: var(--text-section);
		color: var(--ink-soft);
	}
	.done .tick {
		color: var(--verdigris);
		font-weight: 700;
	}
	.what,
	.how {
		display: grid;
		gap: 2px;
		line-height: 1.35;
	}
	.what b {
		font-family: var(--serif);
		font-size: var(--text-lead);
	}
	.done .what .soft {
		display: none;
	}
	.how {
		display: flex;
		flex-wrap: wrap;
		gap: 6px 12px;
		align-items: center;
		overflow-wrap: anywhere;
	}
	@media (max-width: 760px) {
		li {
			grid-template-columns: 28px minmax(0, 1fr);
			row-gap: 6px;
		}
		.how {
			grid-column: 2;
		}
	}
</style>
