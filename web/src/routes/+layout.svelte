<script lang="ts">
	import '../app.css';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { withThe } from '$lib/state/address';
	import { api, data, saying, whenSignedOut } from '$lib/api/client';
	import { busyElsewhere } from '$lib/state/keys';
	import { lines } from '$lib/features/frame/lines.svelte';
	import { Loader } from '$lib/state/loader.svelte';
	import { live } from '$lib/state/live.svelte';
	import Palette from '$lib/features/frame/palette.svelte';
	import RouteLine from '$lib/features/frame/route-line.svelte';
	import Shortcuts from '$lib/features/frame/shortcuts.svelte';
	import { session } from '$lib/state/session.svelte';
	import { VIEWS } from '$lib/words';
	import { common } from '$lib/words/common';
	import { frame as say } from '$lib/words/frame';
	import type { Snippet } from 'svelte';

	let { children }: { children: Snippet } = $props();

	/** No view stands without the route line, so it is asked for until it is there. */
	const AGAIN_MS = 2000;
	const outside = $derived(['/sign-in', '/welcome'].includes(page.url.pathname));
	let dark = $state(document.documentElement.dataset.mode === 'dark');
	let failed = $state('');
	let opened = $state<'palette' | 'keys' | null>(null);
	let going = false;
	const line = $derived(lines.all.find((one) => one.id === page.url.searchParams.get('route')) ?? lines.all[0]);

	whenSignedOut(() => {
		live.close();
		session.me = null;
		const next = location.pathname + location.search;
		if (!outside) void goto(`/sign-in?next=${encodeURIComponent(next)}`);
	});

	$effect(() => {
		if (outside || session.me) return;
		session.resume().catch((error: unknown) => (failed = saying(error)));
	});
	$effect(() => {
		if (session.me) live.open();
	});
	$effect(() => {
		if (outside || session.me || failed) document.getElementById('opening')?.remove();
	});
	new Loader(
		async () => (session.me ? data(api.GET('/api/routes')) : []),
		(got) => (lines.all = got)
	).follow(() => live.version, AGAIN_MS);

	function switchTheme() {
		dark = !dark;
		const mode = dark ? 'dark' : 'light';
		document.documentElement.dataset.mode = mode;
		localStorage.setItem('dogana-mode', mode);
	}

	async function signOut() {
		await session.end();
		live.close();
		await goto('/sign-in');
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

	function hrefFor(station: string | null): string {
		return hrefWith('at', station);
	}

	/** In this view, where it can be narrowed; else on the Desk. */
	function hrefWith(key: string, value: string | null): string {
		const narrows = ['/desk', '/ledger', '/policies', '/calendar'].includes(page.url.pathname);
		return withThe(narrows ? page.url : new URL('/desk', page.url), { [key]: value });
	}
</script>

<svelte:window onkeydown={keys} />

{#if outside}
	{@render children()}
{:else if session.me}
	<a class="skip" href="#content">{say.skipToTheContent}</a>
	<header>
		<div class="top">
			<a class="word" href="/desk"><svg viewBox="0 0 32 32" width="23" height="23" fill="none" stroke="var(--wax)" stroke-width="2" aria-hidden="true"><path d="M3 27V13a13 13 0 0 1 26 0v14M8 27V14a8 8 0 0 1 16 0v13M1 27h30M16 6v21" /></svg>{say.name}</a>
			<nav class="views" aria-label={say.views}>
				{#each VIEWS as view (view.path)}
					<a href={view.path} aria-current={page.url.pathname.startsWith(view.path) || (view.path === '/desk' && page.url.pathname.startsWith('/promotion')) ? 'page' : undefined}>{view.name}</a>
				{/each}
			</nav>
			<span class="live" data-state={live.state} role="status">
				{live.state === 'lost' ? say.lost : ''}
			</span>
			<button class="plain" onclick={() => (opened = 'palette')}>{say.find} <kbd>Ctrl K</kbd></button>
			<button class="plain" onclick={() => (opened = 'keys')}>{common.keys} <kbd>?</kbd></button>
			<button class="plain" onclick={switchTheme}>{dark ? say.byDay : say.byNight}</button>
			<a class="me" href="/set-up/own" title={session.me.groups.map((group) => group.name).join(', ')}>{session.me.name}</a>
			<button class="plain" onclick={signOut}>{say.signOut}</button>
		</div>
		{#if line}
			<div class="route">
				<RouteLine {line} chosen={page.url.searchParams.get('at')} href={hrefFor} />
				{#if lines.all.length > 1}
					<nav class="choose" aria-label={say.routes}>
						{#each lines.all as one (one.id)}
							<a href={hrefWith('route', one.id === lines.all[0]?.id ? null : one.id)} aria-current={one.id === line.id ? 'true' : undefined}>{one.name}</a>
						{/each}
					</nav>
				{/if}
			</div>
		{/if}
	</header>
	{#if opened === 'palette'}<Palette acts={{ [dark ? say.byDay : say.byNight]: switchTheme, [say.keysAndWhat]: () => (opened = 'keys'), [say.signOut]: signOut }} onclose={() => (opened = null)} />{:else if opened === 'keys'}<Shortcuts onclose={() => (opened = null)} />{/if}
	<main id="content" tabindex="-1">
		{@render children()}
	</main>
{:else if failed}
	<main class="alone"><h1>{say.doganaCannotBeOpened}</h1><p>{failed}</p><button class="button" onclick={() => location.reload()}>{say.tryAgain}</button></main>
{/if}

<style>
	header {
		padding: 0 24px;
		border-bottom: 1px solid var(--hair-strong);
	}
	.top {
		display: flex;
		align-items: center;
		gap: 1.1rem;
		height: 46px;
		border-bottom: 1px solid var(--hair);
	}
	.word {
		display: inline-flex;
		align-items: center;
		gap: 0.5rem;
		font-family: var(--serif);
		font-size: 23px;
		font-weight: 700;
		letter-spacing: 0.01em;
	}
	.views {
		display: flex;
		gap: 1.2rem;
		margin-left: 0.6rem;
		font-family: var(--serif);
		font-size: 17px;
	}
	.views a[aria-current] {
		font-weight: 700;
		box-shadow: 0 2px 0 var(--wax);
	}
	.route {
		position: relative;
	}
	.choose {
		position: absolute;
		right: 0;
		top: 0.5rem;
		display: grid;
		justify-items: end;
		font-size: 12.5px;
		color: var(--ink-soft);
	}
	.choose a[aria-current] {
		color: var(--ink);
		font-weight: 600;
	}
	.choose a:hover {
		text-decoration: underline;
	}
	.live {
		flex: 1;
		text-align: right;
		color: var(--wax);
		font-weight: 600;
	}
	.me {
		font-weight: 600;
	}
	.plain {
		cursor: pointer;
		color: var(--ink-soft);
	}
	.plain:hover {
		color: var(--ink);
		text-decoration: underline;
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
		header:has(+ main :global(.decision)) .route,
		.choose {
			display: none;
		}
		header,
		main {
			padding-inline: 14px;
		}
		.plain:has(kbd) {
			display: none;
		}
		.top {
			flex-wrap: wrap;
			height: auto;
			padding: 0.4rem 0;
		}
		.live {
			flex-basis: 100%;
			order: 5;
			text-align: left;
		}
		.live:empty {
			display: none;
		}
	}
</style>
