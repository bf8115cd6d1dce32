<!-- When members of a group are mailed of what, where they have not chosen themselves. -->
<script lang="ts">
	import { api, data, type Kind, type Schemas, type Timing } from '$lib/api/client';
	import { Setting } from '$lib/features/set-up/setting.svelte';
	import { choosing as say, KINDS } from '$lib/words/messages';

	const setting = new Setting(async () => {
		const [groups, house] = await Promise.all([data(api.GET('/api/groups')), data(api.GET('/api/messages/house'))]);
		return { groups, house };
	});
	setting.follow();
	let group = $state('');
	const mail = $derived(setting.found?.house.groups[group]?.mail ?? {});
	/** Always sent: whoever waits for an invitation cannot come in to choose, and who took an account is not to. */
	const ALWAYS = ['invitation', 'address'];
	const kinds = Object.entries(KINDS).filter(([kind]) => !ALWAYS.includes(kind));
	const timings = Object.entries(say.timings) as [Timing, string][];
	const id = $props.id();

	async function choose(kind: Kind, timing: Timing | '') {
		const { [kind]: _, ...others } = mail;
		const body: Schemas['GroupChoices'] = { mail: timing ? { ...others, [kind]: timing } : others };
		await setting.send(() => data(api.PUT('/api/messages/groups/{name}', { params: { path: { name: group } }, body })));
	}
</script>

{#if setting.found}
	<section class="form">
		<label for={id}>{say.ofGroup} <span class="soft">{say.ofGroupHint}</span></label>
		<select {id} class="field" bind:value={group}>
			<option value="">{say.noGroup}</option>
			{#each setting.found.groups as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
		</select>
		{#if group}
			<dl>
				{#each kinds as [kind, name] (kind)}
					<dt>{name}</dt>
					<dd>
						<select class="field" aria-label={say.forGroup(name)} disabled={setting.busy} value={mail[kind] ?? ''} onchange={(event) => choose(kind as Kind, event.currentTarget.value as Timing)}>
							<option value="">{say.usual}</option>
							{#each timings as [timing, word] (timing)}<option value={timing}>{word}</option>{/each}
						</select>
					</dd>
				{/each}
			</dl>
		{/if}
		{#if setting.refused || setting.failed}<p class="refused" role="alert">{setting.refused || setting.failed}</p>{/if}
	</section>
{/if}

<style>
	section {
		padding-top: 1.4rem;
	}
	label {
		font-weight: 600;
	}
	label .soft {
		font-weight: 400;
	}
	dl {
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(0, 11rem);
		gap: 0.3rem 1rem;
		max-width: 34rem;
		padding-top: 0.6rem;
	}
	select {
		max-width: 22rem;
	}
</style>
