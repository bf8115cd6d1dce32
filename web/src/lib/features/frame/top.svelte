<!-- The line that stands above every view: the views as words, whether one is up to date, and who one is. -->
<script lang="ts">
	import { page } from '$app/state';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { VIEWS } from '$lib/words';
	import { common } from '$lib/words/common';
	import { frame as say } from '$lib/words/frame';

	type Props = { dark: boolean; onfind: () => void; onkeys: () => void; ontheme: () => void; onsignout: () => void };
	let { dark, onfind, onkeys, ontheme, onsignout }: Props = $props();

	const at = $derived(page.url.pathname.startsWith('/promotion') ? '/desk' : page.url.pathname);
</script>

<div class="top">
	<a class="word" href="/desk"><svg viewBox="0 0 32 32" width="23" height="23" fill="none" stroke="var(--wax)" stroke-width="2" aria-hidden="true"><path d="M3 27V13a13 13 0 0 1 26 0v14M8 27V14a8 8 0 0 1 16 0v13M1 27h30M16 6v21" /></svg>{say.name}</a>
	<nav class="views" aria-label={say.views}>
		{#each VIEWS as view (view.path)}
			<a href={view.path} aria-current={at.startsWith(view.path) ? 'page' : undefined}>{view.name}</a>
		{/each}
	</nav>
	<span class="live" data-state={live.state} role="status">
		{live.state === 'lost' ? say.lost : ''}
	</span>
	<button class="plain" onclick={onfind}>{say.find} <kbd>Ctrl K</kbd></button>
	<button class="plain" onclick={onkeys}>{common.keys} <kbd>?</kbd></button>
	<button class="plain" onclick={ontheme}>{dark ? say.byDay : say.byNight}</button>
	<a class="me" href="/set-up/own" title={session.me?.groups.map((group) => group.name).join(', ')}>{session.me?.name}</a>
	<button class="plain" onclick={onsignout}>{say.signOut}</button>
</div>

<style>
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
		font-size: var(--text-view);
		font-weight: 700;
		letter-spacing: 0.01em;
	}
	.views {
		display: flex;
		gap: 1.2rem;
		margin-left: 0.6rem;
		font-family: var(--serif);
		font-size: var(--text-lead);
	}
	.views a[aria-current] {
		font-weight: 700;
		box-shadow: 0 2px 0 var(--wax);
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
	@media (max-width: 760px) {
		.plain:has(kbd) {
			display: none;
		}
		.top {
			flex-wrap: wrap;
			height: auto;
			padding: 0.4rem 0;
		}
		.views {
			flex-wrap: wrap;
			gap: 0.3rem 0.9rem;
			margin-left: 0;
			font-size: var(--text-lead);
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
