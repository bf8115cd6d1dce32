<!-- Who one is in the chat, and which rooms are told of what. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import Room from './room.svelte';
	import { Setting } from '$lib/features/set-up/setting.svelte';
	import { sure } from '$lib/state/asked.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { common } from '$lib/words/common';
	import { chat as say } from '$lib/words/messages';

	const setting = new Setting(async () => {
		const [chat, services, environments] = await Promise.all([data(api.GET('/api/chat')), data(api.GET('/api/services')), data(api.GET('/api/environments'))]);
		const choices = (some: Record<string, { title: string }>) => Object.entries(some).map(([id, one]) => ({ id, title: one.title }));
		return { chat, services: choices(services), environments: choices(environments) };
	});
	setting.follow(() => live.version);
	let code = $state<Schemas['CodeView'] | null>(null);
	/** The room whose form is open; empty for a new one. */
	let open = $state<string | null>(null);
	let made = $state<Schemas['KeptRoom'] | null>(null);

	const called = (some: { id: string; title: string }[], id: string | null) => some.find((one) => one.id === id)?.title ?? null;

	function ondone(kept: Schemas['KeptRoom'] | null) {
		[made, open] = [kept, null];
	}

	async function makeCode() {
		code = (await setting.send(() => data(api.POST('/api/chat/code'))))?.value ?? null;
	}

	async function unlink() {
		if (await sure(say.endIt, say.end)) await setting.send(() => data(api.DELETE('/api/chat/link')));
	}

	async function drop(name: string, title: string) {
		if (!(await sure(say.dropIt(title), common.takeItAway))) return;
		await setting.send(() => data(api.DELETE('/api/chat/rooms/{name}', { params: { path: { name } } })));
	}
</script>

{#if setting.found}
	{@const { chat, services, environments } = setting.found}
	{#if !chat.set_up}
		<p class="soft">{say.notSetUp}</p>
	{:else}
		<h2>{say.you}</h2>
		{#if chat.linked}
			<p>{say.linked} <span class="mono">{chat.linked}</span></p>
			<button class="button quiet" onclick={unlink}>{say.end}</button>
		{:else}
			<p class="soft">{say.unlinked}</p>
			<button class="button" disabled={setting.busy} onclick={makeCode}>{say.getCode}</button>
			{#if code}
				<p class="once">{say.write} <code class="mono">link {code.code}</code> {say.until(when(new Date(code.ends), session.zone, new Date()))}</p>
			{/if}
		{/if}
	{/if}
	{#if chat.set_up || setting.mayChange}
		<h2>{say.rooms}</h2>
		<ul class="lines">
			{#each chat.rooms as one (one.id)}
				<li>
					<div class="line">
						<span><b>{one.title}</b><span class="soft small">{say.toldOf(called(services, one.service), called(environments, one.environment))}</span></span>
						<span class="mono">{one.address}{#if one.reason}<span class="refused" role="alert">{one.reason}</span>{/if}</span>
						{#if setting.mayChange}
							<span class="acts"><button class="button quiet" aria-label={say.editRoom(one.title)} aria-expanded={open === one.id} onclick={() => (open = open === one.id ? null : one.id)}>{common.edit}</button><button class="button quiet" onclick={() => drop(one.id, one.title)}>{common.takeItAway}</button></span>
						{/if}
					</div>
					{#if open === one.id}<Room {setting} {services} {environments} room={one} {ondone} />{/if}
				</li>
			{:else}
				<li class="soft empty">{say.none}</li>
			{/each}
		</ul>
		{#if made?.secret}<p class="once">{say.secretOnce(made.room.title)} <code class="mono">{made.secret}</code></p>{/if}
		{#if setting.refused && open === null}<p class="refused" role="alert">{setting.refused}</p>{/if}
		{#if setting.mayChange}
			<button class="button quiet" aria-expanded={open === ''} onclick={() => (open = open === '' ? null : '')}>{say.add}</button>
			{#if open === ''}<Room {setting} {services} {environments} {ondone} />{/if}
		{/if}
	{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	.line {
		--line: minmax(0, 1fr) minmax(0, 1.2fr) auto;
	}
	.line > span:not(.acts) {
		display: grid;
		overflow-wrap: anywhere;
	}
	.acts {
		display: flex;
		gap: 0.5rem;
	}
	h2 {
		margin: 1.2rem 0 0.3rem;
	}
	h2:first-child {
		margin-top: 0;
	}
</style>
