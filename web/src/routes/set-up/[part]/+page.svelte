<!-- What is set up: sources, events out and in, sealed values, calendars, people, stand-ins, tokens. -->
<script lang="ts">
	import { page } from '$app/state';
	import Calendars from '$lib/features/set-up/calendars.svelte';
	import Own from '$lib/features/set-up/own.svelte';
	import Environments from '$lib/features/set-up/environments.svelte';
	import EventsIn from '$lib/features/set-up/events-in.svelte';
	import EventsOut from '$lib/features/set-up/events-out.svelte';
	import People from '$lib/features/set-up/people.svelte';
	import Routes from '$lib/features/set-up/routes.svelte';
	import Services from '$lib/features/set-up/services.svelte';
	import Sources from '$lib/features/set-up/sources.svelte';
	import StandIns from '$lib/features/set-up/stand-ins.svelte';
	import Troubles from '$lib/features/set-up/troubles.svelte';
	import Tokens from '$lib/features/set-up/tokens.svelte';
	import Values from '$lib/features/set-up/values.svelte';
	import { setUp as say } from '$lib/words/set-up';

	const PARTS = [
		{ id: 'services', view: Services, ...say.parts.services },
		{ id: 'routes', view: Routes, ...say.parts.routes },
		{ id: 'environments', view: Environments, ...say.parts.environments },
		{ id: 'sources', view: Sources, ...say.parts.sources },
		{ id: 'events-out', view: EventsOut, ...say.parts['events-out'] },
		{ id: 'events-in', view: EventsIn, ...say.parts['events-in'] },
		{ id: 'values', view: Values, ...say.parts.values },
		{ id: 'calendars', view: Calendars, ...say.parts.calendars },
		{ id: 'people', view: People, ...say.parts.people },
		{ id: 'stand-ins', view: StandIns, ...say.parts['stand-ins'] },
		{ id: 'tokens', view: Tokens, ...say.parts.tokens },
		{ id: 'troubles', view: Troubles, ...say.parts.troubles },
		{ id: 'own', view: Own, ...say.parts.own }
	];
	const part = $derived(PARTS.find((one) => one.id === page.params.part) ?? PARTS[0]!);
	const View = $derived(part.view);
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
		<View />
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
		font-size: 16px;
	}
	nav a[aria-current] {
		font-weight: 700;
		box-shadow: 0 2px 0 var(--wax);
	}
	nav a:hover {
		text-decoration: underline;
	}
	h1 {
		font-size: 26px;
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
