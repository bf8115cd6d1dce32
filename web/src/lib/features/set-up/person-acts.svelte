<!-- What else is done about somebody: another password, the end of what they signed in with, out and in again. -->
<script lang="ts">
	import { api, data, type Schemas } from '$lib/api/client';
	import { sure } from '$lib/state/asked.svelte';
	import { people as say } from '$lib/words/set-up';
	import type { Outcome } from './second.svelte';
	import type { Setting } from './setting.svelte';

	let { person, setting, outcome, ongone }: { person: Schemas['PersonView']; setting: Pick<Setting<unknown>, 'send' | 'busy'>; outcome: Outcome; ongone: () => void } = $props();

	const params = $derived({ path: { name: person.id } });

	async function invite() {
		const sent = await setting.send(() => data(api.POST('/api/people/{name}/invitation', { params })));
		if (sent) outcome.take(sent.value);
	}
	async function endAccess() {
		if (!(await sure(say.endAccessNow(person.name), say.endAccess))) return;
		if (await setting.send(() => data(api.POST('/api/people/{name}/end-access', { params })))) outcome.says = say.ended(person.name);
	}
	async function disable() {
		const { name } = person;
		if (!(await sure(say.disableNow(name), say.disable))) return;
		const sent = await setting.send(() => data(api.DELETE('/api/people/{name}', { params })));
		if (!sent) return;
		ongone();
		outcome.says = say.gone(name, sent.value.how);
	}
	async function enable() {
		const sent = await setting.send(() => data(api.POST('/api/people/{name}/enable', { params })));
		if (sent) outcome.take(sent.value);
	}
</script>

<a class="underline" href="/ledger?person={person.id}">{say.whatTheyDecided}</a>
{#if person.disabled_at}
	<button class="button quiet" type="button" disabled={setting.busy} onclick={() => void enable()}>{say.enable}</button>
{:else}
	{#if !person.machine}<button class="button quiet" type="button" disabled={setting.busy} onclick={() => void invite()}>{say.invite}</button>{/if}
	<button class="button quiet" type="button" disabled={setting.busy} onclick={() => void endAccess()}>{say.endAccess}</button>
	<button class="button quiet" type="button" disabled={setting.busy} onclick={() => void disable()}>{say.disable}</button>
{/if}
