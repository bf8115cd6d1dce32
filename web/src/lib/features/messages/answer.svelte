<!-- What a link from a mail asks, with the dossier in brief, and the answer: once, by the person it was sent to. -->
<script lang="ts">
	import { api, data, saying, type AnswerPage, type Finding } from '$lib/api/client';
	import { Loader } from '$lib/state/loader.svelte';
	import { answer as say } from '$lib/words/messages';
	import Mark from '$lib/ui/mark.svelte';
	let { token }: { token: string } = $props();

	const id = $props.id();
	let asked = $state<AnswerPage | null>(null);
	let [comment, done, refused] = $state(['', '', '']);
	let busy = $state(false);
	const loader = new Loader(
		() => data(api.POST('/api/answers/look', { body: { token } })),
		(found) => (asked = found)
	);
	$effect(() => {
		if (token) void loader.load();
	});

	async function answer(says: 'approve' | 'turn back') {
		busy = true;
		refused = '';
		try {
			done = (await data(api.POST('/api/answers', { body: { token, says, comment } }))).says;
		} catch (error) {
			refused = saying(error);
			await loader.load();
		} finally {
			busy = false;
		}
	}
</script>

<main class="leaf">
	{#if !token}<p role="alert">{say.noLink}</p>
	{:else if loader.failed}<p role="alert">{loader.failed}</p>
	{:else if asked}
		<p class="label">{say.asks(asked.person)}</p>
		<h1>{asked.about}</h1>
		<p class="sentence" role={asked.open ? undefined : 'status'}>{done || asked.says}</p>
		{#if done}<a class="underline" href="/promotion/{asked.promotion}">{say.whole}</a>
		{:else}
			<dl>
				{#if asked.effect}<dt>{say.ifApproved}</dt><dd>{asked.effect}</dd>{/if}
				<dt>{say.cargo}</dt>
				<dd>
					{asked.change_unknown ? say.notRead(asked.change_unknown) : say.brings(asked.commits, asked.files)}{#if asked.tickets.length}. {say.tickets(asked.tickets)}{/if}
				</dd>
				{#if asked.note}<dt>{say.note}</dt><dd class="note">{asked.note}</dd>{/if}
			</dl>
			<ul>
				{#each asked.findings as one, n (n)}
					<li><Mark outcome={one.outcome as Finding['outcome']} /><span><b>{one.title}</b> {one.because}</span></li>
				{/each}
			</ul>
			{#if asked.open}
				<label for={id}>{say.comment} <span class="soft">{asked.comment_needed ? say.needed : say.optional}</span></label>
				<textarea {id} class="field" rows="2" maxlength="2000" bind:value={comment}></textarea>
				{#if refused}<p class="refused" role="alert">{refused}</p>{/if}
				<div class="acts">
					<button class="button main" disabled={busy || (asked.comment_needed && !comment.trim())} onclick={() => answer('approve')}>{say.approve}</button>
					<button class="button grave" disabled={busy || !comment.trim()} onclick={() => answer('turn back')}>{say.turnBack}</button>
				</div>
				<p class="soft">{say.ends(asked.ends)}</p>
			{:else if refused}<p class="refused" role="alert">{refused}</p>{/if}
			<a class="underline" href="/promotion/{asked.promotion}">{say.whole}</a>
		{/if}
	{/if}
</main>

<style>
	.sentence {
		font-family: var(--serif);
		font-size: var(--text-section);
	}
	dl {
		display: grid;
		grid-template-columns: 132px minmax(0, 1fr);
		gap: 0.35rem 0;
	}
	dt {
		color: var(--ink-soft);
	}
	.note {
		white-space: pre-line;
	}
	li {
		display: grid;
		grid-template-columns: 132px minmax(0, 1fr);
		padding: 0.45rem 0;
		border-top: 1px solid var(--hair);
	}
	label {
		font-weight: 600;
	}
	.acts {
		display: flex;
		gap: 0.7rem;
	}
	@media (max-width: 520px) {
		dl,
		li {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
