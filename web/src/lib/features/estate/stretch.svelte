<!-- A stretch of time that somebody asks about, and what changed in it or just before it. -->
<script lang="ts">
	import { page } from '$app/state';
	import { here, put } from '$lib/state/here.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { charts, suspects as say } from '$lib/words/estate';
	import Instant from '$lib/ui/instant.svelte';
	import Suspects from './suspects.svelte';
	let { environment, service, zone }: { environment: string; service: string | undefined; zone: string } = $props();

	const query = $derived(page.url.searchParams);
	const moment = (key: string) => Date.parse(query.get(key) ?? '') || null;
	let from = $derived(moment('from'));
	let until = $derived(moment('until'));
	const stretch = $derived.by(() => {
		const [start, end] = [moment('from'), moment('until')];
		return start !== null && end !== null && start < end ? { start, end } : null;
	});
	const iso = (at: number) => new Date(at).toISOString().replace('.000Z', 'Z');
	const said = (at: number) => when(new Date(at), zone, new Date());
</script>

<form
	class="asked"
	onsubmit={(event) => {
		event.preventDefault();
		if (from !== null && until !== null) put({ from: iso(from), until: iso(until) });
	}}
>
	<label>{charts.from} <Instant bind:at={from} {zone} /></label>
	<label>{charts.until} <Instant bind:at={until} {zone} /></label>
	<button class="button quiet" disabled={from === null || until === null}>{charts.ask}</button>
</form>
{#if stretch}
	<div class="found">
		<h3>{say.heading(said(stretch.start), said(stretch.end))} <a class="underline" href={here({ from: null, until: null })}>{say.leave}</a></h3>
		{#key `${stretch.start} ${stretch.end}`}<Suspects {environment} {service} {stretch} zone={session.zone} />{/key}
	</div>
{/if}

<style>
	.asked {
		display: flex;
		flex-wrap: wrap;
		align-items: end;
		gap: 0.4rem 0.9rem;
		padding: 0.5rem 0;
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
	label {
		display: grid;
		width: 190px;
	}
	.found {
		border-top: 1.5px solid var(--ink);
		padding-bottom: 0.6rem;
	}
	h3 {
		padding: 0.4rem 0 0.2rem;
		font-size: var(--text-lead);
	}
	h3 a {
		margin-left: 0.8rem;
		font-family: var(--typo-base--font-family);
		font-size: var(--text-body);
		font-weight: 400;
	}
</style>
