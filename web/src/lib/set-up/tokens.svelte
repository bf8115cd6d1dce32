<!-- Tokens: made for somebody, with scopes and an end; their text is shown once. -->
<script lang="ts">
	import { session } from '$lib/session.svelte';
	import { api, data } from '$lib/api/client';
	import { when } from '$lib/time';
	import { tokens as say } from '$lib/words/set-up';
	import { Typed } from '$lib/typed.svelte';
	import { common } from '$lib/words/common';
	import Back from '$lib/parts/back.svelte';
	import Field from './field.svelte';
	import { Setting } from './setting.svelte';

	const SCOPES = ['read', 'request', 'decide', 'deploy', 'feed'] as const;
	const setting = new Setting(async () => {
		const [tokens, people] = await Promise.all([data(api.GET('/api/tokens')), data(api.GET('/api/people'))]);
		return { tokens, people };
	});
	$effect(() => {
		if (setting.mayChange) void setting.load();
	});

	let title = $state('');
	let person = $state('');
	let scopes = $state<string[]>(['read', 'request']);
	let days = $state(90);
	let made = $state('');

	const typed = new Typed(
		() => 'token',
		() => ({ title, person, scopes: $state.snapshot(scopes), days }),
		(was) => ({ title, person, scopes, days } = was)
	);

	async function make() {
		const sent = await setting.send(() => data(api.POST('/api/tokens', { body: { title, person, scopes, days } })));
		if (!sent) return;
		made = sent.value.token;
		title = '';
		typed.sent();
	}
	async function revoke(token_id: number, name: string) {
		if (!confirm(say.revokeIt(name))) return;
		await setting.send(() => data(api.DELETE('/api/tokens/{token_id}', { params: { path: { token_id } } })));
	}
	function ended(one: { revoked_at: string | null; expires_at: string }): string {
		if (one.revoked_at) return say.revoked(when(new Date(one.revoked_at), session.zone, new Date()));
		const end = new Date(one.expires_at);
		return (end < new Date() ? say.ended : say.until)(when(end, session.zone, new Date()));
	}
</script>

{#if !setting.mayChange}
	<p class="empty">{say.administratorsOnly}</p>
{:else if setting.found}
	{@const found = setting.found}
	{#if made}<p class="made" role="status">{say.shownOnce} <code class="mono">{made}</code> <button class="button quiet" onclick={() => void navigator.clipboard.writeText(made)}>{say.copy}</button></p>{/if}
	<ul class="lines">
		{#each found.tokens as one (one.id)}
			<li class="line" class:soft={one.revoked_at !== null}>
				<span><b>{one.title}</b> {say.for(one.person.name)} <span class="soft">{say.number(one.id)}</span></span>
				<span>{one.scopes.join(', ')}</span>
				<span class="soft">{ended(one)}</span>
				{#if one.revoked_at === null && new Date(one.expires_at) > new Date()}<button class="button quiet" onclick={() => revoke(one.id, one.title)}>{say.revoke}</button>{/if}
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	<form class="form" onsubmit={(event) => (event.preventDefault(), void make())}>
		<fieldset>
			<legend class="label">{say.makeAToken}</legend>
			<Field label={say.whatItIsFor} fault={setting.faults['/title']}>{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={title} />{/snippet}</Field>
			<Field label={say.whose} hint={say.ownerHint} fault={setting.faults['/person']}>
				{#snippet children({ id })}<select {id} class="field" required bind:value={person}><option value=""></option>{#each found.people as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select>{/snippet}
			</Field>
			<Field label={say.days} fault={setting.faults['/days']}>{#snippet children({ id })}<input {id} class="field" type="number" min="1" max="366" required bind:value={days} />{/snippet}</Field>
		</fieldset>
		<fieldset>
			<legend class="label">{say.whatItMayDo}</legend>
			{#each SCOPES as one (one)}<label class="scope"><input type="checkbox" value={one} bind:group={scopes} /> <b>{one}</b> <span class="soft">{say.scopes[one]}</span></label>{/each}
		</fieldset>
		<Back {typed} />
		{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
		<div class="acts"><button class="button main" disabled={setting.busy || scopes.length === 0}>{say.makeIt}</button></div>
	</form>
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	.line {
		--line: minmax(0, 1.4fr) minmax(0, 1fr) minmax(0, 1fr) auto;
	}
	.made {
		border-left: 4px solid var(--verdigris);
		padding: 0.4rem 0.7rem;
		overflow-wrap: anywhere;
	}
	.scope {
		display: flex;
		gap: 0.5rem;
		align-items: baseline;
	}
</style>
