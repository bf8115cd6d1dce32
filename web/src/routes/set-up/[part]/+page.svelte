<!-- What is set up: sources, events out and in, sealed values, calendars, people, stand-ins, tokens. -->
<script lang="ts">
	import { page } from '$app/state';
	import Calendars from '$lib/set-up/calendars.svelte';
	import Environments from '$lib/set-up/environments.svelte';
	import EventsIn from '$lib/set-up/events-in.svelte';
	import EventsOut from '$lib/set-up/events-out.svelte';
	import People from '$lib/set-up/people.svelte';
	import Routes from '$lib/set-up/routes.svelte';
	import Services from '$lib/set-up/services.svelte';
	import Sources from '$lib/set-up/sources.svelte';
	import StandIns from '$lib/set-up/stand-ins.svelte';
	import Tokens from '$lib/set-up/tokens.svelte';
	import Values from '$lib/set-up/values.svelte';

	const PARTS = [
		{ id: 'services', name: 'Services', view: Services, about: 'What is released, where its source is, and which routes it travels.' },
		{ id: 'routes', name: 'Routes', view: Routes, about: 'Which environment comes after which; those side by side make one leg.' },
		{ id: 'environments', name: 'Environments', view: Environments, about: 'Where releases go, in which zone, and how what is cleared departs.' },
		{ id: 'sources', name: 'Sources', view: Sources, about: 'What facts are read from: tickets, metrics, calendars, repositories.' },
		{ id: 'events-out', name: 'Events out', view: EventsOut, about: 'Who is told of every decision and step, and what could not be told.' },
		{ id: 'events-in', name: 'Events in', view: EventsIn, about: 'Who may tell us what was built, tested, deployed, or went wrong.' },
		{ id: 'values', name: 'Sealed values', view: Values, about: 'Secrets that only the holder of a clearance can read.' },
		{ id: 'calendars', name: 'Calendars', view: Calendars, about: 'Closed times and holidays that policies share by name.' },
		{ id: 'people', name: 'People', view: People, about: 'Who can sign in, what they may do, and whose seats they may take.' },
		{ id: 'stand-ins', name: 'Stand-ins', view: StandIns, about: 'Who may take whose seats while somebody is away.' },
		{ id: 'tokens', name: 'Tokens', view: Tokens, about: 'What pipelines and deployers sign in with.' }
	];
	const part = $derived(PARTS.find((one) => one.id === page.params.part) ?? PARTS[0]!);
	const View = $derived(part.view);
</script>

<svelte:head><title>{part.name} · Dogana</title></svelte:head>

<div class="set-up">
	<nav aria-label="Set-up">
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
