<!-- Promotions on which work failed: why, and when it is tried again. -->
<script lang="ts">
	import { api, data } from '$lib/api/client';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { troubles as say } from '$lib/words/set-up';
	import { Setting } from './setting.svelte';

	const setting = new Setting(() => data(api.GET('/api/troubles')));
	const told = (instant: string) => when(new Date(instant), session.zone, new Date());

	setting.follow(() => live.version);
</script>

{#if setting.found}
	<ul class="lines">
		{#each setting.found as one (one.number)}
			<li class="line">
				<span><a href="/promotion/{one.number}">{one.what}</a></span>
				<span>{one.reason}</span>
				<span class="soft">{say.times(told(one.at), one.again_at ? told(one.again_at) : null)}</span>
			</li>
		{:else}
			<li class="soft">{say.none}</li>
		{/each}
	</ul>
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	.line {
		--line: minmax(0, 1fr) minmax(0, 2fr) auto;
	}
</style>
