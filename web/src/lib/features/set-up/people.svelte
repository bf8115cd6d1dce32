<!-- Everybody with their roles and groups: who may do what, and whose seats they may take. -->
<script lang="ts">
	import { page } from '$app/state';
	import { untrack } from 'svelte';
	import { api, data, type Schemas } from '$lib/api/client';
	import { ROLES, wordsOf } from '$lib/words';
	import { Typed } from '$lib/state/typed.svelte';
	import { common } from '$lib/words/common';
	import { people as say, seconding } from '$lib/words/set-up';
	import Back from '$lib/ui/back.svelte';
	import Choices from './choices.svelte';
	import Field from './field.svelte';
	import GroupForm from './group-form.svelte';
	import PersonActs from './person-acts.svelte';
	import Seconding from './seconding.svelte';
	import { oneAlone, Outcome } from './second.svelte';
	import { Setting } from './setting.svelte';

	type Draft = { id: string; name: string; email: string; other_emails: string[]; roles: Schemas['Role'][]; groups: string[]; machine: boolean };
	const setting = new Setting(async () => {
		const [people, groups] = await Promise.all([data(api.GET('/api/people')), data(api.GET('/api/groups'))]);
		return { people, groups };
	});
	setting.follow();

	const outcome = new Outcome();
	const person = $derived(setting.found?.people.find((one) => one.id === open));
	/** Whose form is open; an empty one for somebody new. */
	let open = $state<string | null>(null);
	let draft = $state<Draft>(nobody());

	const typed = new Typed(
		() => (open === null ? null : `person-${open}`),
		() => $state.snapshot(draft),
		(was) => (draft = was)
	);

	function nobody(): Draft {
		return { id: '', name: '', email: '', other_emails: [], roles: [], groups: [], machine: false };
	}
	function edit(one: Schemas['PersonView']) {
		if (open === one.id) return (open = null);
		draft = { id: one.id, name: one.name, email: one.email, other_emails: one.other_emails, roles: one.roles as Draft['roles'], groups: one.groups.map((each) => each.id), machine: one.machine };
		open = one.id;
	}
	function begin() {
		draft = nobody();
		open = '';
	}
	let begun = false;
	$effect(() => {
		if (begun || !setting.found || !setting.mayChange || page.url.searchParams.get('begin') !== 'example') return;
		begun = true;
		untrack(begin);
		const [group] = setting.found.groups;
		draft = { ...nobody(), ...say.example, roles: ['approver', 'policy owner'], groups: group ? [group.id] : [] };
	});
	function firstFault(place: string): string | undefined {
		return Object.entries(setting.faults).find(([where]) => where.startsWith(place))?.[1];
	}
	async function keep() {
		const { id, ...body } = $state.snapshot(draft);
		const sent = await setting.send(() => data(api.PUT('/api/people/{name}', { params: { path: { name: id } }, body })));
		if (!sent) return;
		open = null;
		typed.sent();
		outcome.take(sent.value);
	}
</script>

<Seconding kinds={['person', 'invitation', 'enabling']} {outcome} onchange={() => void setting.load()} />
{#if setting.found}
	{@const found = setting.found}
	{#if oneAlone(found.people)}<p class="refused" role="status">{seconding.oneAlone}</p>{/if}
	<ul class="lines">
		{#each found.people as one (one.id)}
			<li>
				<button class="line" aria-expanded={open === one.id} disabled={!setting.mayChange} onclick={() => edit(one)}>
					<span><b>{one.name}</b><br /><span class="soft">{one.email}</span></span>
					<span>{one.roles.join(', ')}{#if one.disabled_at || one.machine || !one.can_sign_in}<br /><span class="soft">{one.disabled_at ? say.isDisabled : one.machine ? say.machine.toLowerCase() : say.notYet}</span>{/if}</span>
					<span>{one.groups.map((each) => each.name).join(', ') || say.noGroup}</span>
				</button>
				{#if open === one.id}{@render form()}{/if}
			</li>
		{/each}
	</ul>
	{#if setting.mayChange}
		<div class="anew"><button class="button quiet" onclick={begin}>{say.setUpSomebody}</button></div>
		{#if open === ''}{@render form()}{/if}
		<GroupForm {setting} groups={found.groups} />
	{:else}<p class="soft">{common.administratorsOnly}</p>{/if}
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

{#snippet form()}
	<form class="form" onsubmit={(event) => (event.preventDefault(), void keep())}>
		<fieldset>
			<legend class="label">{open === '' ? say.somebodyNew : draft.name}</legend>
			{#if open === ''}
				<Field label={say.nameForPolicies} hint={common.nameHint}>
					{#snippet children({ id })}<input {id} class="field mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="63" bind:value={draft.id} />{/snippet}
				</Field>
			{/if}
			<Field label={common.name} fault={setting.faults['/name']}>
				{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={draft.name} />{/snippet}
			</Field>
			<Field label={say.mailAddress} fault={setting.faults['/email']}>
				{#snippet children({ id })}<input {id} class="field" type="email" required maxlength="200" bind:value={draft.email} />{/snippet}
			</Field>
			<Field label={say.otherAddresses} hint={say.otherAddressesHint} fault={firstFault('/other_emails')}>
				{#snippet children({ id })}<input {id} class="field" value={draft.other_emails.join(' ')} onchange={(event) => (draft.other_emails = wordsOf(event.currentTarget.value))} />{/snippet}
			</Field>
			<Field label={say.machine} hint={say.machineHint}>
				{#snippet children({ id })}<input {id} type="checkbox" bind:checked={draft.machine} />{/snippet}
			</Field>
			<Choices name={say.roles} says={say.roles} options={ROLES.map((role) => ({ id: role, name: role }))} bind:chosen={draft.roles} fault={setting.faults['/roles']} />
			<Choices name={common.groups} says={say.sitsFor} options={setting.found?.groups ?? []} bind:chosen={draft.groups} />
		</fieldset>
		<Back {typed} />
		{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
		<div class="acts">
			<button class="button main" disabled={setting.busy || draft.roles.length === 0}>{common.keepIt}</button>
			<button class="button quiet" type="button" onclick={() => (open = null)}>{common.leaveIt}</button>
			{#if person}<PersonActs {person} {setting} {outcome} ongone={() => (open = null)} />{/if}
		</div>
	</form>
{/snippet}

<style>
	.line:disabled {
		color: inherit;
		opacity: 1;
		cursor: default;
	}
	.line {
		--line: minmax(0, 1.3fr) minmax(0, 1fr) minmax(0, 1fr);
	}
</style>
