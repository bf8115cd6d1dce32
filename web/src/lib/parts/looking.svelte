<!-- Who else has the same promotion open. -->
<script lang="ts">
	import { initials } from '$lib/words';
	let { people, too = true }: { people: { id: string; name: string }[]; too?: boolean } = $props();
	const names = $derived(new Intl.ListFormat('en').format(people.map((one) => one.name)));
</script>

{#if people.length}
	<span class="looking"><span class="who" aria-hidden="true">{people.map((one) => initials(one.name)).join(' ')}</span>{names} {people.length === 1 ? 'is' : 'are'} looking{too ? ' too' : ''}</span>
{/if}

<style>
	.looking {
		color: var(--blue);
	}
	.who {
		margin-right: 0.35rem;
		padding: 0 3px;
		border: 1px dashed currentColor;
		font-size: 10.5px;
	}
</style>
