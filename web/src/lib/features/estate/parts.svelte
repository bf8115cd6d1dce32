<!-- The parts of the estate, as words. -->
<script lang="ts">
	import { page } from '$app/state';
	import { parts as say } from '$lib/words/estate';

	const at = $derived(page.url.searchParams.get('at'));
</script>

<nav class="spans" aria-label={say.label}>
	{#each say.all as one (one.path)}<a href={at ? `${one.path}?at=${at}` : one.path} aria-current={page.url.pathname === one.path ? 'page' : undefined}>{one.name}</a>{/each}
</nav>

<style>
	nav {
		flex-wrap: wrap;
		font-size: var(--text-body);
	}
</style>
