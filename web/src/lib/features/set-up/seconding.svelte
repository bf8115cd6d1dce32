<!-- Changes that wait for a second person: what was and what is to be, confirmed or dropped where they stand. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { changes } from '$lib/features/ledger/changes';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { changes as words, seconding as say } from '$lib/words/set-up';
	import type { Outcome } from './second.svelte';
	import { Setting } from './setting.svelte';

	type Props = {
		/** Which of them stand here. */
		kinds: Schemas['ProposalView']['kind'][];
		/** What came of a change that was sent here. */
		outcome: Outcome;
		/** Something was confirmed or dropped, here or elsewhere: what stands below is not as it was. */
		onchange: () => void;
	};
	let { kinds, outcome, onchange }: Props = $props();
	let known: number[] = [];
	const setting = new Setting(async () => {
		const waiting = (await data(api.GET('/api/proposals'))).filter((one) => kinds.includes(one.kind));
		const ids = waiting.map((one) => one.id);
		if (known.some((id) => !ids.includes(id))) onchange();
		known = ids;
		return waiting;
	});
	setting.follow(() => live.version);

	async function confirm(number: number) {
		const done = await setting.send(() => data(api.POST('/api/proposals/{number}/confirm', { params: { path: { number } } })));
		if (done) outcome.take(done.value);
	}
	async function drop(number: number) {
		if (await setting.send(() => data(api.DELETE('/api/proposals/{number}', { params: { path: { number } } })))) outcome.take({ waits: null, alone: false, invitation: null, mailed: false });
	}
</script>

{#if outcome.says || outcome.opens}
	<div class="outcome" role="status">
		{#if outcome.says}<p>{outcome.says}</p>{/if}
		{#if outcome.opens}<p>{say.invitation} <code class="mono">{outcome.opens}</code></p>{/if}
	</div>
{/if}
{#if setting.found?.length}
	<section aria-label={say.waiting}>
		<h2 class="label">{say.waiting}</h2>
		<ul>
			{#each setting.found as one (one.id)}
				<li>
					<div>
						<p>{say.asked(one.asked_by.name, one.title)} <span class="soft">{when(new Date(one.asked_at), session.zone, new Date())}</span></p>
						{#if changes(one).length}
							<dl>
								{#each changes(one) as each}<dt>{each.field}</dt><dd>{each.is}{#if one.old}<span class="soft">{words.was} {each.was}</span>{/if}</dd>{/each}
							</dl>
						{/if}
					</div>
					<div class="acts">
						{#if one.mine_to_confirm}<button class="button main" disabled={setting.busy} onclick={() => confirm(one.id)}>{say.confirm}</button>{/if}
						{#if one.mine_to_drop}<button class="button quiet" disabled={setting.busy} onclick={() => drop(one.id)}>{say.drop}</button>{/if}
					</div>
				</li>
			{/each}
		</ul>
	</section>
{/if}
{#if setting.refused || setting.failed}<p class="refused" role="alert">{setting.refused || setting.failed}</p>{/if}

<style>
	section {
		margin: 0.6rem 0 1rem;
		border-left: 4px solid var(--ochre, var(--ink-soft));
		padding-left: 0.8rem;
	}
	.outcome {
		border-left: 4px solid var(--verdigris);
		margin: 0.6rem 0;
		padding: 0.3rem 0.8rem;
		overflow-wrap: anywhere;
	}
	code {
		background: none;
		padding: 0;
	}
	li {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto;
		gap: 1rem;
		align-items: start;
		padding: 0.5rem 0;
		border-bottom: 1px solid var(--hair);
	}
	dl {
		display: grid;
		grid-template-columns: 8.5rem minmax(0, 1fr);
		gap: 0.1rem 0.8rem;
		padding-top: 0.2rem;
		font-size: var(--text-note);
	}
	dt {
		color: var(--ink-soft);
	}
	dd .soft {
		padding-left: 0.7rem;
	}
	.acts {
		display: flex;
		gap: 0.5rem;
	}
</style>
