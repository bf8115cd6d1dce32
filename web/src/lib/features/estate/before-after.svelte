<!-- Each monitor before and after a landing, with the interval that the difference lies in. -->
<script lang="ts">
	import { beside as say } from '$lib/words/estate';
	import { BesideState } from './charts.svelte';
	let { promotion }: { promotion: number } = $props();

	const beside = new BesideState(() => promotion).follow();
</script>

{#if beside.failed}<p class="refused" role="alert">{beside.failed}</p>{:else if !beside.loaded}<p class="soft" role="status">{say.reading}</p>
{:else if beside.found.length === 0}<p class="soft">{say.none}</p>
{:else}<ul aria-label={say.heading}>{#each beside.found as one}<li><b>{one.name}</b> <span class:soft={one.low === null || (one.low <= 0 && (one.high ?? 0) >= 0)}>{one.says}</span></li>{/each}</ul>{/if}

<style>
	ul {
		padding: 0 0 0.6rem;
		font-size: var(--text-note);
	}
	li {
		padding: 2px 0;
	}
</style>
