<!-- Choosing one's password by an invitation; its secret stands behind the #, so that no server logs it. -->
<script lang="ts">
	import { api, data, saying } from '$lib/api/client';
	import { welcome as say } from '$lib/words/frame';

	const invitation = location.hash.slice(1);
	const id = $props.id();
	let [password, again, wrong] = $state(['', '', '']);
	let [busy, done] = $state([false, false]);

	async function choose(event: SubmitEvent) {
		event.preventDefault();
		wrong = password === again ? '' : say.differ;
		if (wrong) return;
		busy = true;
		try {
			await data(api.POST('/api/invitations', { body: { invitation, password } }));
			done = true;
			history.replaceState(null, '', location.pathname);
		} catch (error) {
			wrong = saying(error);
		} finally {
			busy = false;
		}
	}
</script>

<svelte:head><title>{say.title}</title></svelte:head>

<main>
	<form class="come-in" onsubmit={choose}>
		<h1>{say.head}</h1>
		{#if done}
			<p role="status">{say.done}</p>
			<a class="button main" href="/sign-in">{say.signIn}</a>
		{:else if !invitation}
			<p role="alert">{say.noInvitation}</p>
		{:else}
			<p class="soft" id="{id}-about">{say.about}</p>
			<label for="{id}-one">{say.password}</label>
			<input id="{id}-one" class="field" type="password" autocomplete="new-password" required minlength="12" maxlength="200" aria-describedby="{id}-about" bind:value={password} />
			<label for="{id}-two">{say.again}</label>
			<input id="{id}-two" class="field" type="password" autocomplete="new-password" required bind:value={again} />
			<p class="wrong" role="alert">{wrong}</p>
			<button class="button main" disabled={busy}>{say.choose}</button>
		{/if}
	</form>
</main>

<style>
	main {
		display: grid;
		place-items: center;
		min-height: 100vh;
	}
	form {
		width: min(360px, 86vw);
	}
	h1 {
		font-size: var(--text-page);
	}
</style>
