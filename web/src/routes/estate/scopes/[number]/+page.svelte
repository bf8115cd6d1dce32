<script lang="ts">
	import { page } from '$app/state';
	import Parts from '$lib/features/estate/parts.svelte';
	import ScopeForm from '$lib/features/estate/scope-form.svelte';
	import ScopeLine from '$lib/features/estate/scope-line.svelte';
	import { ScopeState, type Draft } from '$lib/features/estate/scopes.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { scopes as say } from '$lib/words/estate';

	const scope: ScopeState = new ScopeState(() => Number(page.params.number)).follow(() => live.version);
	const found = $derived(scope.found);
	const open = $derived(found !== null && found.declared_at === null);
	/** The state it had when somebody began to write. */
	let editing = $state<string | null>(null);
	let comment = $state('');
	const moment = (at: string) => when(new Date(at), session.zone, new Date());
	const save = async (draft: Draft) => {
		if (editing !== null && (await scope.change(draft, editing))) editing = null;
	};
	const id = $props.id();
</script>

<svelte:head><title>{say.titleOf(found?.scope.title ?? say.heading)}</title></svelte:head>
<div class="view-head">
	<h1 class="mr-auto">{found?.scope.title ?? ''} <span class="soft">{found?.scope.due ? say.dueOn(moment(found.scope.due)) : ''}</span></h1>
	<Parts />
</div>
{#if scope.failed}<p class="failed" role="alert">{scope.failed}</p>{:else if !found}<p class="soft" role="status">{say.reading}</p>{/if}
{#if found}
	<p class="says" role="status">{found.says}</p>
	<p class="soft">{found.scope.themes?.length ? `${found.scope.themes.join(', ')}. ` : ''}{found.agreed_by && found.agreed_at ? say.agreed(found.agreed_by.name, moment(found.agreed_at)) : say.notAgreed} {found.declared_by && found.declared_at ? say.declared(found.declared_by.name, moment(found.declared_at), found.declared) : ''}</p>
	<div class="tracks">
		<ul aria-label={say.tickets}>{#each found.lines as one (one.key)}<ScopeLine {one} />{/each}</ul>
		<aside>
			<h2 class="label">{found.agreed_at ? say.changes : say.changesBefore}</h2>
			<ul>{#each found.changes as one}<li><span class="soft">{moment(one.at)}, {one.by}</span><br />{[one.added.length ? say.added(one.added) : '', one.removed.length ? say.removed(one.removed) : ''].filter(Boolean).join('; ')}</li>{:else}<li class="soft">{say.noChanges}</li>{/each}</ul>
			{#if found.unknown.length}<h2 class="label wrong">{say.unknown}</h2><ul>{#each found.unknown as why}<li>{why}</li>{/each}</ul>{/if}
			<p class="acts">
				<a class="button quiet" href="/api/scopes/{found.number}/pack" download>{say.pack}</a>
				{#if open && session.may('comment') && !editing}<button class="button quiet" onclick={() => (editing = found.version)}>{say.edit}</button>{/if}
				{#if open && session.may('decide') && !found.agreed_at}<button class="button" disabled={scope.busy} title={say.agreeHint} onclick={() => scope.agree(found.scope.tickets ?? [])}>{say.agree}</button>{/if}
			</p>
			{#if open && found.agreed_at && session.may('decide')}
				<label for="{id}-comment">{say.comment} <span class="soft">{say.declareHint}</span></label>
				<textarea id="{id}-comment" class="field" rows="2" maxlength="2000" bind:value={comment}></textarea>
				<button class="button main" disabled={scope.busy} onclick={() => scope.declare(found.scope.tickets ?? [], comment.trim())}>{say.declare}</button>
			{/if}
			{#if scope.refused && !editing}<p class="refused" role="alert">{scope.refused}</p>{/if}
		</aside>
	</div>
	{#if editing}<ScopeForm given={found.scope} refused={scope.refused} busy={scope.busy} onsave={save} oncancel={() => (editing = null)} />{/if}
{/if}

<style>
	.says {
		font-family: var(--serif);
		font-size: var(--text-part);
	}
	.tracks {
		display: grid;
		grid-template-columns: minmax(0, 2.4fr) minmax(0, 1fr);
		gap: 28px;
		padding-top: 0.5rem;
	}
	.tracks > ul {
		border-top: 1.5px solid var(--ink);
	}
	aside li {
		padding: 4px 0;
		border-bottom: 1px solid var(--hair);
	}
	.acts {
		display: flex;
		flex-wrap: wrap;
		gap: 0.6rem;
		padding: 0.8rem 0;
	}
	@media (max-width: 900px) {
		.tracks {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
