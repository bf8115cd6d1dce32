<!-- Why no row is there: nothing is under way, or nothing of what was asked for. -->
<script lang="ts">
	import { here } from '$lib/state/here.svelte';
	import { common } from '$lib/words/common';
	import { desk as say } from '$lib/words/desk';
	import { house } from '$lib/features/house/house.svelte';
	import type { DeskState } from './desk.svelte';

	let { desk, station, words }: { desk: DeskState; station: string | null; words: string } = $props();
</script>

{#if desk.loaded && desk.rows.length === 0 && !house.beginning}
	<p>{say.noneUnderWay} <code class="mono">dogana request</code>{say.appearsHere}</p>
{:else if desk.loaded && words && desk.shown.length === 0}
	<p>{say.noneHasTheseWords} <a class="underline" href={here({ words: null })}>{common.showEverything}</a></p>
{:else if desk.loaded && station && desk.shown.length === 0}
	<p>{say.noneInto} <a class="underline" href="/desk">{say.showEveryEnvironment}</a></p>
{/if}

<style>
	p {
		padding: 0.7rem 0;
	}
</style>
