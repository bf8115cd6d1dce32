<!-- Everybody with their roles and groups, and where to read what they decided. -->
<script lang="ts">
	import { api, data } from '$lib/api/client';
	import { Setting } from './setting.svelte';

	const setting = new Setting(() => data(api.GET('/api/people')));
	$effect(() => void setting.load());
</script>

{#if setting.found}
	<ul class="lines">
		{#each setting.found as one (one.id)}
			<li class="line">
				<span><b>{one.name}</b><br /><span class="soft">{one.email}</span></span>
				<span>{one.roles.join(', ')}</span>
				<span>{one.groups.map((group) => group.name).join(', ') || 'in no group'}</span>
				<a class="underline" href="/ledger?person={one.id}">What they decided</a>
			</li>
		{/each}
	</ul>
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	.line {
		--line: minmax(0, 1.3fr) minmax(0, 1fr) minmax(0, 1fr) auto;
	}
</style>
