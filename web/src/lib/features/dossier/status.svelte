<!-- How a promotion stands: read again every half minute, until the address ends. -->
<script lang="ts">
	import { api, data, saying, type Schemas } from '$lib/api/client';
	import { when } from '$lib/time/time';
	import { stampOf } from '$lib/words';
	import { shared as say } from '$lib/words/dossier';
	import Mark from '$lib/ui/mark.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	let { token }: { token: string } = $props();

	const AGAIN_MS = 30_000;
	let status = $state<Schemas['StatusPage'] | null>(null);
	let failed = $state('');

	async function read() {
		try {
			status = await data(api.POST('/api/status', { body: { token } }));
			failed = '';
		} catch (error) {
			failed = saying(error);
		}
	}
	$effect(() => {
		void read();
		const again = setInterval(() => void read(), AGAIN_MS);
		return () => clearInterval(again);
	});

	const at = (instant: string) => when(new Date(instant), status!.zone, new Date(status!.at));
</script>

<main class="leaf">
	{#if failed}<p class="refused" role="alert">{failed}</p>{/if}
	{#if status}
		<p class="soft">{say.howItStands}</p>
		<h1>{status.about}</h1>
		<div><Stamp says={stampOf(status)} large /></div>
		<p class="state" role="status">{status.sentence}</p>
		<dl>
			<dt>{say.asked}</dt><dd>{at(status.requested_at)}</dd>
			{#if status.first_start}<dt>{say.first}</dt><dd>{at(status.first_start)}</dd>{/if}
			{#if status.departed_at}<dt>{say.departed}</dt><dd>{at(status.departed_at)}</dd>{/if}
			{#if status.closed_at}<dt>{say.over}</dt><dd>{at(status.closed_at)}</dd>{/if}
		</dl>
		<ul>
			{#each status.findings as one, n (n)}<li><Mark outcome={one.outcome} /><span>{one.title}</span></li>{/each}
		</ul>
		<p class="soft">{say.ends(at(status.ends_at))}</p>
	{/if}
</main>

<style>
	.state {
		font-family: var(--serif);
		font-size: var(--text-section);
	}
	dl,
	li {
		display: grid;
		grid-template-columns: 132px minmax(0, 1fr);
		gap: 0.2rem 0;
	}
	dt {
		color: var(--ink-soft);
	}
	li {
		padding: 0.4rem 0;
		border-top: 1px solid var(--hair);
	}
</style>
