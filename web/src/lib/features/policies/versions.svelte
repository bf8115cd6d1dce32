<!-- The versions of one policy: who wrote and adopted each, what it changed, and the draft that waits. -->
<script lang="ts">
	import { api, data, type Changes, type PolicyVersion } from '$lib/api/client';
	import { Loader } from '$lib/state/loader.svelte';
	import { clock, day } from '$lib/time/time';
	import { versions as say } from '$lib/words/policies';

	let { environment, zone, version }: { environment: string; zone: string; version: number | null } = $props();

	const path = $derived({ environment });
	let versions = $state<PolicyVersion[]>([]);
	let first = $state<number | null>(null);
	let second = $state<number | null>(null);
	const read = new Loader(
		() => data(api.GET('/api/environments/{environment}/policies', { params: { path } })),
		(found) => {
			[second, first] = [found[0]?.version ?? null, found[1]?.version ?? null];
			versions = found;
		}
	).follow(() => version);

	let changes = $state<Changes | null>(null);
	const compared = new Loader(
		async () => {
			const query = first === null ? {} : { since: first };
			return second === null ? null : data(api.GET('/api/environments/{environment}/policies/{version}/changes', { params: { path: { environment, version: second }, query } }));
		},
		(found) => (changes = found)
	).follow();
	const failed = $derived(read.failed || compared.failed);

	function at(instant: string): string {
		return `${day(new Date(instant), zone)} ${clock(new Date(instant), zone)}`;
	}
</script>

{#if failed}<p role="alert">{failed}</p>{/if}
<ol>
	{#each versions as one (one.version)}
		<li>
			<b>{say.version(one.version)}</b>
			{#if one.in_force_from}{say.adopted(one.adopter?.name ?? null, at(one.in_force_from))}{:else}{one.dropped_at ? say.letBe : say.draft}{/if}
			<span class="soft">{say.drafted(one.author.name, at(one.drafted_at))}</span>
		</li>
	{/each}
</ol>
{#if versions.length > 1}
	<p class="pick">
		<label>{say.whatVersion} <select class="field" bind:value={second}>{#each versions as one (one.version)}<option value={one.version}>{one.version}</option>{/each}</select></label>
		<label>{say.changedAgainst} <select class="field" bind:value={first}>{#each versions as one (one.version)}<option value={one.version}>{one.version}</option>{/each}</select></label>
	</p>
{/if}
{#if changes}
	<ul class="said">{#each changes.differences as said, n (n)}<li>{said}</li>{:else}<li class="soft">{say.same}</li>{/each}</ul>
{/if}
<p><a class="underline" href="/ledger?at={environment}&action=adopt">{say.adoptions}</a></p>

<style>
	li {
		padding: 3px 0;
	}
	ol li {
		border-bottom: 1px solid var(--hair);
	}
	ol .soft {
		display: block;
		font-size: var(--text-small);
	}
	.pick {
		display: flex;
		gap: 0.8rem;
		padding: 0.8rem 0 0.2rem;
	}
	.said {
		list-style: square;
		padding: 0 0 0.6rem 1.1rem;
	}
</style>
