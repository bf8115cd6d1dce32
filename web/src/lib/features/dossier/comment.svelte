<!-- Writing about a promotion; who is named with an @ is asked on their Desk. -->
<script lang="ts">
	import { api, data, saying } from '$lib/api/client';
	import { Typed } from '$lib/state/typed.svelte';
	import { comment as say } from '$lib/words/dossier';
	import Back from '$lib/ui/back.svelte';
	let { number, onwritten }: { number: number; onwritten: () => Promise<void> } = $props();

	const id = $props.id();
	let comment = $state('');
	let refused = $state('');
	let busy = $state(false);
	let people = $state<{ id: string; name: string }[]>([]);

	const typed = new Typed<string>(
		() => `comment-${number}`,
		() => comment,
		(was) => (comment = was),
		() => ''
	);

	async function known() {
		if (people.length) return;
		people = await data(api.GET('/api/people')).catch(() => []);
	}
	function ask(name: string) {
		if (name) comment = `${comment.trimEnd()} @${name} `.trimStart();
	}
	async function write() {
		busy = true;
		try {
			await data(api.POST('/api/promotions/{number}/comments', { params: { path: { number } }, body: { comment } }));
			comment = refused = '';
			await onwritten();
		} catch (error) {
			refused = saying(error);
		} finally {
			busy = false;
		}
	}
</script>

<form aria-label={say.comment} onsubmit={(event) => (event.preventDefault(), void write())}>
	<label for="{id}-text">{say.comment} <span class="soft">{say.standsInTheLedger}</span></label>
	<textarea id="{id}-text" class="field" rows="2" maxlength="2000" bind:value={comment} onfocus={known}></textarea>
	<div>
		<label>{say.ask} <select class="field" value="" onfocus={known} onchange={(event) => (ask(event.currentTarget.value), (event.currentTarget.value = ''))}>
			<option value="">{say.somebody}</option>
			{#each people as one (one.id)}<option value={one.name}>{one.name}</option>{/each}
		</select></label>
		<button class="button" disabled={busy || comment.trim() === ''}>{say.writeIt}</button>
	</div>
	<Back {typed} />
	{#if refused}<p role="alert">{refused}</p>{/if}
</form>

<style>
	form {
		display: grid;
		gap: 0.4rem;
		max-width: 620px;
		padding-top: 0.9rem;
	}
	label {
		font-weight: 600;
	}
	div {
		display: flex;
		justify-content: space-between;
		align-items: end;
	}
	div label {
		display: flex;
		gap: 0.5rem;
		align-items: center;
		font-weight: 400;
	}
	p {
		color: var(--wax);
		font-weight: 600;
	}
</style>
