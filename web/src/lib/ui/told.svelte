<!-- What one did just now, in a corner. -->
<script lang="ts">
	import { Toast } from '@skeletonlabs/skeleton-svelte';
	import { toaster } from '$lib/state/told';
	import { common } from '$lib/words/common';
</script>

<Toast.Group {toaster}>
	{#snippet children(toast)}
		<Toast {toast} class="told">
			<Toast.Message class="told-message"><Toast.Title class="told-title">{toast.title}</Toast.Title></Toast.Message>
			{#if toast.action}<Toast.ActionTrigger class="button quiet">{toast.action.label}</Toast.ActionTrigger>{/if}
			<Toast.CloseTrigger class="told-close" aria-label={common.close}>×</Toast.CloseTrigger>
		</Toast>
	{/snippet}
</Toast.Group>

<style>
	:global(.told) {
		display: flex;
		align-items: center;
		gap: 0.8rem;
		width: min(440px, 92vw);
		padding: 0.6rem 0.8rem;
		border: 1.5px solid var(--ink);
		border-left: 4px solid var(--verdigris);
		border-radius: 0;
		box-shadow: none;
		background: var(--paper);
		color: var(--ink);
	}
	:global(.told-message) {
		flex: 1;
	}
	:global(.told-title) {
		font: inherit;
	}
	:global(.told .button) {
		font-size: var(--text-body);
	}
	:global(.told-close) {
		padding: 0 0.3rem;
		font-size: var(--text-lead);
		cursor: pointer;
	}
</style>
