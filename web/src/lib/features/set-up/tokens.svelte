<!-- Tokens: made for somebody, with scopes and an end; their text is shown once. -->
<script lang="ts">
	import { sure } from '$lib/state/asked.svelte';
	import { session } from '$lib/state/session.svelte';
	import { api, data, type Schemas } from '$lib/api/client';
	import { when } from '$lib/time/time';
	import { tokens as say } from '$lib/words/set-up';
	import { Typed } from '$lib/state/typed.svelte';
	import { listed } from '$lib/words/common';
	import Back from '$lib/ui/back.svelte';
	import Field from './field.svelte';
	import Seconding from './seconding.svelte';
	import { Outcome } from './second.svelte';
	import { Setting } from './setting.svelte';

	const SCOPES = ['read', 'request', 'decide', 'deploy', 'feed', 'administer'] as const;
	const setting = new Setting(async () => {
		const [tokens, people, services, environments] = await Promise.all([data(api.GET('/api/tokens')), data(api.GET('/api/people')), data(api.GET('/api/services')), data(api.GET('/api/environments'))]);
		return { tokens, machines: people.filter((one) => one.machine), services, environments };
	});
	setting.follow();

	let title = $state('');
	let person = $state('');
	let scopes = $state<Schemas['NewToken']['scopes']>(['read', 'request']);
	let services = $state<string[]>([]);
	let environments = $state<string[]>([]);
	let days = $state(90);
	let made = $state<Schemas['MadeToken'] | null>(null);
	const outcome = new Outcome();

	const typed = new Typed(
		() => 'token',
		() => $state.snapshot({ title, person, scopes, services, environments, days }),
		(was) => ({ title, person, scopes, services, environments, days } = was)
	);

	async function make() {
		const sent = await setting.send(() => data(api.POST('/api/tokens', { body: { title, person: person || null, scopes, services, environments, days } })));
		if (!sent) return;
		made = sent.value;
		outcome.take(sent.value);
		title = '';
		typed.sent();
	}
	async function revoke(token_id: number, name: string) {
		if (!(await sure(say.revokeIt(name), say.revoke))) return;
		await setting.send(() => data(api.DELETE('/api/tokens/{token_id}', { params: { path: { token_id } } })));
	}
	function limits(one: Schemas['TokenView']): string[] {
		const named = (names: string[], things: Record<string, { title: string }> = {}) => names.map((name) => things[name]?.title ?? name);
		return [...named(one.services, setting.found?.services), ...named(one.environments, setting.found?.environments)];
	}
	function ended(one: { revoked_at: string | null; expires_at: string }): string {
		if (one.revoked_at) return say.revoked(when(new Date(one.revoked_at), session.zone, new Date()));
		const end = new Date(one.expires_at);
		return (end < new Date() ? say.ended : say.until)(when(end, session.zone, new Date()));
	}
</script>

<Seconding kinds={['token']} {outcome} onchange={() => void setting.load()} />
{#if setting.found}
	{@const found = setting.found}
	{#if made}{@const text = made.token}<p class="made" role="status">{made.waits ? say.goodOnceConfirmed : say.shownOnce} <code class="mono">{text}</code> <button class="button quiet" onclick={() => void navigator.clipboard.writeText(text)}>{say.copy}</button></p>{/if}
	<ul class="lines">
		{#each found.tokens as one (one.id)}
			<li class="line" class:soft={one.revoked_at !== null}>
				<span><b>{one.title}</b> {say.for(one.person.name)} <span class="soft">{say.number(one.id)}</span></span>
				<span>{one.scopes.join(', ')}{#if limits(one).length}<br /><span class="soft">{say.for_(listed(limits(one)))}</span>{/if}</span>
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
				{#snippet children({ id })}<select {id} class="field" bind:value={person}><option value="">{say.mine}</option>{#each setting.mayChange ? found.machines : [] as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select>{/snippet}
			</Field>
			<Field label={say.days} fault={setting.faults['/days']}>{#snippet children({ id })}<input {id} class="field" type="number" min="1" max="366" required bind:value={days} />{/snippet}</Field>
		</fieldset>
		<fieldset>
			<legend class="label">{say.whatItMayDo}</legend>
			{#each SCOPES as one (one)}<label class="scope"><input type="checkbox" value={one} bind:group={scopes} /> <b>{one}</b> <span class="soft">{say.scopes[one]}</span></label>{/each}
		</fieldset>
		{#each [{ label: say.services, things: found.services, chosen: services, choose: (all: string[]) => (services = all) }, { label: say.environments, things: found.environments, chosen: environments, choose: (all: string[]) => (environments = all) }] as limit (limit.label)}
			<fieldset>
				<legend><span class="label">{limit.label}</span> <span class="soft about">{say.limitHint}</span></legend>
				{#each Object.entries(limit.things) as [name, one] (name)}
					<label class="scope"><input type="checkbox" checked={limit.chosen.includes(name)} onchange={() => limit.choose(limit.chosen.includes(name) ? limit.chosen.filter((each) => each !== name) : [...limit.chosen, name])} /> {one.title}</label>
				{/each}
			</fieldset>
		{/each}
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
