<!-- What is set up: sources, events out and in, sealed values, calendars, people, stand-ins, tokens. -->
<script lang="ts">
	import { page } from '$app/state';
	import { setUp as say } from '$lib/words/set-up';

	const PARTS = [
		{ id: 'first-steps', view: () => import('$lib/features/house/first-steps.svelte'), ...say.parts['first-steps'] },
		{ id: 'services', view: () => import('$lib/features/set-up/services.svelte'), ...say.parts.services },
		{ id: 'routes', view: () => import('$lib/features/set-up/routes.svelte'), ...say.parts.routes },
		{ id: 'environments', view: () => import('$lib/features/set-up/environments.svelte'), ...say.parts.environments },
		{ id: 'sources', view: () => import('$lib/features/set-up/sources.svelte'), ...say.parts.sources },
		{ id: 'events-out', view: () => import('$lib/features/set-up/events-out.svelte'), ...say.parts['events-out'] },
		{ id: 'events-in', view: () => import('$lib/features/set-up/events-in.svelte'), ...say.parts['events-in'] },
		{ id: 'values', view: () => import('$lib/features/set-up/values.svelte'), ...say.parts.values },
		{ id: 'calendars', view: () => import('$lib/features/set-up/calendars.svelte'), ...say.parts.calendars },
		{ id: 'people', view: () => import('$lib/features/set-up/people.svelte'), ...say.parts.people },
		{ id: 'stand-ins', view: () => import('$lib/features/set-up/stand-ins.svelte'), ...say.parts['stand-ins'] },
		{ id: 'tokens', view: () => import('$lib/features/set-up/tokens.svelte'), ...say.parts.tokens },
		{ id: 'troubles', view: () => import('$lib/features/set-up/troubles.svelte'), ...say.parts.troubles },
		{ id: 'house', view: () => import('$lib/features/house/state.svelte'), ...say.parts.house },
		{ id: 'told', view: () => import('$lib/features/messages/told.svelte'), ...say.parts.told },
		{ id: 'mail', view: () => import('$lib/features/messages/choosing.svelte'), ...say.parts.mail },
		{ id: 'chat', view: () => import('$lib/features/messages/chat.svelte'), ...say.parts.chat },
		{ id: 'own', view: () => import('$lib/features/set-up/own.svelte'), ...say.parts.own }
	];
	const part = $derived(PARTS.find((one) => one.id === page.params.part)!);
	const opened = $derived(part.view());
</script>

<svelte:head><title>{say.title(part.name)}</title></svelte:head>

<div class="set-up">
	<nav aria-label={say.setUp}>
		<ul>
			{#each PARTS as one (one.id)}
				<li><a href="/set-up/{one.id}" aria-current={one.id === part.id ? 'page' : undefined}>{one.name}</a></li>
			{/each}
		</ul>
	</nav>
	<div>
		<h1>{part.name}</h1>
		<p class="soft">{part.about}</p>
		{#await opened then { default: View }}<View />{/await}
	</div>
</div>

<style>
	.set-up {
		display: grid;
		grid-template-columns: 132px minmax(0, 1fr);
		gap: 2rem;
		padding-top: 1rem;
	}
	nav ul {
		display: grid;
		gap: 0.3rem;
		padding-top: 0.5rem;
		font-family: var(--serif);
		font-size: var(--text-lead);
	}
	nav a[aria-current] {
		font-weight: 700;
		box-shadow: 0 2px 0 var(--wax);
	}
	nav a:hover {
		text-decoration: underline;
	}
	h1 {
		font-size: var(--text-view);
	}
	@media (max-width: 760px) {
		.set-up {
			grid-template-columns: minmax(0, 1fr);
			gap: 0.6rem;
		}
		nav ul {
			display: flex;
			flex-wrap: wrap;
			gap: 0.4rem 1rem;
		}
	}
</style>
