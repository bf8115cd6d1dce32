<!-- What one was told, and what became of each of it. -->
<script lang="ts">
	import { api, data, type Told } from '$lib/api/client';
	import { Loader } from '$lib/state/loader.svelte';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { KINDS, told as say } from '$lib/words/messages';

	let [shown, more] = $state<[Told[], boolean]>([[], false]);
	const first = new Loader(
		() => data(api.GET('/api/messages')),
		(page) => ([shown, more] = [page.told, page.more])
	);
	first.follow(() => live.version);

	async function earlier() {
		const page = await data(api.GET('/api/messages', { params: { query: { before: shown.at(-1)!.id } } }));
		[shown, more] = [[...shown, ...page.told], page.more];
	}
</script>

{#if first.failed}<p class="refused" role="alert">{first.failed}</p>{/if}
<ul class="lines" aria-label={say.list}>
	{#each shown as one (one.id)}
		<li class="line" data-fate={one.fate}>
			<span><b>{KINDS[one.kind]}</b><span class="soft">{when(new Date(one.at), session.zone, new Date())}</span></span>
			<span><a class="underline" href={one.path}>{one.says}</a>{#if one.over}<span class="soft">{say.over(one.over)}</span>{/if}</span>
			<span class="fate">{one.fate_says}</span>
		</li>
	{:else}
		<li class="soft">{say.none}</li>
	{/each}
</ul>
{#if more}<button class="button quiet" onclick={earlier}>{say.more}</button>{/if}

<style>
	.line {
		--line: minmax(0, 14rem) minmax(0, 2fr) minmax(0, 1fr);
		align-items: start;
	}
	.line > span {
		display: grid;
		overflow-wrap: anywhere;
	}
	.fate {
		color: var(--ink-soft);
	}
	[data-fate='failed'] .fate,
	[data-fate='tried'] .fate {
		color: var(--wax);
		font-weight: 600;
	}
</style>
