<!-- Every key there is. -->
<script lang="ts">
	import { SHORTCUTS } from '$lib/words';
	import { common } from '$lib/words/common';
	let { onclose }: { onclose: () => void } = $props();

	function open(dialog: HTMLDialogElement) {
		dialog.showModal();
	}
</script>

<dialog {@attach open} {onclose} aria-labelledby="keys">
	<h2 id="keys">{common.keys}</h2>
	{#each SHORTCUTS as group (group.where)}
		<h3>{group.where}</h3>
		<dl>
			{#each group.keys as [keys, does] (keys)}
				<dt>{#each keys.split(' ') as key (key)}<kbd>{key}</kbd> {/each}</dt>
				<dd>{does}</dd>
			{/each}
		</dl>
	{/each}
	<form method="dialog"><button class="button quiet">{common.close}</button></form>
</dialog>

<style>
	dialog {
		width: min(520px, 92vw);
		margin: 10vh auto auto;
		padding: 1rem 1.2rem;
		border: 1.5px solid var(--ink);
		background: var(--paper);
		color: var(--ink);
	}
	dialog::backdrop {
		background: oklch(0.2 0.02 262 / 0.35);
	}
	h2 {
		font-size: 20px;
	}
	h3 {
		font-size: 16px;
		padding-top: 0.5rem;
	}
	dl {
		display: grid;
		grid-template-columns: 110px 1fr;
		gap: 2px 0.8rem;
	}
	form {
		padding-top: 0.8rem;
	}
</style>
