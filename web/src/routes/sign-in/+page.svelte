<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { api, data, saying, type WaysIn } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { signIn as say } from '$lib/words/frame';

	let email = $state('');
	let password = $state('');
	let wrong = $state('');
	let busy = $state(false);
	let ways = $state<WaysIn | null>(null);
	const id = $props.id();
	const next = $derived(page.url.searchParams.get('next') ?? '/desk');
	const again = $derived(page.url.searchParams.has('again'));
	const refused = $derived(say.refused[page.url.searchParams.get('refused') ?? ''] ?? '');

	// Where it cannot be asked, signing in says so soon enough.
	data(api.GET('/api/sign-in')).then((found) => (ways = found), () => (ways = { directory: null, passwords: true }));

	async function signIn(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		wrong = '';
		try {
			await session.begin(email, password);
			await goto(next.startsWith('/') && !next.startsWith('//') ? next : '/desk');
		} catch (error) {
			wrong = saying(error);
		} finally {
			busy = false;
		}
	}
</script>

<svelte:head><title>{say.title}</title></svelte:head>

<main>
	<section class="left" aria-hidden="true">
		<svg viewBox="0 0 360 300" fill="none" stroke="currentColor">
			<g stroke-width="2"><path d="M20 270V150a160 130 0 0 1 320 0v120" /><path d="M48 270V156a132 106 0 0 1 264 0v114" /></g>
			<g stroke-width="1"><path d="M0 270h360M0 276h360" /><path d="M180 20v30M67 58l20 23M293 58l-20 23M20 156h28M312 156h28" /></g>
			<g stroke-width="1.5"><path d="M48 216h264" /><circle cx="100" cy="216" r="7" class="open" /><circle cx="180" cy="216" r="7" class="open" /><circle cx="260" cy="216" r="7" class="shut" /></g>
		</svg>
	</section>
	<form class="come-in" onsubmit={signIn}>
		<h1>{say.name}</h1>
		<p class="motto">{say.motto}</p>
		{#snippet byPassword()}
			<label for="{id}-email">{say.mailAddress}</label>
			<input id="{id}-email" class="field" type="email" autocomplete="username" required bind:value={email} />
			<label for="{id}-password">{say.password}</label>
			<input id="{id}-password" class="field" type="password" autocomplete="current-password" required bind:value={password} />
			<p class="wrong" role="alert">{wrong}</p>
			<button class="button main" disabled={busy}>{busy ? say.signingIn : say.signIn}</button>
		{/snippet}
		{#if ways?.directory}
			<p class="wrong" role="alert">{refused}</p>
			<a class="button main" data-sveltekit-reload href="/api/sign-in/begin?then={encodeURIComponent(next)}{again ? '&again=true' : ''}">{say.at(ways.directory)}</a>
			<details>
				<summary>{say.byPassword}</summary>
				<div class="come-in">
					{#if !ways.passwords}<p class="soft">{say.closed}</p>{/if}
					{@render byPassword()}
				</div>
			</details>
		{:else if ways}{@render byPassword()}{/if}
	</form>
</main>

<style>
	main {
		min-height: 100vh;
		display: grid;
		grid-template-columns: 1.25fr 1fr;
		align-items: center;
	}
	.left {
		align-self: stretch;
		display: grid;
		place-items: center;
		background: var(--paper-deep);
		border-right: 1px solid var(--hair-strong);
		color: var(--ink-soft);
	}
	.left svg {
		width: min(58%, 460px);
	}
	.open {
		fill: var(--paper-deep);
	}
	.shut {
		fill: currentColor;
	}
	form {
		width: min(340px, 82vw);
		margin-inline: auto;
	}
	h1 {
		font-size: 52px;
		font-weight: 700;
		line-height: 1;
	}
	summary {
		cursor: pointer;
		padding: 0.6rem 0;
		color: var(--ink-soft);
	}
	.motto {
		text-wrap: balance;
		font-family: var(--serif);
		font-style: italic;
		font-size: var(--text-part);
		color: var(--ink-soft);
		margin-bottom: 1.4rem;
	}
	@media (max-width: 760px) {
		main {
			grid-template-columns: 1fr;
			grid-template-rows: 30vh 1fr;
		}
		.left {
			border-right: 0;
			border-bottom: 1px solid var(--hair-strong);
		}
		.left svg {
			height: 24vh;
			width: auto;
		}
		form {
			align-self: start;
			padding-top: 2rem;
		}
	}
</style>
