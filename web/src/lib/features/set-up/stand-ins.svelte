<!-- Stand-ins with their dates: everybody names their own, administrators anybody's. -->
<script lang="ts">
	import { api, data } from '$lib/api/client';
	import { sure } from '$lib/state/asked.svelte';
	import { session } from '$lib/state/session.svelte';
	import { city, HOUR, when } from '$lib/time/time';
	import { Typed } from '$lib/state/typed.svelte';
	import Instant from '$lib/ui/instant.svelte';
	import { common, unreadable } from '$lib/words/common';
	import { standIns as say } from '$lib/words/set-up';
	import Back from '$lib/ui/back.svelte';
	import Field from './field.svelte';
	import { Outcome } from './second.svelte';
	import Seconding from './seconding.svelte';
	import { Setting } from './setting.svelte';

	const ZONE = session.zone;
	const setting = new Setting(async () => {
		const [standIns, people] = await Promise.all([data(api.GET('/api/stand-ins')), data(api.GET('/api/people'))]);
		return { standIns, people: people.filter((one) => one.groups.length > 0) };
	});
	setting.follow();

	const me = session.me?.id ?? '';
	const outcome = new Outcome();
	let person = $state('');
	let away = $state(me);
	const NOW = Math.ceil(Date.now() / HOUR) * HOUR;
	let from = $state<number | null>(NOW);
	let until = $state<number | null>(NOW + 7 * 24 * HOUR);
	const typed = new Typed(
		() => 'stand-in',
		() => ({ person, away, from, until }),
		(was) => ({ person, away, from, until } = was)
	);
	const wrong = $derived.by(() => {
		return from === null || until === null || from < until ? '' : say.backwards;
	});

	async function name() {
		if (from === null || until === null) return;
		const body = { person, stands_in_for: away, start: new Date(from).toISOString(), end: new Date(until).toISOString() };
		const done = await setting.send(() => data(api.POST('/api/stand-ins', { body })));
		if (done) {
			outcome.take(done.value);
			person = '';
			typed.sent();
		}
	}
	async function end(number: number, who: string) {
		if (!(await sure(say.endNow(who), say.endIt))) return;
		await setting.send(() => data(api.DELETE('/api/stand-ins/{number}', { params: { path: { number } } })));
	}
</script>

<Seconding kinds={['stand-in']} {outcome} onchange={() => void setting.load()} />
{#if setting.found}
	{@const found = setting.found}
	<ul class="lines">
		{#each found.standIns as one (one.id)}
			<li class="line">
				<span><b>{one.person.name}</b> {say.for} <b>{one.stands_in_for.name}</b></span>
				<span>{say.dates(when(new Date(one.start), ZONE, new Date()), when(new Date(one.end), ZONE, new Date()), city(ZONE))}</span>
				{#if setting.mayChange || one.stands_in_for.id === me}<button class="button quiet" onclick={() => end(one.id, one.person.name)}>{say.endIt}</button>{/if}
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	{#if setting.mayChange || found.people.some((one) => one.id === me)}
		<form class="form" onsubmit={(event) => (event.preventDefault(), void name())}>
			<fieldset>
				<legend class="label">{say.nameAStandIn}</legend>
				<Field label={say.whoIsAway} hint={!setting.mayChange ? say.administratorsOnly : away === me ? '' : say.takesTwo} fault={setting.faults['/stands_in_for']}>
					{#snippet children({ id })}<select {id} class="field" required disabled={!setting.mayChange} bind:value={away}>{#each found.people as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select>{/snippet}
				</Field>
				<Field label={say.whoStandsIn} fault={setting.faults['/person']}>
					{#snippet children({ id })}<select {id} class="field" required bind:value={person}><option value=""></option>{#each found.people.filter((one) => one.id !== away) as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</select>{/snippet}
				</Field>
				<Field label={common.from} hint={city(ZONE)} fault={setting.faults['/start']} check={(text) => unreadable(text, ZONE, NOW)}>{#snippet children({ id })}<Instant {id} zone={ZONE} required told={false} bind:at={from} />{/snippet}</Field>
				<Field label={common.until} hint={city(ZONE)} fault={wrong || setting.faults['/end']} check={(text) => unreadable(text, ZONE, NOW)}>{#snippet children({ id })}<Instant {id} zone={ZONE} required told={false} bind:at={until} />{/snippet}</Field>
			</fieldset>
			<Back {typed} />
			{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
			<div class="acts"><button class="button main" disabled={setting.busy || wrong !== '' || from === null || until === null || !person}>{say.nameThem}</button></div>
		</form>
	{:else}
		<p class="soft">{say.noSeats}</p>
	{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	.line {
		--line: minmax(0, 1fr) minmax(0, 1fr) auto;
	}
</style>
