<!-- Who is told of what happens; what could not be told, to be sent again. -->
<script lang="ts">
	import { sure } from '$lib/state/asked.svelte';
	import { session } from '$lib/state/session.svelte';
	import { api, data } from '$lib/api/client';
	import { live } from '$lib/state/live.svelte';
	import { when } from '$lib/time/time';
	import { Typed } from '$lib/state/typed.svelte';
	import { common } from '$lib/words/common';
	import { eventsOut as say } from '$lib/words/outside';
	import Back from '$lib/ui/back.svelte';
	import Field from './field.svelte';
	import { Setting } from './setting.svelte';

	const ZONE = session.zone;
	const setting = new Setting(async () => {
		const [subscribers, dead, waiting, filters] = await Promise.all([
			data(api.GET('/api/subscribers')),
			data(api.GET('/api/deliveries', { params: { query: { dead: true } } })),
			data(api.GET('/api/deliveries', { params: { query: { dead: false } } })),
			data(api.GET('/api/ledger/filters'))
		]);
		return { subscribers, dead, waiting, actions: filters.actions };
	});
	let name = $state('');
	let title = $state('');
	let address = $state('');
	let actions = $state<string[]>([]);
	let made = $state<{ title: string; secret: string } | null>(null);
	let adding = $state(false);

	setting.follow(() => live.version);

	const typed = new Typed(
		() => (adding ? 'events-out' : null),
		() => ({ name, title, address, actions: $state.snapshot(actions) }),
		(was) => ({ name, title, address, actions } = was)
	);

	async function add() {
		const body = { title, address, actions };
		const done = await setting.send(() => data(api.PUT('/api/subscribers/{name}', { params: { path: { name } }, body })));
		if (!done) return;
		made = { title, secret: done.value.secret };
		name = title = address = '';
		actions = [];
		adding = false;
	}

	async function drop(id: string, called: string) {
		if (!(await sure(say.tellNone(called), common.takeItAway))) return;
		await setting.send(() => data(api.DELETE('/api/subscribers/{name}', { params: { path: { name: id } } })));
	}

	const resend = (number: number) => setting.send(() => data(api.POST('/api/deliveries/{number}/resend', { params: { path: { number } } })));
	const moment = (at: string) => when(new Date(at), ZONE, new Date());
</script>

{#if setting.found}
	{@const found = setting.found}
	<ul class="lines">
		{#each found.subscribers as one (one.id)}
			<li class="line">
				<span><b>{one.title}</b><span class="soft small">{say.told(one.actions)}</span></span>
				<span class="mono address">{one.address}</span>
				{#if setting.mayChange}<button class="button quiet" onclick={() => drop(one.id, one.title)}>{say.tellItNoMore}</button>{/if}
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	{#if made}<p class="once">{say.secretOnce(made.title)} <code class="mono">{made.secret}</code></p>{/if}
	{#if setting.mayChange}
		<button class="button quiet" aria-expanded={adding} onclick={() => (adding = !adding)}>{say.haveSomebodyTold}</button>
		{#if adding}
			<form class="form" onsubmit={(event) => (event.preventDefault(), void add())}>
				<fieldset>
					<Field label={common.title} fault={setting.faults['/title']}>{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={title} />{/snippet}</Field>
					<Field label={common.name} hint={common.nameHint} fault={setting.faults['/name']}>{#snippet children({ id })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" bind:value={name} />{/snippet}</Field>
					<Field label={say.address} hint={say.addressHint} fault={setting.faults['/address']} wide>{#snippet children({ id })}<input {id} class="field mono" type="url" required bind:value={address} />{/snippet}</Field>
					<div class="kinds"><span class="legend">{say.toldOf} <span class="soft">{say.everythingHint}</span></span>
						{#each found.actions as action (action)}<label><input type="checkbox" value={action} bind:group={actions} /> {action}</label>{/each}
					</div>
				</fieldset>
				<Back {typed} />
				{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
				<div class="acts"><button class="button main" disabled={setting.busy}>{say.haveItTold}</button></div>
			</form>
		{/if}
	{/if}
	<h2>{say.couldNotBeTold} <span class="soft">{found.dead.length || ''}</span></h2>
	<ul class="lines">
		{#each found.dead as one (one.id)}
			<li class="line">
				<span><b>{one.says}</b><span class="soft small">{say.to(moment(one.at), one.subscriber)}</span></span>
				<span class="wrong">{say.givenUp(one.reason, one.attempts)}</span>
				{#if setting.mayChange}<button class="button" disabled={setting.busy} onclick={() => resend(one.id)}>{say.sendItAgain}</button>{/if}
			</li>
		{:else}
			<li class="soft empty">{say.noneDead}</li>
		{/each}
	</ul>
	{#if found.waiting.length}
		<h2>{say.stillToBeTold} <span class="soft">{found.waiting.length}</span></h2>
		<ul class="lines">
			{#each found.waiting as one (one.id)}
				<li class="line"><span><b>{one.says}</b><span class="soft small">{say.to(moment(one.at), one.subscriber)}</span></span><span class="wrong">{one.reason ? say.again(one.reason, moment(one.next_attempt_at)) : say.aboutToBeSent}</span></li>
			{/each}
		</ul>
	{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	.line {
		--line: minmax(0, 1.3fr) minmax(0, 1fr) auto;
	}
	h2 {
		margin-top: 1.4rem;
	}
	.address {
		overflow: hidden;
		text-overflow: ellipsis;
	}
	.kinds {
		grid-column: 1 / -1;
		display: flex;
		flex-wrap: wrap;
		gap: 0.2rem 1rem;
	}
	.legend {
		flex-basis: 100%;
		font-weight: 600;
	}
</style>
