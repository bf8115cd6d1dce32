<!-- The route that is shown, and the others that there are. A station narrows the view that one is at. -->
<script lang="ts">
	import { page } from '$app/state';
	import { withThe } from '$lib/state/address';
	import { frame as say } from '$lib/words/frame';
	import { lines } from './lines.svelte';
	import RouteLine from './route-line.svelte';

	const line = $derived(lines.all.find((one) => one.id === page.url.searchParams.get('route')) ?? lines.all[0]);

	/** In this view, where it can be narrowed; else on the Desk. */
	function at(key: string, value: string | null): string {
		const narrows = ['/desk', '/ledger', '/policies', '/calendar', '/estate', '/estate/history', '/estate/findings', '/estate/incidents'].includes(page.url.pathname);
		return withThe(narrows ? page.url : new URL('/desk', page.url), { [key]: value });
	}
</script>

{#if line}
	<div class="route">
		<RouteLine {line} chosen={page.url.searchParams.get('at')} href={(station) => at('at', station)} />
		{#if lines.all.length > 1}
			<nav aria-label={say.routes}>
				{#each lines.all as one (one.id)}
					<a href={at('route', one.id === lines.all[0]?.id ? null : one.id)} aria-current={one.id === line.id ? 'true' : undefined}>{one.name}</a>
				{/each}
			</nav>
		{/if}
	</div>
{/if}

<style>
	.route {
		position: relative;
	}
	nav {
		position: absolute;
		right: 0;
		top: 0.5rem;
		display: grid;
		justify-items: end;
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	nav a[aria-current] {
		color: var(--ink);
		font-weight: 600;
	}
	nav a:hover {
		text-decoration: underline;
	}
	@media (max-width: 760px) {
		nav {
			display: none;
		}
	}
</style>
