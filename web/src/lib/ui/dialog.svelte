<!-- What stands before everything else until it is closed: by Escape, by a click beside it, or by what stands in it. -->
<script lang="ts">
	import { Dialog, Portal } from '@skeletonlabs/skeleton-svelte';
	import type { Snippet } from 'svelte';

	type Props = {
		/** What it is called to whoever does not see it. */
		name: string;
		width?: string;
		/** `alertdialog` where an answer is needed. */
		role?: 'dialog' | 'alertdialog';
		onclose: () => void;
		children: Snippet;
	};
	let { name, width = '520px', role = 'dialog', onclose, children }: Props = $props();
</script>

<Dialog open {role} aria-label={name} onOpenChange={({ open }) => open || onclose()}>
	<Portal>
		<Dialog.Backdrop class="window-veil" />
		<Dialog.Positioner class="window-place">
			<Dialog.Content class="window" style="width: min({width}, 92vw)">{@render children()}</Dialog.Content>
		</Dialog.Positioner>
	</Portal>
</Dialog>
