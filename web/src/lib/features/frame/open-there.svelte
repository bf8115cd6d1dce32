<!-- A link to a service where it runs, where its environment says how it is opened; and to what landed there. -->
<script lang="ts">
	import { addressOf } from '$lib/state/places';
	import { openThere as say } from '$lib/words/frame';
	import { lines } from './lines.svelte';
	let { environment, service, version = '', history = true }: { environment: string; service: string; version?: string; history?: boolean } = $props();

	const found = $derived(lines.all.flatMap((line) => line.stations).find((one) => one.id === environment)?.address);
	/** Not where it takes a version that is not known here. */
	const template = $derived(found?.includes('{version}') && !version ? null : found);
</script>

{#if history}<a class="underline" href="/estate/history?service={service}&at={environment}">{say.history}</a>{/if}{#if template}{' '}<a class="underline" href={addressOf(template, service, version)} target="_blank" rel="noopener noreferrer">{say.open}</a>{/if}

<style>
	a {
		white-space: nowrap;
	}
	a:not(:last-child) {
		margin-right: 0.5em;
	}
</style>
