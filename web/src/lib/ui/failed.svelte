<!-- What stands in the place of a part that cannot be shown. It is tried again elsewhere, and with whatever changes. -->
<script lang="ts">
	import { page } from '$app/state';
	import { live } from '$lib/state/live.svelte';
	import { frame as say } from '$lib/words/frame';
	import { untrack } from 'svelte';

	let { says, as, reset }: { says: string; as: 'p' | 'li'; reset: () => void } = $props();
	const was = untrack(() => [page.url.href, live.version]);

	$effect(() => {
		if (page.url.href !== was[0] || live.version !== was[1]) reset();
	});
</script>

<svelte:element this={as} class="failed" role="alert">{says} <button class="underline" onclick={reset}>{say.tryAgain}</button></svelte:element>
