<!-- Says that what a form shows was typed at an earlier visit. -->
<script lang="ts">
	import { common } from '$lib/words/common';
	let { typed }: { typed: { readonly back: boolean } } = $props();
</script>

{#if typed.back}<p class="back" role="status">{common.typedBack}</p>{/if}

<style>
	.back {
		padding-top: 0.5rem;
		color: var(--blue);
	}
</style>
