<!-- Who lets go into an environment, and reports there. -->
<script lang="ts">
	import type { Schemas } from '$lib/api/client';
	import { wordsOf } from '$lib/words';
	import { environments as say } from '$lib/words/set-up';
	import Field from './field.svelte';
	let { draft, faults }: { draft: Schemas['Environment']; faults: Record<string, string> } = $props();

	const named = $derived(draft.deployers);
</script>

<label class="wide"><input type="checkbox" checked={Boolean(named)} onchange={(event) => (draft.deployers = event.currentTarget.checked ? { people: [], groups: [], tokens: [] } : null)} /> {say.deployers}</label>
{#if named}
	<Field label={say.deployersPeople} hint={say.deployersHint} fault={faults['/deployers/people']}>
		{#snippet children({ id })}<input {id} class="field mono" value={named.people.join(' ')} onchange={(event) => (named.people = wordsOf(event.currentTarget.value))} />{/snippet}
	</Field>
	<Field label={say.deployersGroups} hint={say.deployersHint} fault={faults['/deployers/groups']}>
		{#snippet children({ id })}<input {id} class="field mono" value={named.groups.join(' ')} onchange={(event) => (named.groups = wordsOf(event.currentTarget.value))} />{/snippet}
	</Field>
	<Field label={say.deployersTokens} hint={say.tokensHint} fault={faults['/deployers/tokens']}>
		{#snippet children({ id })}<input {id} class="field mono" value={named.tokens.join(' ')} onchange={(event) => (named.tokens = wordsOf(event.currentTarget.value).map(Number).filter(Number.isInteger))} />{/snippet}
	</Field>
{/if}
