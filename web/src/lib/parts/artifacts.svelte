<!-- What was built: each opens to its whole digest, where the same bytes have been, and where they can be fetched. -->
<script lang="ts">
	import type { Dossier } from '$lib/api/client';
	import { when } from '$lib/time';
	import { bytes } from '$lib/words';
	import { artifacts as say } from '$lib/words/dossier';

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
			<details>
				<summary><span class="name">{artifact.name}</span><span class="soft">{bytes(artifact.size)}</span></summary>
				<div class="inside">
					<p class="mono digest">{artifact.digest}</p>
					{#each before(artifact) as line (line)}<p class="soft">{line}</p>{/each}
					{#if artifact.link}
						<p><a class="underline" href={artifact.link} rel="noreferrer" target="_blank" download>{say.fetch}</a> <span class="soft">{say.compare}</span></p>
					{:else}<p class="soft">{say.noLink}</p>{/if}
				</div>
			</details>
		</li>
	{/each}
</ul>

<style>
	h3 {
		margin: 0.9rem 0 0.15rem;
		border-bottom: 1px solid var(--hair);
	}
	summary {
		display: grid;
		grid-template-columns: 12px minmax(0, 1fr) auto;
		column-gap: 0.3rem;
		padding: 3px 0;
		cursor: pointer;
		list-style: none;
	}
	summary::before {
		content: '›';
		color: var(--ink-soft);
	}
	details[open] > summary::before {
		content: '⌄';
	}
	summary:hover .name {
		text-decoration: underline;
		text-underline-offset: 3px;
	}
	.name {
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
	}
	.inside {
		display: grid;
		gap: 2px;
		padding: 0 0 0.5rem 12px;
		font-size: 13px;
	}
	.digest {
		font-size: 11.5px;
		overflow-wrap: anywhere;
	}
</style>
