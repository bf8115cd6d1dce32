<!-- Who may send us events, and what came of those that came. -->
<script lang="ts">
	import { sure } from '$lib/state/asked.svelte';
	import { session } from '$lib/state/session.svelte';
	import { api, data } from '$lib/api/client';
	import { live } from '$lib/state/live.svelte';
	import { when } from '$lib/time/time';
	import { Typed } from '$lib/state/typed.svelte';
	import { common } from '$lib/words/common';
	import { eventsIn as say } from '$lib/words/outside';
	import Back from '$lib/ui/back.svelte';
	import Field from './field.svelte';
	import Seconding from './seconding.svelte';
	import { Outcome } from './second.svelte';
	import { Setting } from './setting.svelte';

	const setting = new Setting(async () => {
		const [senders, arrivals, people] = await Promise.all([
			data(api.GET('/api/senders')),
			data(api.GET('/api/arrivals')),
			data(api.GET('/api/people'))
		]);
		return { senders, arrivals, machines: people.filter((one) => one.machine) };
	});
	let name = $state('');
	let title = $state('');
	let person = $state('');
	let binary = $state(false);
	let adding = $state(false);
	const outcome = new Outcome();
	let made = $state<{ title: string; secret: string; address: string; waits: boolean } | null>(null);

	setting.follow(() => live.version);

	const typed = new Typed(
		() => (adding ? 'events-in' : null),
		() => ({ name, title, person, binary }),
		(was) => ({ name, title, person, binary } = was)
	);

	async function add() {
		const done = await setting.send(() => data(api.PUT('/api/senders/{name}', { params: { path: { name } }, body: { title, person, binary } })));
		if (!done) return;
		outcome.take(done.value);
		made = { title, secret: done.value.secret, address: `${location.origin}/api/hooks/${name}`, waits: done.value.waits !== null };
		name = title = person = '';
		binary = false;
		adding = false;
	}

	async function drop(id: string, called: string) {
		if (!(await sure(say.takeNone(called), common.takeItAway))) return;
		await setting.send(() => data(api.DELETE('/api/senders/{name}', { params: { path: { name: id } } })));
	}

	/** `test suite run finished`, out of the type's own words. */
	const plain = (type: string) =>
		type
			.replace(/^dev\.cdevents\./, '')
			.replace(/\.\d.*$/, '')
			.replace('testsuiterun', say.testSuiteRun)
			.replaceAll('.', ' ');
</script>

<Seconding kinds={['sender']} {outcome} onchange={() => void setting.load()} />
{#if setting.found}
	<ul class="lines">
		{#each setting.found.senders as one (one.id)}
			<li class="line">
				<span><b>{one.title}</b><span class="soft small">{say.actsAsWho(one.person.name)}{one.binary ? say.alsoBinary : ''}</span></span>
				<span class="mono">/api/hooks/{one.id}</span>
				{#if setting.mayChange}<button class="button quiet" onclick={() => drop(one.id, one.title)}>{say.takeNoMore}</button>{/if}
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	{#if made}
		<p class="once">{say.sendsTo(made.title)} <code class="mono">{made.address}</code>{made.waits ? say.onceConfirmed : say.secretOnce} <code class="mono">{made.secret}</code></p>
	{/if}
	{#if setting.mayChange}
		<button class="button quiet" aria-expanded={adding} onclick={() => (adding = !adding)}>{say.letASystemSendEvents}</button>
		{#if adding}
			<form class="form" onsubmit={(event) => (event.preventDefault(), void add())}>
				<fieldset>
					<Field label={common.title} fault={setting.faults['/title']}>{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={title} />{/snippet}</Field>
					<Field label={common.name} hint={common.nameHint} fault={setting.faults['/name']}>{#snippet children({ id })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" bind:value={name} />{/snippet}</Field>
					<Field label={say.actsAs} hint={say.actsAsHint} fault={setting.faults['/person']}>
						{#snippet children({ id })}<select {id} class="field" required bind:value={person}><option value="">{say.choose}</option>{#each setting.found?.machines ?? [] as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select>{/snippet}
					</Field>
					<Field label={say.binary} hint={say.binaryHint}>{#snippet children({ id })}<input {id} type="checkbox" bind:checked={binary} />{/snippet}</Field>
				</fieldset>
				<Back {typed} />
				{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
				<div class="acts"><button class="button main" disabled={setting.busy}>{say.letItSend}</button></div>
			</form>
		{/if}
	{/if}
	<h2>{say.whatCame}</h2>
	<ul class="lines">
		{#each setting.found.arrivals as one (`${one.source} ${one.id}`)}
			<li class="line">
				<span><b>{plain(one.type)}</b><span class="soft small">{say.came(when(new Date(one.arrived_at), session.zone, new Date()), one.source)}</span></span>
				<span>{one.says}</span>
				<span class="state" data-state={one.state}>{one.state}</span>
			</li>
		{:else}
			<li class="soft empty">{say.noneCame}</li>
		{/each}
	</ul>
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	.line {
		--line: minmax(0, 1fr) minmax(0, 1.2fr) auto;
	}
	h2 {
		margin-top: 1.4rem;
	}
	.state {
		padding: 0 0.4rem;
		border: 1px solid var(--hair-strong);
	}
	.state[data-state='refused'] {
		border: 2px solid var(--wax);
		color: var(--wax);
	}
	.state[data-state='waiting'] {
		border-style: dashed;
	}
</style>
