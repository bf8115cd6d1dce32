<!-- What was built: each opens to its whole digest, where the same bytes have been, and where they can be fetched. -->
<script lang="ts">
	import type { Dossier } from '$lib/api/client';
	import { when } from '$lib/time/time';
	import { bytes } from '$lib/words';
	import { artifacts as say } from '$lib/words/dossier';
	import Opens from '$lib/ui/opens.svelte';

	type Artifact = Dossier['artifacts'][number];
	let { file }: { file: Dossier } = $props();

	const now = $derived(new Date(file.at));

	/** What landed under the same name in each environment of the leg before, beside this one. */
	function before(artifact: Artifact): string[] {
		return file.leg_before.map((leg) => {
			const there = leg.artifacts.find((one) => one.name === artifact.name);
			if (!leg.landed_at || !there) return say.notIn(leg.title);
			const at = when(new Date(leg.landed_at), file.row.target.zone, now);
			return there.digest === artifact.digest ? say.same(leg.title, at) : say.differs(leg.title, at);
		});
	}
</script>

<h3 class="label">{say.artifacts}</h3>
<ul>
	{#each file.artifacts as artifact (artifact.name)}
		<li>
			<Opens>
				{#snippet line()}<span>{artifact.name}</span><span class="soft figure">{bytes(artifact.size)}</span>{/snippet}
				<p class="mono digest">{artifact.digest}</p>
				{#each before(artifact) as line, n (n)}<p class="soft">{line}</p>{/each}
				{#if artifact.link}
					<p><a class="underline" href={artifact.link} rel="noreferrer" target="_blank" download>{say.fetch}</a> <span class="soft">{say.compare}</span></p>
				{:else}<p class="soft">{say.noLink}</p>{/if}
			</Opens>
		</li>
	{/each}
</ul>

<style>
	.digest {
		font-size: var(--text-tiny);
		overflow-wrap: anywhere;
	}
</style>
