<!-- Asks whether something is to be done, in the words of what will happen. -->
<script lang="ts">
	import { asked } from '$lib/state/asked.svelte';
	import { common } from '$lib/words/common';
	import Dialog from './dialog.svelte';

	function answer(yes: boolean) {
		const one = asked.now;
		asked.now = null;
		one?.answer(yes);
	}
</script>

{#if asked.now}
	<Dialog name={asked.now.text} width="440px" role="alertdialog" onclose={() => answer(false)}>
		<p>{asked.now.text}</p>
		<div>
			<button class="button quiet" onclick={() => answer(false)}>{common.cancel}</button>
			<button class="button grave" onclick={() => answer(true)}>{asked.now.act}</button>
		</div>
	</Dialog>
{/if}

<style>
	p {
		font-size: var(--text-lead);
	}
	div {
		display: flex;
		justify-content: end;
		gap: 0.6rem;
		padding-top: 0.9rem;
	}
</style>
