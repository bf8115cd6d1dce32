<!-- Who else has the same promotion open. -->
<script lang="ts">
	import { initials } from '$lib/words';
	import { looking as say } from '$lib/words/desk';
	let { people, too = true }: { people: { id: string; name: string }[]; too?: boolean } = $props();
</script>

{#if people.length}
	<span class="looking"><span class="who" aria-hidden="true">{people.map((one) => initials(one.name)).join(' ')}</span>{say.looking(people.map((one) => one.name), too)}</span>
{/if}

<style>
	.looking {
		color: var(--blue);
	}
	.who {
		margin-right: 0.35rem;
		padding: 0 3px;
		border: 1px dashed currentColor;
		font-size: var(--text-tiny);
	}
</style>
