<!-- Some rows of the Desk: of hundreds, only what comes near the screen is drawn. -->
<script lang="ts">
	import { near } from './near';
	import type { Snippet } from 'svelte';

	let { count, needed, children }: { count: number; /** Whether they are drawn wherever they stand. */ needed: boolean; children: Snippet } = $props();

	let drawn = $state(false);
</script>

{#if drawn || needed}
	{@render children()}
{:else}
	<li class="ahead" style:--count={count} use:near={() => (drawn = true)}></li>
{/if}

<style>
	.ahead {
		height: calc(var(--count) * 57px);
	}
</style>
