<!-- Two instants beside each other: what runs otherwise, and what happened in between. -->
<script lang="ts">
	import Stamp from '$lib/ui/stamp.svelte';
	import type { Schemas } from '$lib/api/client';
	import { here } from '$lib/state/here.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { changed as say } from '$lib/words/estate';
	let { found, now }: { found: Schemas['EstateChanges']; now: boolean } = $props();

	const zone = session.zone;
	const moment = (at: string) => when(new Date(at), zone, new Date());
	const stamp = (one: Schemas['Arrived']) => (one.taken_back ? say.takenBack : one.back ? say.back : say.landed);
</script>

<section class="changed" aria-labelledby="changed">
	<header>
		<h2 id="changed">{say.heading(moment(found.since), now ? say.now : moment(found.until))}</h2>
		<p>{found.says}</p>
		<a class="underline" href={here({ since: null })}>{say.leave}</a>
	</header>
	<div class="both">
		<div>
			<h3 class="label">{say.otherwise}</h3>
			{#if found.replaced.length === 0}<p class="soft">{say.same}</p>{/if}
			<ul>
				{#each found.replaced as one (`${one.service.id}/${one.environment.id}`)}
					<li><a href="/promotion/{one.promotion}"><b>{one.service.name}</b> <span class="soft">{one.environment.name}</span> <span class="mono">{say.before(one.before)} → {one.after}</span></a></li>
				{/each}
			</ul>
		</div>
		<div>
			<h3 class="label">{say.happened}</h3>
			<ul>
				{#each found.happened as one (one.promotion)}
					<li class="event"><span class="soft">{moment(one.at)}</span><Stamp says={stamp(one)} /><a href="/promotion/{one.promotion}"><b>{one.service.name}</b> <span class="mono">{one.version}</span> <span class="soft">{one.environment.name}</span></a></li>
				{/each}
			</ul>
			{#if !found.whole}<p class="soft">{say.notWhole}</p>{/if}
		</div>
	</div>
</section>

<style>
	.changed {
		margin-bottom: 0.8rem;
		padding: 0.5rem 0 0.8rem;
		border-top: 1.5px solid var(--ink);
	}
	header {
		display: flex;
		flex-wrap: wrap;
		align-items: baseline;
		gap: 0.2rem 1rem;
	}
	header p {
		margin-right: auto;
	}
	.both {
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
		gap: 28px;
	}
	ul {
		max-height: 14rem;
		overflow-y: auto;
	}
	li {
		padding: 3px 0;
		border-bottom: 1px solid var(--hair);
	}
	.event {
		display: grid;
		grid-template-columns: 7.5rem 7rem minmax(0, 1fr);
		gap: 0.7rem;
		align-items: center;
	}
	li a:hover {
		text-decoration: underline;
	}
	@media (max-width: 900px) {
		.both {
			grid-template-columns: 1fr;
		}
		.event {
			grid-template-columns: 7rem 6.5rem minmax(0, 1fr);
		}
	}
</style>
