<!-- Every key there is. -->
<script lang="ts">
	import Dialog from '$lib/ui/dialog.svelte';
	import { SHORTCUTS } from '$lib/words';
	import { common } from '$lib/words/common';
	let { onclose }: { onclose: () => void } = $props();
</script>

<Dialog name={common.keys} {onclose}>
	<h2>{common.keys}</h2>
	{#each SHORTCUTS as group (group.where)}
		<h3>{group.where}</h3>
		<dl>
			{#each group.keys as [keys, does] (keys)}
				<dt>{#each keys.split(' ') as key (key)}<kbd>{key}</kbd> {/each}</dt>
				<dd>{does}</dd>
			{/each}
		</dl>
	{/each}
	<p><button class="button quiet" onclick={onclose}>{common.close}</button></p>
</Dialog>

<style>
	h3 {
		font-size: var(--text-lead);
		padding-top: 0.5rem;
	}
	dl {
		display: grid;
		grid-template-columns: 110px 1fr;
		gap: 2px 0.8rem;
	}
	p {
		padding-top: 0.8rem;
	}
</style>
