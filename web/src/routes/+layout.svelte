<script lang="ts">
	import '../app.css';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { api, data, saying, whenSignedOut, whenStepUp } from '$lib/api/client';
	import { busyElsewhere } from '$lib/state/keys';
	import { lines } from '$lib/features/frame/lines.svelte';
	import { Loader } from '$lib/state/loader.svelte';
	import { live } from '$lib/state/live.svelte';
	import Palette from '$lib/features/frame/palette.svelte';
	import Route from '$lib/features/frame/route.svelte';
	import { house } from '$lib/features/house/house.svelte';
	import Lacking from '$lib/features/house/lacking.svelte';
	import NextStep from '$lib/features/house/next-step.svelte';
	import Top from '$lib/features/frame/top.svelte';
	import Part from '$lib/ui/part.svelte';
	import Sure from '$lib/ui/sure.svelte';
	import Told from '$lib/ui/told.svelte';
	import Shortcuts from '$lib/features/frame/shortcuts.svelte';
	import { sure } from '$lib/state/asked.svelte';
	import { session } from '$lib/state/session.svelte';
	import { theme } from '$lib/state/theme.svelte';
	import { VIEWS } from '$lib/words';
	import { frame as say } from '$lib/words/frame';
	import type { Snippet } from 'svelte';

	let { children }: { children: Snippet } = $props();

	/** No view stands without the route line, so it is asked for until it is there. */
	const AGAIN_MS = 2000;
	const outside = $derived(['/sign-in', '/welcome', '/answer', '/status'].includes(page.url.pathname) || page.url.pathname.startsWith('/wall/'));
	let failed = $state('');
	let opened = $state<'palette' | 'keys' | null>(null);
	let going = false;

	whenSignedOut(() => {
		live.close();
		session.me = null;
		const next = location.pathname + location.search;
		if (!outside) void goto(`/sign-in?next=${encodeURIComponent(next)}`);
	});

	whenStepUp(async () => {
		const next = encodeURIComponent(location.pathname + location.search);
		if (await sure(say.stepUp, say.signInAgain)) location.href = `/sign-in?again=true&next=${next}`;
	});

	$effect(() => {
		if (outside || session.me) return;
		session.resume().catch((error: unknown) => (failed = saying(error)));
	});
	/** Somebody has signed in, and what they read is read once. */
	const reads = $derived(Boolean(session.me) && live.begun);
	$effect(() => {
		if (session.me) live.open();
		if (outside || reads || failed) document.getElementById('opening')?.remove();
	});
	new Loader(
		async () => (reads ? data(api.GET('/api/routes')) : []),
		(got) => (lines.all = got)
	).follow(() => live.version, AGAIN_MS);

	house.follow(() => reads, () => live.version);
	const stepsShown = $derived(page.url.pathname === '/set-up/first-steps' || (page.url.pathname === '/desk' && house.beginning));

	async function signOut() {
		const then = await session.end();
		live.close();
		if (then) location.href = then;
		else await goto('/sign-in');
	}

	function keys(event: KeyboardEvent) {
		if (!session.me || outside) return;
		if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
			event.preventDefault();
			opened = opened === 'palette' ? null : 'palette';
			return;
		}
		if (busyElsewhere(event)) return;
		const view = going ? VIEWS.find((one) => one.key === event.key) : undefined;
		going = event.key === 'g';
		if (view) void goto(view.path);
		else if (event.key === '?') opened = 'keys';
	}
</script>

<svelte:window onkeydown={keys} />

{#if outside}
	{@render children()}
{:else if reads}
	<a class="skip" href="#content">{say.skipToTheContent}</a>
	<header>
		<Top dark={theme.dark} onfind={() => (opened = 'palette')} onkeys={() => (opened = 'keys')} ontheme={theme.switch} onsignout={signOut} />
		<Route />
	</header>
	{#if opened === 'palette'}<Palette acts={{ [theme.dark ? say.byDay : say.byNight]: theme.switch, [say.keysAndWhat]: () => (opened = 'keys'), [say.signOut]: signOut }} onclose={() => (opened = null)} />{:else if opened === 'keys'}<Shortcuts onclose={() => (opened = null)} />{/if}
	<Sure />
	<Told />
	<main id="content" tabindex="-1">
		<Lacking />
		{#if !stepsShown}<NextStep />{/if}
		<Part says={say.viewFailed}>{@render children()}</Part>
	</main>
{:else if failed}
	<main class="alone"><h1>{say.doganaCannotBeOpened}</h1><p>{failed}</p><button class="button" onclick={() => location.reload()}>{say.tryAgain}</button></main>
{/if}

<style>
	header {
		padding: 0 24px;
		border-bottom: 1px solid var(--hair-strong);
	}
	main {
		padding: 0 24px 3rem;
		outline: none;
	}
	.alone {
		display: grid;
		gap: 1rem;
		justify-items: start;
		padding: 20vh 24px;
	}
	.skip {
		position: absolute;
		left: -100vw;
	}
	.skip:focus {
		left: 24px;
		top: 4px;
		background: var(--paper);
		z-index: 5;
	}
	@media (max-width: 760px) {
		/* On a phone somebody decides: the route gives way to the promotion. */
		header:has(+ main :global(.decision)) :global(.route) {
			display: none;
		}
		header,
		main {
			padding-inline: 14px;
		}
	}
</style>
