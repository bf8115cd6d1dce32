<!-- What keeps the installation from its work, above every view: whoever decides is to know. -->
<script lang="ts">
	import { lacking as say } from '$lib/words/house';
	import { house } from './house.svelte';
</script>

{#if house.lacks.length}
	<div role="alert">
		<ul aria-label={say.label}>
			{#each house.lacks as says}<li>{says}</li>{/each}
		</ul>
	</div>
{/if}

<style>
	ul {
		padding: 0.45rem 0.8rem;
		border-left: 4px solid var(--wax);
		background: var(--wash);
		font-weight: 600;
	}
</style>
