<!-- The sources with their state; each opens to its settings. -->
<script lang="ts">
	import type { Source } from '$lib/api/client';
	import { live } from '$lib/state/live.svelte';
	import { span } from '$lib/time/time';
	import { capital } from '$lib/words';
	import { common } from '$lib/words/common';
	import { sources as say } from '$lib/words/outside';
	import { SourceEditing, type Kind } from './source-editing.svelte';
	import Seconding from './seconding.svelte';
	import SourceForm from './source-form.svelte';

	const state = new SourceEditing();
	state.follow(() => live.version);
	/** As late as what is shown of them. */
	const now = $derived(state.found ? Date.now() : 0);

	/** For how long; nothing where it is less than a minute. */
	function lasting(at: string): string | undefined {
		const ms = now - Date.parse(at);
		return ms < 60_000 ? undefined : span(ms);
	}

	function ago(at: string): string {
		const since = lasting(at);
		return since ? say.ago(since) : say.justNow;
	}

	function standing(source: Source): string {
		if (source.failing_since) return say.failing(lasting(source.failing_since), source.reason ?? '');
		return source.read_at ? say.readWell(ago(source.read_at)) : say.notRead;
	}
</script>

<Seconding kinds={['source']} outcome={state.outcome} onchange={() => void state.load()} />
{#if state.found}
	<ul class="lines">
		{#each state.found.sources as source (source.id)}
			<li>
				<button class="line" aria-expanded={state.open?.id === source.id} onclick={() => state.edit(source)}>
					<span><b>{capital(source.title)}</b><span class="soft kind">{say.kinds[source.kind].title}</span></span>
					<span class="truncate mono">{source.settings.address}</span>
					<span class="state" data-failing={source.failing_since !== null}>{standing(source)}</span>
				</button>
				{#if state.open?.id === source.id}<SourceForm {state} open={state.open} />{/if}
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	{#if state.mayChange}
		<div class="anew">
			<span>{say.setUpAnother}</span>
			{#each Object.entries(say.kinds) as [kind, { title: name }] (kind)}
				<button class="button quiet" onclick={() => state.begin('', kind as Kind, true)}>{name}</button>
			{/each}
		</div>
		{#if state.open?.anew}<SourceForm {state} open={state.open} />{/if}
	{:else}
		<p class="soft">{common.administratorsOnly}</p>
	{/if}
{:else if state.failed}
	<p role="alert">{state.failed}</p>
{/if}

<style>
	.line {
		--line: 250px minmax(0, 1fr) minmax(220px, auto);
	}
	.kind {
		display: block;
		font-size: var(--text-small);
	}
	.state {
		text-align: right;
	}
	.state[data-failing='true'] {
		color: var(--wax);
		font-weight: 600;
	}
	.anew {
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.5rem;
		padding: 0.8rem 0;
	}
	@media (max-width: 900px) {
		.state {
			text-align: left;
		}
	}
</style>
