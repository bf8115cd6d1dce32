<!-- One's own access: where one is signed in, and one's password. -->
<script lang="ts">
	import { goto } from '$app/navigation';
	import { api, data } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { own as say } from '$lib/words/set-up';
	import Field from './field.svelte';
	import { Setting } from './setting.svelte';

	const setting = new Setting(() => data(api.GET('/api/sessions')));
	const password = new Setting(async () => null);
	let [old, fresh, changed] = $state(['', '', false]);
	setting.follow();

	/** The browser's name, as people know it. */
	function browser(agent: string): string {
		return Object.entries(say.browsers).find(([sign]) => agent.includes(sign))?.[1] ?? say.another;
	}
	async function end(number: number, this_one: boolean) {
		const done = await setting.send(() => data(api.DELETE('/api/sessions/{number}', { params: { path: { number } } })));
		if (done && this_one) await goto('/sign-in');
	}
	async function change() {
		changed = false;
		const body = { old, new: fresh };
		if (!(await password.send(() => data(api.PUT('/api/password', { body }))))) return;
		changed = true;
		old = fresh = '';
		await setting.load();
	}
</script>

<h2>{say.sessions}</h2>
{#if setting.found}
	<ul class="lines">
		{#each setting.found as one (one.id)}
			<li class="line">
				<span><b>{browser(one.agent)}</b> {#if one.this_one}<span class="soft">{say.thisOne}</span>{/if}</span>
				<span class="soft">{say.from(one.address)}</span>
				<span class="soft">{say.since(when(new Date(one.began_at), session.zone, new Date()))}</span>
				<button class="button quiet" disabled={setting.busy} onclick={() => end(one.id, one.this_one)}>{say.end}</button>
			</li>
		{/each}
	</ul>
{/if}
{#if setting.refused || setting.failed}<p class="refused" role="alert">{setting.refused || setting.failed}</p>{/if}
<form class="form" onsubmit={(event) => (event.preventDefault(), void change())}>
	<fieldset>
		<legend class="label">{say.password}</legend>
		<Field label={say.old} fault={password.faults['/old']}>{#snippet children({ id })}<input {id} class="field" type="password" autocomplete="current-password" required bind:value={old} />{/snippet}</Field>
		<Field label={say.fresh} hint={say.atLeast} fault={password.faults['/new']}>{#snippet children({ id })}<input {id} class="field" type="password" autocomplete="new-password" required minlength="12" maxlength="200" bind:value={fresh} />{/snippet}</Field>
	</fieldset>
	{#if password.refused}<p class="refused" role="alert">{password.refused}</p>{/if}
	{#if changed}<p role="status">{say.changed}</p>{/if}
	<div class="acts"><button class="button main" disabled={password.busy}>{say.change}</button></div>
</form>

<style>
	h2 {
		padding-top: 0.7rem;
	}
	.line {
		--line: minmax(0, 1fr) minmax(0, 1fr) minmax(0, 1fr) auto;
	}
</style>
